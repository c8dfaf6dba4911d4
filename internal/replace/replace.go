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
