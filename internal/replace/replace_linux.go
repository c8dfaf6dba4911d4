package replace

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// hold locks an open file for this program, unless another one has it.
func hold(f *os.File) error { return unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB) }

func replace(target, before, after string) (linked bool, err error) {
	if unix.Access(target, unix.W_OK) != nil {
		return false, ErrReadOnly
	}
	old, err := locked(target)
	if err != nil {
		return false, err
	}
	defer old.Close() // and the lock with it
	var stat unix.Stat_t
	if err := unix.Fstat(int(old.Fd()), &stat); err != nil {
		return false, err
	}
	if err := unchanged(target, before); err != nil {
		return false, err
	}
	name := beside(target)
	if err := os.Remove(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return false, err
	}
	fresh, err := write(old, name, after)
	if err != nil {
		return false, err
	}
	defer fresh.Close() // and its lock: until then nobody else touches what lies beside
	defer os.Remove(name)
	if err := unchanged(target, before); err != nil {
		return false, err
	}
	if err := exchange(name, target, before); err != nil {
		return false, err
	}
	return stat.Nlink > 1, nil
}

// locked opens a file with a lock that every writer takes. A writer before may have put another file in its place, and
// then that one is locked.
func locked(target string) (*os.File, error) {
	for until := time.Now().Add(lockWait); ; {
		f, err := os.Open(target)
		if err != nil {
			return nil, err
		}
		err = unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB)
		if err == nil {
			mine, err1 := f.Stat()
			now, err2 := os.Stat(target)
			if err1 == nil && err2 == nil && os.SameFile(mine, now) {
				return f, nil
			}
		}
		f.Close()
		switch {
		case err != nil && !errors.Is(err, unix.EWOULDBLOCK):
			return nil, fmt.Errorf("it cannot be locked: %w", err)
		case time.Now().After(until):
			return nil, ErrBusy
		}
		time.Sleep(5 * time.Millisecond)
	}
}

// write makes a file with all that the old one has but its text, and with the lock that every writer takes. It has no name until it is
// whole.
func write(old *os.File, name, text string) (*os.File, error) {
	fd, err := unix.Open(filepath.Dir(name), unix.O_TMPFILE|unix.O_WRONLY|unix.O_CLOEXEC, 0o600)
	nameless := err == nil
	if !nameless { // a file system that has no files without names
		fd, err = unix.Open(name, unix.O_CREAT|unix.O_EXCL|unix.O_WRONLY|unix.O_CLOEXEC, 0o600)
	}
	if err != nil {
		return nil, &fs.PathError{Op: "open", Path: filepath.Dir(name), Err: err}
	}
	f := os.NewFile(uintptr(fd), name)
	err = errors.Join(unix.Flock(fd, unix.LOCK_EX|unix.LOCK_NB), inherit(old, f), fill(f, text))
	if err == nil && nameless {
		err = unix.Linkat(unix.AT_FDCWD, fmt.Sprintf("/proc/self/fd/%d", fd), unix.AT_FDCWD, name, unix.AT_SYMLINK_FOLLOW)
	}
	if err != nil {
		if !nameless {
			os.Remove(name)
		}
		f.Close()
		return nil, err
	}
	return f, nil
}

// inherit gives a new file the owner, group, extended attributes and mode of the old one.
func inherit(old, f *os.File) error {
	var was, is unix.Stat_t
	if err := errors.Join(unix.Fstat(int(old.Fd()), &was), unix.Fstat(int(f.Fd()), &is)); err != nil {
		return err
	}
	if was.Uid != is.Uid || was.Gid != is.Gid {
		if unix.Fchown(int(f.Fd()), int(was.Uid), int(was.Gid)) != nil {
			return ErrOwner
		}
	}
	if err := attributes(int(old.Fd()), int(f.Fd())); err != nil {
		return err
	}
	return unix.Fchmod(int(f.Fd()), was.Mode&0o7777) // last, since a change of owner takes bits away
}

// attributes copies extended attributes. Those that the kernel keeps for itself may refuse, and it sets them anew.
func attributes(from, to int) error {
	size, err := unix.Flistxattr(from, nil)
	if err != nil || size == 0 {
		return nil // a file system without them
	}
	names := make([]byte, size)
	if size, err = unix.Flistxattr(from, names); err != nil {
		return err
	}
	for name := range strings.SplitSeq(strings.TrimRight(string(names[:size]), "\x00"), "\x00") {
		length, err := unix.Fgetxattr(from, name, nil)
		if err != nil {
			continue
		}
		value := make([]byte, length)
		if length, err = unix.Fgetxattr(from, name, value); err != nil {
			continue
		}
		if err := unix.Fsetxattr(to, name, value[:length], 0); err != nil && strings.HasPrefix(name, "user.") || err != nil && strings.HasPrefix(name, "system.") {
			return fmt.Errorf("its attribute %s cannot be kept: %w", name, err)
		}
	}
	return nil
}

// exchange gives the new file the name of the old one. What had the name until then must be what was read: else the
// names are exchanged back.
func exchange(name, target, before string) error {
	swap := func() error { return unix.Renameat2(unix.AT_FDCWD, name, unix.AT_FDCWD, target, unix.RENAME_EXCHANGE) }
	err := swap()
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOSYS) { // a file system that cannot
		err = os.Rename(name, target)
	} else if err == nil {
		if changed := unchanged(name, before); changed != nil {
			return errors.Join(changed, swap())
		}
	}
	if err != nil {
		return err
	}
	if dir, err := os.Open(filepath.Dir(target)); err == nil {
		_ = dir.Sync() // some file systems cannot, and the rename stands
		dir.Close()
	}
	return nil
}
