// Package inlet opens what comes from outside, so that nothing of it can hold the program up or be read without end.
package inlet

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"syscall"
)

// The reasons for which a file is not read.
var (
	ErrNotFile = errors.New("it is no regular file")
	ErrDevice  = errors.New("it is a device")
)

// Open opens what a person names: a regular file, or a pipe, as a shell puts it in the place of a program's output. A pipe that nobody writes
// to is empty, and is not waited for. The error is ErrDevice, or of the file system.
func Open(name string) (*os.File, error) {
	f, err := os.OpenFile(name, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	return kept(f, name, func(m fs.FileMode) error {
		if m&fs.ModeDevice != 0 {
			return ErrDevice
		}
		return nil
	})
}

// Regular opens a regular file, and nothing else, in a folder: one that a plan names. The error is ErrNotFile, or of the file system.
func Regular(root *os.Root, name string) (*os.File, error) {
	f, err := root.OpenFile(name, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	return kept(f, name, regular)
}

// Read reads a regular file of at most so many bytes. The error is ErrNotFile, says that it is larger, or is of the file system.
func Read(name string, most int64) ([]byte, error) {
	f, err := os.OpenFile(name, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	if f, err = kept(f, name, regular); err != nil {
		return nil, err
	}
	defer f.Close()
	raw, err := io.ReadAll(io.LimitReader(f, most+1))
	if err == nil && int64(len(raw)) > most {
		return nil, fmt.Errorf("it is larger than %d bytes", most)
	}
	return raw, err
}

func regular(m fs.FileMode) error {
	if !m.IsRegular() {
		return ErrNotFile
	}
	return nil
}

// kept closes a file that is not of the right kind. A folder is left to who reads it, who is told.
func kept(f *os.File, name string, right func(fs.FileMode) error) (*os.File, error) {
	info, err := f.Stat()
	if err == nil && !info.IsDir() {
		if err = right(info.Mode()); err != nil {
			err = &fs.PathError{Op: "open", Path: name, Err: err}
		}
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}
