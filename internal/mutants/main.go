// Mutants breaks packages in small ways, as a hurried colleague would, and says which of them no test of the package notices.
//
//	go run ./internal/mutants ./internal/core/carve            # 60 of its mutants, and those that live
//	go run ./internal/mutants -n 0 ./internal/core/flow        # all of them
//	go run ./internal/mutants -page docs/mutants.md ./...      # the scores of all packages, into the page
//	go run ./internal/mutants -sample 60 -within 170s ./...    # as CI does: 60 in all, first of what the last commit changed
//
// A mutant that changes nothing that could be noticed stands in harmless.txt, with the reason.
package main

import (
	"cmp"
	"context"
	_ "embed"
	"flag"
	"fmt"
	"hash/fnv"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"
)

//go:embed harmless.txt
var harmlessText string

func main() {
	n := flag.Int("n", 60, "mutants of each package; 0 is all of them")
	seed := flag.String("seed", "", "what the choice of mutants follows from; the commit where it is not given")
	sample := flag.Int("sample", 0, "try that many in all, half of them in lines that the last commit changed, and fail where one of those lives")
	within := flag.Duration("within", 0, "end after that time, with what has been tried until then")
	page := flag.String("page", "", "a page of docs whose table of scores is brought up to date")
	in := flag.String("in", "", "only the mutants whose place, file or text matches this pattern")
	show := flag.Bool("v", false, "say of each mutant which test noticed it")
	workers := flag.Int("workers", runtime.NumCPU(), "how many are tried at a time")
	tests := flag.String("args", "", "flags for the tests, such as -test.short")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if *within > 0 {
		var cancel func()
		ctx, cancel = context.WithTimeout(ctx, *within)
		defer cancel()
	}
	r := run{n: *n, seed: cmp.Or(*seed, revision("HEAD")), show: *show, workers: *workers, args: strings.Fields(*tests), page: *page, out: os.Stdout}
	var err error
	if r.in, err = regexp.Compile(*in); err == nil {
		if *sample > 0 {
			err = r.sample(ctx, *sample, flag.Args())
		} else {
			err = r.each(ctx, flag.Args())
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "mutants:", err)
		os.Exit(1)
	}
}

// run is what was asked for.
type run struct {
	n       int
	seed    string
	in      *regexp.Regexp
	show    bool
	workers int
	args    []string
	page    string
	out     io.Writer
}

// harmless are the mutants that change nothing, with the reasons: lines of a package, a mutant's key and a reason.
func harmless() map[[2]string]string {
	found := map[[2]string]string{}
	for line := range strings.Lines(harmlessText) {
		if part := strings.Split(strings.TrimRight(line, "\n"), " | "); len(part) == 3 && !strings.HasPrefix(line, "#") {
			found[[2]string{part[0], part[1]}] = part[2]
		}
	}
	return found
}

// short is the path of the package below the module's folder of its own code.
func (c *code) short() string {
	_, after, _ := strings.Cut(c.path, "/")
	return strings.TrimPrefix(after, "internal/")
}

// choose gives n mutants of a package at random, as many of each kind as there are, and none that changes nothing.
func (r *run) choose(c *code, all []*mutant, n int) []*mutant {
	same := harmless()
	kinds := map[string][]*mutant{}
	for _, m := range all {
		if same[[2]string{c.short(), m.key()}] == "" && r.in.MatchString(filepath.Base(m.file.name)+" "+m.key()) {
			kinds[m.kind] = append(kinds[m.kind], m)
		}
	}
	h := fnv.New64a()
	fmt.Fprint(h, r.seed, c.path)
	random := rand.New(rand.NewPCG(h.Sum64(), 1))
	var names []string
	for kind, list := range kinds {
		names = append(names, kind)
		slices.SortFunc(list, func(a, b *mutant) int { return cmp.Compare(a.key(), b.key()) })
	}
	slices.Sort(names)
	for _, kind := range names {
		random.Shuffle(len(kinds[kind]), func(i, j int) {
			kinds[kind][i], kinds[kind][j] = kinds[kind][j], kinds[kind][i]
		})
	}
	var chosen []*mutant
	for more := true; more; {
		more = false
		for _, kind := range names {
			if list := kinds[kind]; len(list) > 0 && (n == 0 || len(chosen) < n) {
				chosen, kinds[kind], more = append(chosen, list[0]), list[1:], true
			}
		}
	}
	return chosen
}

// try tries mutants of a package, says which live, and gives all that were tried.
func (r *run) try(ctx context.Context, c *code, chosen []*mutant) ([]outcome, error) {
	tried, err := c.score(ctx, chosen, r.workers, r.args, os.Stderr)
	if err != nil {
		return nil, err
	}
	noticed := 0
	for _, o := range tried {
		if !o.lives {
			noticed++
		}
	}
	fmt.Fprintf(r.out, "%s: %d of %d noticed (%s)\n", c.short(), noticed, len(tried), percent(noticed, len(tried)))
	for _, o := range tried {
		if o.lives || r.show {
			fmt.Fprintf(r.out, "  %s %s:%d  %s  [%s; %s]\n", map[bool]string{true: "lives", false: "     "}[o.lives], filepath.Base(o.file.name), o.line, o.key(), o.kind, o.by)
		}
	}
	return tried, nil
}

func percent(part, all int) string {
	if all == 0 {
		return "none"
	}
	return strconv.Itoa(100*part/all) + " %"
}

// each tries mutants of each package.
func (r *run) each(ctx context.Context, patterns []string) error {
	packages, err := load(patterns)
	if err != nil {
		return err
	}
	for _, c := range packages {
		all := c.mutants()
		n := r.n
		if n > 0 {
			n += n / 3 // some will not compile
		}
		chosen := r.choose(c, all, n)
		w, err := c.weave(chosen)
		if err != nil {
			return err
		}
		chosen = w.mutants
		if r.n > 0 {
			chosen = chosen[:min(r.n, len(chosen))]
		}
		tried, err := r.try(ctx, c, chosen)
		if err != nil {
			return err
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if r.page != "" {
			if err := r.write(c, all, tried); err != nil {
				return err
			}
		}
	}
	return nil
}

// sample tries n mutants in all: half of them in lines that the last commit changed, the others anywhere.
func (r *run) sample(ctx context.Context, n int, patterns []string) error {
	packages, err := load(patterns)
	if err != nil {
		return err
	}
	changed, err := changes()
	if err != nil {
		fmt.Fprintln(r.out, "what the last commit changed is not known:", err)
	}
	h := fnv.New64a()
	fmt.Fprint(h, r.seed)
	random := rand.New(rand.NewPCG(h.Sum64(), 2))
	random.Shuffle(len(packages), func(i, j int) { packages[i], packages[j] = packages[j], packages[i] })
	// Its tests take as long as those of all others: it comes last, and takes the time that is left.
	slices.SortStableFunc(packages, func(a, b *code) int { return cmp.Compare(drives(a), drives(b)) })
	var all tally
	for _, fresh := range []bool{true, false} {
		for _, c := range packages {
			var of []*mutant
			for _, m := range c.mutants() {
				if !fresh || changed.has(m) {
					of = append(of, m)
				}
			}
			left := n - all.tried
			if fresh {
				left -= n / 2
			}
			const each = 10 // of a package, since each costs a build
			chosen := r.choose(c, of, min(each, max(left, 0))+1)
			if len(chosen) == 0 || left <= 0 {
				continue
			}
			var tried []outcome
			if ctx.Err() == nil {
				if tried, err = r.try(ctx, c, chosen); err != nil && ctx.Err() == nil {
					return err
				}
			}
			all.add(c, chosen, tried, fresh)
		}
	}
	return all.end(r.out)
}

// tally is what a sample came to.
type tally struct {
	tried, noticed int
	fresh          int      // of those tried, how many are in what the last commit changed
	living         []string // of these, those that no test noticed
	late           []string // packages that the last commit changed, for none of whose mutants there was time
}

// add counts what was tried of those chosen in a package.
func (t *tally) add(c *code, chosen []*mutant, tried []outcome, fresh bool) {
	t.tried += len(tried)
	for _, o := range tried {
		if !o.lives {
			t.noticed++
		} else if fresh {
			t.living = append(t.living, fmt.Sprintf("%s:%d %s", o.file.name, o.line, o.key()))
		}
	}
	if fresh {
		t.fresh += len(tried)
		if len(chosen) > 0 && len(tried) == 0 {
			t.late = append(t.late, c.short())
		}
	}
}

// end says what the sample came to. That nothing was tried is no success, and it is none that what the last commit
// changed was not.
func (t *tally) end(out io.Writer) error {
	fmt.Fprintf(out, "%d of %d noticed in all\n", t.noticed, t.tried)
	if len(t.late) > 0 {
		fmt.Fprintf(out, "no time was left to try what the last commit changed in: %s\n", strings.Join(t.late, ", "))
	}
	switch {
	case len(t.living) > 0:
		return fmt.Errorf("no test notices these mistakes in what the last commit changed:\n  %s", strings.Join(t.living, "\n  "))
	case t.tried == 0:
		return fmt.Errorf("none was tried: there was no time, or there is none")
	case t.fresh == 0 && len(t.late) > 0:
		return fmt.Errorf("nothing of what the last commit changed was tried: it takes more time (-within)")
	}
	return nil
}

// lines are those that a commit changed, by the names of files.
type lines map[string]map[int]bool

func (l lines) has(m *mutant) bool { return l[m.file.name][m.line] }

// changes gives the lines of the last commit.
func changes() (lines, error) {
	top, err := exec.Command("git", "rev-parse", "--show-toplevel").Output()
	if err != nil {
		return nil, fmt.Errorf("this is no checkout of git")
	}
	out, err := exec.Command("git", "diff", "--unified=0", "--no-ext-diff", "--find-renames", "HEAD~1", "HEAD", "--", "*.go").Output()
	if err != nil {
		return nil, fmt.Errorf("there is no commit before it")
	}
	return hunks(strings.TrimSpace(string(top)), string(out)), nil
}

// hunks reads the lines that a difference without context adds.
func hunks(top, difference string) lines {
	found := lines{}
	name := ""
	hunk := regexp.MustCompile(`^@@ -\S+ \+(\d+)(?:,(\d+))? @@`)
	for line := range strings.Lines(difference) {
		if after, is := strings.CutPrefix(line, "+++ b/"); is {
			name = filepath.Join(top, strings.TrimSpace(after))
			found[name] = map[int]bool{}
		} else if h := hunk.FindStringSubmatch(line); h != nil {
			from, _ := strconv.Atoi(h[1])
			count := 1
			if h[2] != "" {
				count, _ = strconv.Atoi(h[2])
			}
			for i := range count {
				found[name][from+i] = true
			}
		}
	}
	return found
}

func revision(name string) string {
	out, err := exec.Command("git", "rev-parse", name).Output()
	if err != nil {
		return "none"
	}
	return strings.TrimSpace(string(out))
}

// write puts the score of a package into its row of the page.
func (r *run) write(c *code, all []*mutant, tried []outcome) error {
	raw, err := os.ReadFile(r.page)
	if err != nil {
		return err
	}
	noticed := 0
	for _, o := range tried {
		if !o.lives {
			noticed++
		}
	}
	none := 0
	for key := range harmless() {
		if key[0] == c.short() {
			none++
		}
	}
	row := fmt.Sprintf("| `%s` | %d | %d | %d | %s | %d | %s |", c.short(), len(all), len(tried), noticed, percent(noticed, len(tried)), none, time.Now().Format(time.DateOnly))
	rows := strings.Split(string(raw), "\n")
	at := slices.IndexFunc(rows, func(s string) bool { return strings.HasPrefix(s, "| `"+c.short()+"` |") })
	if at < 0 {
		at = slices.IndexFunc(rows, func(s string) bool { return strings.HasPrefix(s, "|---") }) + 1
		for at < len(rows) && strings.HasPrefix(rows[at], "| ") && rows[at] < row {
			at++
		}
		rows = slices.Insert(rows, at, row)
	}
	rows[at] = row
	return os.WriteFile(r.page, []byte(strings.Join(rows, "\n")), 0o644)
}
