// Package session opens plans as they lie in files: the first one, and the parts that it names.
package session

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/inlet"
)

// Codes of what is wrong with the other files of a plan.
const (
	partOutside diag.Code = "part-outside"
	noPart      diag.Code = "no-part"
)

// Parts adds the other files that a plan names to its first one, out of the folder that this lies in and no other, and gives what is wrong
// with them, and the names of those that were read. A name of - is the standard input of the folder that one is in. Where instead has the
// text of a file, by its name, that is taken, and the file is not read; it may be nil.
func Parts(files *text.Files, first *text.File, name string, instead func(name string) (string, bool)) (problems []diag.Finding, read []string) {
	parts := plan.PartsOf(first)
	if len(parts) == 0 {
		return nil, nil
	}
	wrong := func(t plan.Text, code diag.Code, fix, format string, args ...any) {
		problems = append(problems, diag.Finding{Code: code, Severity: diag.Error, At: t.At, Place: text.Path{"parts"}, Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(fix)})
	}
	folder, own := filepath.Dir(name), filepath.Base(name)
	if name == "-" {
		folder, own = ".", ""
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		wrong(parts[0], noPart, "make it readable", "the folder of the plan cannot be read: %s", Reason(err))
		return problems, read
	}
	defer root.Close()
	had, size := map[string]bool{own: true}, len(first.Text)
	for _, t := range parts {
		if !filepath.IsLocal(t.Value) {
			wrong(t, partOutside, "move it into the folder of the plan, or a folder in that", "%q leads out of the folder of the plan", phrase.Clip(t.Value))
			continue
		}
		found, err := fs.Glob(root.FS(), filepath.ToSlash(filepath.Clean(t.Value)))
		if err != nil || len(found) == 0 {
			wrong(t, noPart, "name a file that is there, or take it out", "%q names no file in the folder of the plan", phrase.Clip(t.Value))
			continue
		}
		for _, one := range found {
			if had[one] {
				continue
			}
			had[one] = true
			path := filepath.Join(folder, one)
			raw, err := readPart(root, one, path, text.MaxSize+1-size, instead)
			switch size += len(raw); {
			case err != nil:
				wrong(t, noPart, "make it a file that can be read", "%s cannot be read: %s", phrase.Clip(one), Reason(err))
			case size > text.MaxSize || len(had) > 4000:
				wrong(t, noPart, "split the estate into plans of their own", "the parts of the plan are more than can be read")
				return problems, read
			default:
				files.Add(path, raw)
				read = append(read, path)
			}
		}
	}
	return problems, read
}

// readPart reads a file of a folder, up to a size.
func readPart(root *os.Root, name, path string, most int, instead func(name string) (string, bool)) (string, error) {
	if instead != nil {
		if raw, is := instead(path); is {
			return raw, nil
		}
	}
	f, err := inlet.Regular(root, name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	var b strings.Builder
	_, err = io.Copy(&b, io.LimitReader(f, int64(most)))
	return b.String(), err
}

// Reason is why a file could not be used, without its name.
func Reason(err error) string {
	var path *fs.PathError
	var link *os.LinkError
	switch {
	case errors.As(err, &path):
		err = path.Err
	case errors.As(err, &link):
		err = link.Err
	}
	return err.Error()
}
