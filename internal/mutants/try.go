package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// bench is where the mutants of one package are tried: the tests, built with all of them in it.
type bench struct {
	c      *code
	w      woven
	folder string
	binary string
	env    []string
	tests  []test
	args   []string
}

// test is one test of the package, as it runs while all mutants sleep.
type test struct {
	name  string
	takes time.Duration
	seen  []bool // the mutants that it comes by
}

// build makes the tests of a package with mutants woven in.
func (c *code) build(ctx context.Context, w woven, folder string, args []string) (*bench, error) {
	replace := map[string]string{}
	for name, text := range w.files {
		written := filepath.Join(folder, filepath.Base(name))
		if err := os.WriteFile(written, []byte(text), 0o600); err != nil {
			return nil, err
		}
		replace[name] = written
	}
	list, err := json.Marshal(map[string]any{"Replace": replace})
	if err != nil {
		return nil, err
	}
	overlay := filepath.Join(folder, "overlay.json")
	if err := os.WriteFile(overlay, list, 0o600); err != nil {
		return nil, err
	}
	b := &bench{c: c, w: w, folder: folder, binary: filepath.Join(folder, "tests"), args: args}
	// Tests that build the program build it with the same mutants, by the flags of the environment.
	// What is said to the mutants of this very program is not for those that it makes.
	outer := slices.DeleteFunc(os.Environ(), func(v string) bool {
		return strings.HasPrefix(v, "MUTANT_AWAKE=") || strings.HasPrefix(v, "MUTANTS_SEEN=")
	})
	b.env = append(outer, "GOFLAGS="+strings.TrimSpace(os.Getenv("GOFLAGS")+" -overlay="+overlay), "CGO_ENABLED=0")
	for _, out := range [][]string{{"test", "-c", "-vet=off", "-o", b.binary, c.path}, {"build", "-o", filepath.Join(folder, "wendrik"), "wendrik/cmd/wendrik"}} {
		if out[0] == "build" && drives(c) == 0 {
			continue
		}
		build := exec.CommandContext(ctx, "go", out...)
		build.Dir, build.Env = c.dir, b.env
		if said, err := build.CombinedOutput(); err != nil {
			return nil, fmt.Errorf("%s with its mutants does not build: %s", c.path, said)
		}
	}
	b.env = append(b.env, "WENDRIK_TEST_PROGRAM="+filepath.Join(folder, "wendrik"))
	return b, nil
}

// drives is 1 for a package whose tests build the program and wait for it, and 0 for one that computes by itself.
func drives(c *code) int {
	if strings.HasSuffix(c.path, "/cli") {
		return 1
	}
	return 0
}

// run runs tests by name while one mutant is awake; none is where it is less than 0. It says what they printed, and
// whether they passed.
func (b *bench) run(ctx context.Context, names []string, awake int, seen string, within time.Duration) (string, bool) {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	for i, n := range names {
		names[i] = regexp.QuoteMeta(n)
	}
	args := append([]string{"-c", `ulimit -d 6000000; exec "$0" "$@"`, b.binary, "-test.run", "^(" + strings.Join(names, "|") + ")$", "-test.failfast"}, b.args...)
	c := exec.CommandContext(ctx, "sh", args...)
	c.Dir = b.c.dir
	c.Env = append(slices.Clone(b.env), "MUTANT_AWAKE="+strconv.Itoa(awake), "MUTANTS_SEEN="+seen, "GOTRACEBACK=none")
	endsWhole(c)
	c.WaitDelay = time.Second
	out, err := c.CombinedOutput()
	return string(out), err == nil
}

// listen runs each test by itself while all mutants sleep, and notes which it comes by.
func (b *bench) listen(ctx context.Context, workers int) error {
	list := exec.CommandContext(ctx, b.binary, "-test.list", ".")
	list.Dir, list.Env = b.c.dir, b.env
	out, err := list.Output()
	if err != nil {
		return fmt.Errorf("the tests of %s cannot be listed: %w", b.c.path, err)
	}
	var names []string
	for _, n := range strings.Fields(string(out)) {
		if strings.HasPrefix(n, "Test") {
			names = append(names, n)
		}
	}
	b.tests = make([]test, len(names))
	var mu sync.Mutex
	var wrong []error
	side(workers*(1+2*drives(b.c)), len(names), func(i int) { // who waits for another program leaves room for others
		t := test{name: names[i], seen: make([]bool, len(b.w.mutants))}
		seen := filepath.Join(b.folder, "seen-"+t.name)
		began := time.Now()
		said, passed := b.run(ctx, []string{t.name}, -1, seen, 10*time.Minute)
		t.takes = time.Since(began)
		raw, err := os.ReadFile(seen)
		if errors.Is(err, os.ErrNotExist) {
			err = nil
		}
		for n := range bytes.FieldsSeq(raw) {
			if k, isNumber := strconv.Atoi(string(n)); isNumber == nil && k < len(t.seen) {
				t.seen[k] = true
			} else {
				err = fmt.Errorf("%s has come by %q, which is none of %d mutants", t.name, n, len(t.seen))
			}
		}
		mu.Lock()
		defer mu.Unlock()
		b.tests[i] = t
		if !passed {
			wrong = append(wrong, fmt.Errorf("%s fails without any mutant: %s", t.name, said))
		}
		wrong = append(wrong, err)
	})
	slices.SortStableFunc(b.tests, func(x, y test) int { return int(x.takes - y.takes) })
	return errors.Join(wrong...)
}

// notice says by which test a mutant is noticed, or that it lives, or that no test comes by it.
func (b *bench) notice(ctx context.Context, n int) (by string, lives bool) {
	var quick, slow []string
	var takes time.Duration
	for _, t := range b.tests {
		if !t.seen[n] {
			continue
		}
		if takes += t.takes; takes < 2*time.Second || len(quick) == 0 {
			quick = append(quick, t.name)
		} else {
			slow = append(slow, t.name)
		}
	}
	if len(quick) == 0 {
		return "no test comes by it", true
	}
	for _, names := range [][]string{quick, slow} {
		if len(names) == 0 {
			continue
		}
		out, passed := b.run(ctx, slices.Clone(names), n, "", 4*takes+10*time.Second)
		if ctx.Err() != nil {
			return "", false
		}
		if !passed {
			if failed := regexp.MustCompile(`(?m)^\s*--- FAIL: (\S+)`).FindStringSubmatch(out); failed != nil {
				return failed[1], false
			}
			return strings.Join(names, ", ") + " (a crash, or no end)", false
		}
	}
	return fmt.Sprintf("%d tests come by it", len(quick)+len(slow)), true
}

// side calls do for each of n numbers, some at a time.
func side(workers, n int, do func(int)) {
	next := make(chan int)
	var all sync.WaitGroup
	for range workers {
		all.Go(func() {
			for i := range next {
				do(i)
			}
		})
	}
	for i := range n {
		next <- i
	}
	close(next)
	all.Wait()
}

// outcome is what became of one mutant.
type outcome struct {
	*mutant
	by    string
	lives bool
}

// score tries some mutants of a package.
func (c *code) score(ctx context.Context, all []*mutant, workers int, args []string, progress io.Writer) ([]outcome, error) {
	w, err := c.weave(all)
	if err != nil || len(w.mutants) == 0 {
		return nil, err
	}
	folder, err := os.MkdirTemp("", "mutants-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	b, err := c.build(ctx, w, folder, args)
	if err != nil {
		return nil, err
	}
	if err := b.listen(ctx, workers); err != nil {
		return nil, err
	}
	tried := make([]outcome, len(w.mutants))
	done := make([]bool, len(w.mutants))
	side(workers, len(w.mutants), func(i int) {
		if ctx.Err() != nil {
			return
		}
		by, lives := b.notice(ctx, i)
		tried[i], done[i] = outcome{w.mutants[i], by, lives}, ctx.Err() == nil
		fmt.Fprint(progress, map[bool]string{true: "!", false: "."}[lives])
	})
	fmt.Fprintln(progress)
	kept := tried[:0]
	for i, o := range tried {
		if done[i] {
			kept = append(kept, o)
		}
	}
	return kept, nil
}
