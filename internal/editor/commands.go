package editor

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// This file runs commands of the program on the plan as it stands in the editor, saved or not. Each runs as a process of its own in a folder of
// its own, so that it says what it says elsewhere, can be cancelled, and touches no file of the plan.

// The commands that an editor can run.
const (
	reachCommand    = "wendrik.reach"
	drawCommand     = "wendrik.draw"
	rehearseCommand = "wendrik.rehearse"
)

var commandNames = []string{reachCommand, drawCommand, rehearseCommand}

// outcome is what a command comes to.
type outcome struct {
	Status int    `json:"status"` // the exit status
	Text   string `json:"text"`
	URI    string `json:"uri,omitempty"` // of the picture that was drawn
}

func (s *server) execute(ctx context.Context, p commandParams) (*outcome, error) {
	var words []string
	for _, raw := range p.Arguments {
		var word string
		if json.Unmarshal(raw, &word) != nil {
			return nil, errors.New("a command takes words: the URI or the path of a file of the plan first")
		}
		words = append(words, word)
	}
	if len(words) == 0 {
		return nil, errors.New("name a file of the plan first, by its URI")
	}
	k := s.planNamed(words[0])
	if k == nil {
		return nil, fmt.Errorf("%s is of no plan that is open", clip(words[0], 120))
	}
	x := s.settled(ctx, k, false)
	if x == nil {
		return nil, errors.New("the plan cannot be read")
	}
	words = words[1:]
	var args []string
	picture := ""
	switch p.Command {
	case reachCommand:
		if len(words) < 2 {
			return nil, errors.New("it takes two ends, and perhaps a flow, such as tcp/443")
		}
		args = []string{"reach", words[0], words[1]}
		if len(words) > 2 && words[2] != "" && words[2] != "any" {
			args = append(args, "-on", words[2])
		}
	case drawCommand:
		folder, err := s.drawer()
		if err != nil {
			return nil, err
		}
		if len(words) == 0 {
			words = []string{"estate"}
		}
		picture = filepath.Join(folder, strings.Map(plainRune, strings.Join(words, "-"))+".svg")
		args = append(append([]string{"draw"}, words...), "-o", picture)
	case rehearseCommand:
		args = []string{"rehearse"}
		if len(words) > 0 {
			args = append(args, "-only", strings.Join(words, ","))
		}
	default:
		return nil, fmt.Errorf("there is no command %s", clip(p.Command, 60))
	}
	for _, w := range words {
		if strings.HasPrefix(w, "-") {
			return nil, fmt.Errorf("%q is no name", clip(w, 60))
		}
	}
	ctx, end := s.progress(ctx, p.WorkDoneToken, args[0])
	defer end()
	out, err := run(ctx, x, k.first, args)
	if err != nil {
		return nil, err
	}
	if picture != "" && out.Status == 0 {
		out.URI = uriOf(picture)
		if s.can.Window.ShowDocument.Support {
			s.working.Go(func() {
				_, _ = s.rpc.Callback(s.ctx, "window/showDocument", map[string]any{"uri": out.URI, "external": true})
			})
		}
	}
	return out, nil
}

// plainRune keeps of a word what a name of a file may have.
func plainRune(r rune) rune {
	if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-' {
		return r
	}
	return '_'
}

// planNamed is the plan that a file is of, by its URI or its path.
func (s *server) planNamed(word string) *kept {
	if _, k, ok := s.doc(word); ok {
		return k
	}
	s.lock.Lock()
	defer s.lock.Unlock()
	return s.plans[word]
}

// drawer is the folder that pictures are drawn into, which goes with the server.
func (s *server) drawer() (string, error) {
	s.lock.Lock()
	defer s.lock.Unlock()
	if s.pictures == "" {
		folder, err := os.MkdirTemp("", "wendrik-pictures-")
		if err != nil {
			return "", errors.New("no folder for pictures can be made")
		}
		s.pictures = folder
	}
	return s.pictures, nil
}

// progress tells that something begins that may take a while, and that may be cancelled by its token; what it gives tells that it has ended.
func (s *server) progress(ctx context.Context, token any, what string) (context.Context, func()) {
	if token == nil {
		return ctx, func() {}
	}
	ctx, stop := context.WithCancel(ctx)
	name := fmt.Sprint(token)
	s.lock.Lock()
	s.work[name] = stop
	s.lock.Unlock()
	tell := func(value map[string]any) {
		_ = s.rpc.Notify(s.ctx, "$/progress", map[string]any{"token": token, "value": value})
	}
	tell(map[string]any{"kind": "begin", "title": "wendrik " + what, "cancellable": true})
	return ctx, func() {
		stop()
		s.lock.Lock()
		delete(s.work, name)
		s.lock.Unlock()
		tell(map[string]any{"kind": "end"})
	}
}

// cancelWork ends what a person no longer waits for.
func (s *server) cancelWork(_ context.Context, p progressParams) {
	s.lock.Lock()
	defer s.lock.Unlock()
	if stop := s.work[fmt.Sprint(p.Token)]; stop != nil {
		stop()
	}
}

// run runs the program itself on a plan as it was read, in a folder that goes again.
func run(ctx context.Context, x *state, first string, args []string) (*outcome, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, errors.New("the program does not find itself")
	}
	folder, err := os.MkdirTemp("", "wendrik-editor-")
	if err != nil {
		return nil, errors.New("no folder for the plan can be made")
	}
	defer os.RemoveAll(folder)
	root := filepath.Dir(first)
	for _, f := range x.estate.Plan.Files.All() {
		if err := put(folder, root, f.Name, x.texts[f.Name].String()); err != nil {
			return nil, err
		}
	}
	if name := filepath.Base(first); name != "wendrik.yaml" {
		args = append(args, "-plan", name)
	}
	cmd := exec.CommandContext(ctx, self, args...)
	cmd.Dir = folder
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	err = cmd.Run()
	if ctx.Err() != nil {
		return nil, errors.New("it was cancelled")
	}
	if exit := (*exec.ExitError)(nil); err != nil && !errors.As(err, &exit) {
		return nil, fmt.Errorf("the command cannot be run: %w", err)
	}
	return &outcome{Status: cmd.ProcessState.ExitCode(), Text: said.String()}, nil
}

func put(folder, root, name, content string) error {
	rel, err := filepath.Rel(root, name)
	if err != nil || !filepath.IsLocal(rel) {
		return fmt.Errorf("%s is not in the folder of the plan", name)
	}
	path := filepath.Join(folder, rel)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return errors.New("no folder for the plan can be made")
	}
	return os.WriteFile(path, []byte(content), 0o600)
}
