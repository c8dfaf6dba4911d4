// Package replace puts a new text in the place of a file's, whole or not at all, and never over what somebody else wrote.
package replace

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"
)

// The reasons for which a file is not written, and stays as it is.
var (
	ErrChanged  = errors.New("it was changed by somebody else meanwhile")
	ErrBusy     = errors.New("somebody else is writing it")
	ErrReadOnly = errors.New("it is read-only")
	ErrNotFile  = errors.New("it is not a plain file")
	ErrOwner    = errors.New("it belongs to somebody else, and would not any more")
)

// File replaces what is in a file, which must still be what was read: before. Owner, group, mode and extended attributes
// stay; a symbolic link stays, and what it leads to is replaced. Linked says that the file has other names (hard links),
// which keep the old text. The error is one of those above, or of the file system; then the file is as it was, and
// nothing lies beside it. A signal that would end the program waits until the file is whole.
func File(name, before, after string) (linked bool, err error) {
	target, err := filepath.EvalSymlinks(name)
	if err != nil {
		return false, err
	}
	info, err := os.Stat(target)
	switch {
	case err != nil:
		return false, err
	case !info.Mode().IsRegular():
		return false, ErrNotFile
	case info.Mode().Perm()&0o222 == 0:
		return false, ErrReadOnly
	}
	held := make(chan os.Signal, 1)
	signal.Notify(held, os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	defer signal.Stop(held)
	return replace(target, before, after)
}

// Output puts a file that is made anew each time in its place, whole or not at all: readable by all where it is new, with the mode of the
// old one where there is one. A symbolic link stays, and what it leads to is replaced. What is there and is no plain file, as a device or
// a pipe, is ErrNotFile, and stays.
func Output(name string, content []byte) error {
	mode := fs.FileMode(0o644)
	if target, err := filepath.EvalSymlinks(name); err == nil {
		name = target
	}
	switch info, err := os.Stat(name); {
	case err == nil && !info.Mode().IsRegular():
		return ErrNotFile
	case err == nil:
		mode = info.Mode().Perm()
	case !errors.Is(err, fs.ErrNotExist):
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(name), "."+filepath.Base(name)+".*")
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	if err = errors.Join(err, f.Chmod(mode), f.Sync(), f.Close()); err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		os.Remove(f.Name())
	}
	return err
}

// lockWait is how long another writer is waited for.
var lockWait = 5 * time.Second // shorter in tests

func fill(f *os.File, text string) error {
	if _, err := f.WriteString(text); err != nil {
		return err
	}
	return f.Sync()
}

// unchanged compares what is in a file with what was read.
func unchanged(name, before string) error {
	now, err := os.ReadFile(name)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return ErrChanged
	case err != nil:
		return err
	case string(now) != before:
		return ErrChanged
	}
	return nil
}

// beside is the name under which a new text lies beside its file for the moment of the exchange. Only who has the lock
// uses it, so that what a killed program left there goes with the next write.
func beside(target string) string {
	return filepath.Join(filepath.Dir(target), fmt.Sprintf(".%s.wendrik-new", filepath.Base(target)))
}
