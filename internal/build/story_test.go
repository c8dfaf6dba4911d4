package build_test

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/stock"
	"wendrik/internal/golden"
)

// jobTold tells all of a job: in which phases what is done, after what, with which harm, and what is left.
func jobTold(j *build.Job) string {
	var b strings.Builder
	for i, p := range j.Phases() {
		fmt.Fprintf(&b, "phase %d: %s%s\n", i+1, p.What, map[bool]string{true: " (" + p.Why + ")"}[p.Why != ""])
		for n, a := range p.Acts {
			of := ""
			if a.Side != "" {
				of = " for " + a.Side + " of " + j.Owners.Of(a.Side)
			}
			props, _ := json.Marshal(a.Props)
			fmt.Fprintf(&b, "  %d %s %s %s%s of %s after %v\n", n, a.Verb, a.Thing.Key(), props, of, j.Owners.Of(a.Thing.Key()), a.After)
		}
		for _, d := range p.Cuts {
			b.WriteString("  cuts " + strings.Join(strings.Fields(golden.Tell(d)), " ") + "\n")
		}
		for _, d := range p.Opens {
			b.WriteString("  opens " + strings.Join(strings.Fields(golden.Tell(d)), " ") + "\n")
		}
	}
	for _, name := range j.Theirs {
		b.WriteString("for others to make: " + name + "\n")
	}
	for _, i := range j.Left {
		b.WriteString("made by hand, and left: " + i.Key() + "\n")
	}
	fmt.Fprintf(&b, "%d calls, empty %v, harmful %v %s\n", j.Calls(), j.Empty(), j.Order.Harmful(), j.Order.Unproved)
	return b.String()
}

// TestStories builds plans that change, at clouds that fail, and tells all that is meant, done and left; lines of a story are:
//
//	plan NAME, edit OLD => NEW, with FAULTS, build [hand] [take], undo, drift, adopt [NAME], none, things
//	behind KEY PROPS, gone KEY, theirs KIND NAME PROPS, accept KEY
func TestStories(t *testing.T) {
	golden.File(t, "stories.txt", func(t *testing.T, asked string) string {
		file := filepath.Join(t.TempDir(), "cloud.db")
		var b strings.Builder
		content, faults, run := "", "", 0
		var p *place
		ctx := context.Background()
		head := func() stock.Head { return stock.HeadOf(load(t, content)) }
		restart := func() {
			if p != nil {
				p.close()
			}
			p = at(t, file, head(), faults, 0)
		}
		want := func() []stock.Thing { return stock.Of(load(t, content)) }
		there := func() *build.There {
			x, err := build.Look(ctx, p.driver, head(), want())
			require.NoError(t, err)
			return x
		}
		do := func(job *build.Job, note string) {
			b.WriteString(jobTold(job))
			report := func(e build.Event) {
				switch {
				case e.Act == nil:
					fmt.Fprintf(&b, "%d/%d begins %s\n", e.Done, e.Total, e.What)
				case e.Err != nil:
					fmt.Fprintf(&b, "%d/%d not done %s %s: %s %v\n", e.Done, e.Total, e.Act.Verb, e.Act.Thing.Key(), cloud.ReasonOf(e.Err), e.Err)
				default:
					fmt.Fprintf(&b, "%d/%d done %s %s %s waits %v\n", e.Done, e.Total, e.Act.Verb, e.Act.Thing.Key(), e.ID, e.Waits)
				}
			}
			out, err := job.Do(ctx, p.driver, build.Options{Estate: head().Estate, Note: note, Patience: time.Second, Report: report})
			require.NoError(t, err)
			for _, u := range out.Undone {
				fmt.Fprintf(&b, "undone %s %s\n", u.Act.Verb, u.Act.Thing.Key())
			}
			for _, a := range out.Later {
				fmt.Fprintf(&b, "later %s %s\n", a.Verb, a.Thing.Key())
			}
			fmt.Fprintf(&b, "%d of %d done, waiting %v\n", out.Done, out.Total, out.Waiting)
		}
		for line := range strings.Lines(asked + "\n") {
			line = strings.TrimSpace(line)
			b.WriteString("> " + line + "\n")
			words := strings.Fields(line)
			rest := strings.TrimSpace(strings.TrimPrefix(line, words[0]))
			switch words[0] {
			case "plan":
				content = small
				if code, of := strings.CutPrefix(rest, "example "); of {
					content = "wendrik: 1\n" + check.Examples[diag.Code(code)].Breaks + "\n"
				} else if code, of := strings.CutPrefix(rest, "instead "); of {
					content = "wendrik: 1\n" + check.Examples[diag.Code(code)].Keeps + "\n"
					continue
				} else if rest != "small" {
					content = estatetest.Plan(t, rest)
				}
				restart()
			case "none":
				content = "wendrik: 1\nregions: {west: [west-a, west-b]}\n"
			case "edit":
				old, new, _ := strings.Cut(rest, " => ")
				require.Equal(t, 1, strings.Count(content, old), old)
				content = strings.Replace(content, old, strings.TrimSpace(new), 1)
			case "with":
				faults = rest
				restart()
			case "build":
				run++
				job, err := build.Prepare(ctx, p.driver, head(), want(), build.Leave{Hand: slices.Contains(words, "hand"), Take: slices.Contains(words, "take")}, nil)
				if err != nil {
					b.WriteString("error: " + err.Error() + "\n")
					continue
				}
				do(job, build.Note(head().Estate, fmt.Sprint("run", run)))
			case "undo":
				x := there()
				before, name, err := build.Before(ctx, p.driver, x, head().Estate)
				require.NoError(t, err)
				b.WriteString("takes back " + name + "\n")
				if name == "" {
					continue
				}
				job, err := build.Prepared(x, head(), before, build.Leave{Hand: true}, nil)
				require.NoError(t, err)
				do(job, build.Undo(head().Estate, name))
			case "drift":
				d, err := build.Drifts(ctx, p.driver, load(t, content), head(), "")
				require.NoError(t, err)
				for _, x := range d.Things {
					props, _ := json.Marshal(x.Props)
					fmt.Fprintf(&b, "%s: %s by %s %v, by hand %v, unbuilt %v, %s %s\n", x.Key(), props, x.By, x.At != "", x.ByHand, x.Unbuilt, x.State, x.Trouble)
				}
				fmt.Fprintf(&b, "anew %v, left %d\n", d.Anew, len(d.Left))
				for line := range strings.Lines(d.Estate.Plan.Files.First().Text) {
					if !strings.Contains(content, line) {
						b.WriteString("  + " + line)
					}
				}
			case "adopt":
				x, text, err := build.Adopt(ctx, p.driver, rest, nil)
				if err != nil {
					b.WriteString("error: " + err.Error() + "\n")
					continue
				}
				fmt.Fprintf(&b, "%d things, %d of others, %d born\n%s", len(x.Items), x.Others, len(x.Born), text)
			case "things":
				x := there()
				for _, i := range x.Items {
					raw, _ := json.Marshal(i.At.Labels)
					fmt.Fprintf(&b, "%s %s %s %s by hand %v\n", i.Key(), i.At.ID, i.At.State, raw, i.ByHand)
				}
				fmt.Fprintf(&b, "%d of others, %d born\n", x.Others, len(x.Born))
			case "behind":
				props := map[string]any{}
				require.NoError(t, json.Unmarshal([]byte(strings.Join(words[2:], " ")), &props))
				_, err := p.driver.Change(ctx, &cloud.Alteration{ID: there().Item(words[1]).At.ID, Props: props, Note: "by hand"})
				require.NoError(t, err)
			case "gone":
				require.NoError(t, p.driver.Remove(ctx, there().Item(strings.ReplaceAll(rest, "%", " ")).At.ID, "by hand"))
			case "theirs", "ours":
				o := &cloud.Order{Kind: stock.Kind(words[1]), Name: words[2]}
				text := strings.Join(words[3:], " ")
				if words[0] == "ours" {
					for _, i := range there().Items {
						text = strings.ReplaceAll(text, "@"+i.Key()+"@", i.At.ID)
					}
				}
				require.NoError(t, json.Unmarshal([]byte(text), &o.Props))
				d := p.driver
				if words[0] == "theirs" {
					d = client.New(p.url, []client.Key{{Name: "gull-rail", Secret: "key-of-gull-rail"}})
				}
				_, err := d.Make(ctx, o)
				require.NoError(t, err)
			case "accept":
				d := client.New(p.url, []client.Key{{Name: "gull-rail", Secret: "key-of-gull-rail"}})
				all, err := cloud.All(ctx, d)
				require.NoError(t, err)
				for _, x := range all {
					for _, side := range all {
						if strings.HasPrefix(rest, string(x.Kind)+":"+x.Name) && side.Owner == "gull-rail" && !side.Foreign && side.Kind == stock.Network {
							_, err := d.Accept(ctx, x.ID, side.ID, "")
							fmt.Fprintf(&b, "accepted %s for %s: %v\n", x.Name, side.Name, err)
						}
					}
				}
			default:
				require.Fail(t, line)
			}
		}
		p.close()
		return regexp.MustCompile(`\b[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}\b`).ReplaceAllString(b.String(), "ID")
	})
}
