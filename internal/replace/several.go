package replace

import (
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"
)

// Change is what becomes of a file.
type Change struct{ Name, Before, After string }

// NotWritten is the file that could not be written, so that none was.
type NotWritten struct {
	Name string
	Err  error
}

func (e *NotWritten) Error() string { return e.Name + ": " + e.Err.Error() }
func (e *NotWritten) Unwrap() error { return e.Err }

// journal is where all that it takes to put several files back lies while they are written.
func journal(first string) string { return Kept("journal", first) }

// Kept is the file in which something of a kind is kept of a plan: in the user's own cache folder, by the name of the plan's first file, so that no
// folder of a stranger has one; empty where there is no such folder.
func Kept(kind, first string) string {
	base, err := os.UserCacheDir()
	if err != nil {
		return ""
	}
	path, err := filepath.EvalSymlinks(first)
	if err == nil {
		path, err = filepath.Abs(path)
	}
	folder := filepath.Join(base, "wendrik")
	if err != nil || os.MkdirAll(folder, 0o700) != nil {
		return ""
	}
	return filepath.Join(folder, fmt.Sprintf("%s-%x", kind, sha256.Sum256([]byte(path))))
}

// Files replaces what is in several files, all of them or none, as File does each; first is the plan that they are of. Where the program is
// killed amid them, Recover puts back what was. Linked are those that have other names. The error is a *NotWritten.
func Files(first string, all []Change) (linked []string, err error) {
	for i := range all {
		if all[i].Name, err = filepath.Abs(all[i].Name); err != nil {
			return nil, &NotWritten{first, err}
		}
	}
	if name := journal(first); len(all) > 1 && name != "" {
		raw, err := json.Marshal(all)
		if err != nil {
			return nil, &NotWritten{first, err}
		}
		f, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
		if errors.Is(err, fs.ErrExist) {
			err = ErrBusy // which Recover has found, too, or somebody has begun since
		}
		if err == nil {
			if err = errors.Join(hold(f), fill(f, string(raw))); err != nil {
				f.Close()
				os.Remove(name)
			}
		}
		if err != nil {
			return nil, &NotWritten{first, err}
		}
		defer f.Close()
		defer os.Remove(name)
	}
	for i, c := range all {
		other, err := File(c.Name, c.Before, c.After)
		if err != nil {
			for _, done := range all[:i] {
				_, back := File(done.Name, done.After, done.Before)
				err = errors.Join(err, back)
			}
			return nil, &NotWritten{c.Name, err}
		}
		if other {
			linked = append(linked, c.Name)
		}
	}
	return linked, nil
}

// Recover puts back what a program that was killed has left half written of a plan, and gives the files that were: none where nothing was
// left, or where another program is writing. A file that somebody has changed since stays as it is, and is an error.
func Recover(first string) (back []string, err error) {
	name := journal(first)
	if _, err := os.Lstat(name); name == "" || err != nil {
		return nil, nil
	}
	f, err := os.OpenFile(name, os.O_RDWR, 0)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, nil
		}
		return nil, err
	}
	defer f.Close()
	for until := time.Now().Add(lockWait); hold(f) != nil; time.Sleep(5 * time.Millisecond) {
		if time.Now().After(until) {
			return nil, ErrBusy
		}
	}
	if _, err := os.Lstat(name); err != nil {
		return nil, nil // who wrote has ended meanwhile
	}
	raw, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	var all []Change
	if json.Unmarshal(raw, &all) != nil {
		return nil, os.Remove(name) // it was killed before it had written any file
	}
	var changed error
	for _, c := range all {
		switch err := unchanged(c.Name, c.After); {
		case err == nil:
			if _, err := File(c.Name, c.After, c.Before); err != nil {
				return back, &NotWritten{c.Name, err}
			}
			back = append(back, c.Name)
		case unchanged(c.Name, c.Before) != nil:
			changed = &NotWritten{c.Name, ErrChanged} // which is told once
		}
	}
	return back, errors.Join(changed, os.Remove(name))
}
