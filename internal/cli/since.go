package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"wendrik/internal/core/text"
	"wendrik/internal/session"
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
		return nil, &usageError{"no folder for the old plan could be made: " + session.Reason(err), ""}
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

// gitEnv keeps git from running or fetching anything: the objects are read as they lie there, without what stands in for them (replacement
// refs), and what is not there is not asked for. No command below looks at attributes, filters, hooks or the index.
var gitEnv = []string{"GIT_NO_REPLACE_OBJECTS=1", "GIT_NO_LAZY_FETCH=1", "GIT_ALLOW_PROTOCOL=none", "GIT_TERMINAL_PROMPT=0", "GIT_OPTIONAL_LOCKS=0", "GIT_GRAFT_FILE=" + os.DevNull}

// gitIn is a command of git in a folder, and what it says of what goes wrong.
func gitIn(folder string, args ...string) (run *exec.Cmd, said *bytes.Buffer, err error) {
	git, err := exec.LookPath("git")
	if err != nil {
		return nil, nil, &usageError{"-since needs git, and it is not installed", "install it, or name the old plan:  wendrik compare OLD NEW"}
	}
	run = exec.Command(git, append([]string{"-C", folder, "-c", "core.fsmonitor=false", "-c", "core.hooksPath=" + os.DevNull, "-c", "core.attributesFile=" + os.DevNull, "-c", "advice.graftFileDeprecated=false"}, args...)...)
	run.Env = append(os.Environ(), gitEnv...)
	said = &bytes.Buffer{}
	run.Stderr = said
	return run, said, nil
}

// gitSays is the line with which git ended, without its own word for an end; where there is none, the first that it said.
func gitSays(said *bytes.Buffer) string {
	all := strings.TrimSpace(said.String())
	for line := range strings.Lines(all) {
		if end, is := strings.CutPrefix(line, "fatal: "); is {
			return strings.TrimSpace(end)
		}
	}
	first, _, _ := strings.Cut(all, "\n")
	return first
}

// revisionInto writes what a folder held at a revision into another: its regular files, byte by byte as the repository has them.
func revisionInto(past, folder, revision string) error {
	if strings.HasPrefix(revision, "-") {
		return &usageError{fmt.Sprintf("%q is no revision", revision), "wendrik compare -since HEAD"}
	}
	run, said, err := gitIn(folder, "rev-parse", "--verify", revision+"^{commit}")
	if err != nil {
		return err
	}
	hash, err := run.Output()
	if err != nil {
		right := "name a revision of the repository that the plan lies in, such as HEAD or main"
		if shallow(folder) {
			right = "the clone is shallow, and may not have it:  git fetch --unshallow  gets the rest"
		}
		return &usageError{"git says: " + gitSays(said), right}
	}
	run, said, err = gitIn(folder, "ls-tree", "-r", "-z", strings.TrimSpace(string(hash)))
	if err != nil {
		return err
	}
	tree, err := run.Output()
	if err != nil {
		return &usageError{"git says: " + gitSays(said), "name the old plan:  wendrik compare OLD NEW"}
	}
	var objects, names []string
	for entry := range strings.SplitSeq(strings.TrimSuffix(string(tree), "\x00"), "\x00") {
		about, name, _ := strings.Cut(entry, "\t")
		words := strings.Fields(about) // mode, type, object
		if len(words) == 3 && strings.HasPrefix(words[0], "100") && words[1] == "blob" && filepath.IsLocal(filepath.FromSlash(name)) {
			objects, names = append(objects, words[2]), append(names, name)
		}
	}
	if run, said, err = gitIn(folder, "cat-file", "--batch"); err != nil {
		return err
	}
	run.Stdin = strings.NewReader(strings.Join(objects, "\n") + "\n")
	out, err := run.StdoutPipe()
	if err == nil {
		err = run.Start()
	}
	if err != nil {
		return &usageError{"git could not be run: " + err.Error(), ""}
	}
	err = blobs(past, names, out)
	_, _ = io.Copy(io.Discard, out)
	_ = run.Wait()
	if errors.Is(err, errEnded) {
		return &usageError{"git does not give all of the revision: " + cmp.Or(gitSays(said), "it ended early"), "where it was cloned without some files, clone it whole; or name the old plan:  wendrik compare OLD NEW"}
	}
	return err
}

var errEnded = errors.New("it ended early")

// shallow reports whether a repository has a part of its history alone.
func shallow(folder string) bool {
	run, _, err := gitIn(folder, "rev-parse", "--is-shallow-repository")
	if err != nil {
		return false
	}
	out, err := run.Output()
	return err == nil && strings.TrimSpace(string(out)) == "true"
}

// blobs writes what  git cat-file --batch  gives into a folder, under names in their order, and nothing beside it. What is larger than any
// plan is left out.
func blobs(folder string, names []string, out io.Reader) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	from, total := bufio.NewReader(out), int64(0)
	for _, name := range names {
		head, err := from.ReadString('\n')
		words := strings.Fields(head) // object, type, size
		if err == nil && len(words) == 2 && words[1] == "missing" {
			return &usageError{fmt.Sprintf("the repository does not have %s as it was: it was cloned without it", name), "clone it whole, or name the old plan:  wendrik compare OLD NEW"}
		}
		size := int64(-1)
		if err == nil && len(words) == 3 {
			size, err = strconv.ParseInt(words[2], 10, 64)
		}
		if err != nil || size < 0 {
			return errEnded
		}
		content := io.LimitReader(from, size)
		if size <= text.MaxSize {
			if total += size; total > maxRevision {
				return &usageError{"the folder of the plan has more in it than can be read of a revision", "name the old plan:  wendrik compare OLD NEW"}
			}
			name = filepath.FromSlash(name)
			_ = root.MkdirAll(filepath.Dir(name), 0o700)
			f, err := root.Create(name)
			if err == nil {
				_, err = io.Copy(f, content)
				if closed := f.Close(); err == nil {
					err = closed
				}
			}
			if err != nil {
				return &usageError{"the old plan could not be unpacked: " + session.Reason(err), ""}
			}
		}
		if _, err := io.CopyN(io.Discard, from, 1+sizeLeft(content)); err != nil { // what was left out, and the line's end
			return errEnded
		}
	}
	return nil
}

// sizeLeft is how much of a limited reader nobody has read.
func sizeLeft(r io.Reader) int64 { return r.(*io.LimitedReader).N }

// commit is a revision and its day.
type commit struct {
	hash string
	at   time.Time
}

// commitsOf are the revisions in which something in a folder changed, the first one first, along the main line.
func commitsOf(folder string) ([]commit, error) {
	run, said, err := gitIn(folder, "-c", "log.showSignature=false", "log", "--first-parent", "--reverse", "--format=%H %ct", "HEAD", "--", ".")
	if err != nil {
		return nil, errors.New("git is not installed")
	}
	out, err := run.Output()
	if err != nil {
		return nil, errors.New("git says: " + gitSays(said))
	}
	var all []commit
	for line := range strings.Lines(string(out)) {
		hash, seconds, _ := strings.Cut(strings.TrimSpace(line), " ")
		if n, err := strconv.ParseInt(seconds, 10, 64); err == nil {
			all = append(all, commit{hash, time.Unix(n, 0).UTC()})
		}
	}
	if len(all) == 0 {
		return nil, errors.New("no revision has the folder of the plan")
	}
	return all, nil
}
