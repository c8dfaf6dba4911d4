package cli

import (
	"archive/tar"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"wendrik/internal/core/text"
)

// This file reads a plan as it was at a revision of the repository that it lies in.

// maxRevision is how much of a folder is read of a revision, in bytes.
const maxRevision = 4 * text.MaxSize

// openSince reads a plan of a revision, with its parts, as load does.
func (s *screen) openSince(revision, name string) (*opened, error) {
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		name = filepath.Join(name, "wendrik.yaml")
	}
	folder, file := filepath.Split(name)
	if folder == "" {
		folder = "."
	}
	past, err := os.MkdirTemp("", "wendrik-since-")
	if err != nil {
		return nil, &usageError{"no folder for the old plan could be made: " + reason(err), ""}
	}
	defer os.RemoveAll(past)
	if err := revisionInto(past, folder, revision); err != nil {
		return nil, err
	}
	if _, err := os.Stat(filepath.Join(past, file)); err != nil {
		return nil, &usageError{fmt.Sprintf("revision %s has no file %s", revision, name), "name a revision in which it was there"}
	}
	o, err := s.open(filepath.Join(past, file))
	if err != nil {
		return nil, err
	}
	for _, f := range o.Plan.Files.All() {
		if inside, err := filepath.Rel(past, f.Name); err == nil {
			f.Name = revision + ":" + inside
		}
	}
	o.label = revision + ":" + file
	return o, nil
}

// revisionInto writes what a folder held at a revision into another.
func revisionInto(past, folder, revision string) error {
	git, err := exec.LookPath("git")
	if err != nil {
		return &usageError{"-since needs git, and it is not installed", "install it, or name the old plan:  wendrik compare OLD NEW"}
	}
	if strings.HasPrefix(revision, "-") {
		return &usageError{fmt.Sprintf("%q is no revision", revision), "wendrik compare -since HEAD"}
	}
	run := exec.Command(git, "-C", folder, "archive", "--format=tar", revision)
	var said bytes.Buffer
	run.Stderr = &said
	out, err := run.StdoutPipe()
	if err == nil {
		err = run.Start()
	}
	if err != nil {
		return &usageError{"git could not be run: " + err.Error(), ""}
	}
	unpacked := untar(past, io.LimitReader(out, maxRevision))
	_, _ = io.Copy(io.Discard, out)
	if err := run.Wait(); err != nil {
		first, _, _ := strings.Cut(strings.TrimSpace(said.String()), "\n")
		return &usageError{"git says: " + strings.TrimPrefix(first, "fatal: "), "name a revision of the repository that the plan lies in, such as HEAD or main"}
	}
	return unpacked
}

// untar writes the regular files of an archive into a folder, and nothing beside it.
func untar(folder string, from io.Reader) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	archive := tar.NewReader(from)
	for {
		h, err := archive.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return &usageError{"the revision is more than can be read", "name the old plan:  wendrik compare OLD NEW"}
		}
		if h.Typeflag == tar.TypeDir {
			_ = root.MkdirAll(filepath.FromSlash(strings.TrimSuffix(h.Name, "/")), 0o700)
			continue
		}
		if h.Typeflag != tar.TypeReg || !filepath.IsLocal(h.Name) {
			continue
		}
		_ = root.MkdirAll(filepath.Dir(filepath.FromSlash(h.Name)), 0o700)
		f, err := root.Create(filepath.FromSlash(h.Name))
		if err != nil {
			return &usageError{"the old plan could not be unpacked: " + reason(err), ""}
		}
		_, err = io.Copy(f, archive)
		if closed := f.Close(); err == nil {
			err = closed
		}
		if err != nil {
			return &usageError{"the old plan could not be unpacked: " + reason(err), ""}
		}
	}
}
