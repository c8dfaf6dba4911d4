package cli

import (
	"bytes"
	"fmt"
	"io"
	"os"

	"wendrik/internal/inlet"
	"wendrik/internal/replace"
	"wendrik/internal/session"
)

// This file writes what commands make anew each time: pictures, pages and exports.

// forceFlag has a file replaced that is of another kind.
func (f *flags) forceFlag() *bool {
	return f.Bool("force", false, "with -o: replace FILE also where it is of another kind than what is written")
}

// overwrite writes a file that is made anew each time, where it may.
func (s *screen) overwrite(name string, content []byte, force bool) error {
	if err := s.mayOverwrite(name, content, force); err != nil {
		return err
	}
	if err := replace.Output(name, content); err != nil {
		return &usageError{fmt.Sprintf("%s cannot be written: %s", name, session.Reason(err)), "name another file"}
	}
	return nil
}

// mayOverwrite refuses to write over what was read, by whatever name, and over what does not look like an earlier file of what is written
// unless that is asked for.
func (s *screen) mayOverwrite(name string, content []byte, force bool) error {
	info, err := os.Stat(name)
	if err == nil {
		for _, text := range s.texts {
			if was, err := os.Stat(text); err == nil && os.SameFile(info, was) {
				return &usageError{fmt.Sprintf("%s is what was read, and is not written over", name), "name another file"}
			}
		}
	}
	if !force && err == nil && info.Mode().IsRegular() { // another one is never replaced, and what writes it says so
		was, err := beginning(name)
		if err != nil {
			return fileError(name, err)
		}
		if len(was) > 0 && !looksLike(was, content) {
			return &usageError{fmt.Sprintf("%s is a file of another kind, and is not written over", name), "name another file, or say  -force"}
		}
	}
	return nil
}

// beginning is how a file begins.
func beginning(name string) ([]byte, error) {
	f, err := inlet.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, 4<<10))
}

// marks are how files of some kinds begin, but for white space.
var marks = []string{"<?xml", "<svg", "\x89PNG", "%PDF-", "<!doctype html", "{", "["}

// looksLike reports whether a file that begins so may be an earlier one of what is written: of a kind that is known by its mark it has that, of
// another its first line is the same, but for a single value, which has no other.
func looksLike(was, is []byte) bool {
	kind := func(b []byte) int {
		b = bytes.ToLower(bytes.TrimLeft(b[:min(len(b), 64)], " \t\r\n\ufeff"))
		for i, m := range marks {
			if bytes.HasPrefix(b, bytes.ToLower([]byte(m))) {
				return i
			}
		}
		return -1
	}
	if k := kind(is); k >= 0 || kind(was) >= 0 {
		return k == kind(was)
	}
	first := func(b []byte) []byte { line, _, _ := bytes.Cut(b, []byte("\n")); return line }
	single := func(b []byte) bool { return bytes.Count(b, []byte("\n")) <= 1 && len(b) < 256 }
	return bytes.Equal(first(was), first(is)) || single(was) && single(is)
}
