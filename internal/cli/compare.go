package cli

import (
	"fmt"
	"strings"
	"time"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
	"wendrik/internal/inlet"
)

func compareCommand() *command {
	return &command{
		name: "compare", args: "OLD [NEW]",
		short: "what a change of a plan does: what opens and closes, and by which part of it",
		long: "Compare takes two versions of a plan, files or folders, or with -since one of them from the git repository that the plan lies in. It says what the change is made of, in the plan's words; " +
			"what opens and what closes, exactly, for every pair of workloads and from and to sites and the internet, each with the part of the change that does it; whom the internet sees otherwise; " +
			"which lines of expect hold no longer, or hold now; and which findings of check are new, or gone. A thing that is called otherwise and alike in all else is renamed. " +
			"What a line of expect, or one of the file of -allow, says that it reaches may open, and what one says that it never reaches may close; the exit status is 1 when anything else opens or closes.",
		examples: []example{
			{"wendrik compare wendrik.yaml planned.yaml", "what a change moves, opens and closes"},
			{"wendrik compare wendrik.yaml planned.yaml -format md", "for a review's comment"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "md", "junit", "sarif")
			since := f.String("since", "", "`REVISION` of the git repository that the plan lies in, in the place of OLD")
			allow := f.String("allow", "", "`FILE` with a line for each thing that may open or close, such as  internet reaches shop on tcp/443,  or  quay never reaches shop")
			return func(c *call) (int, error) {
				old := ""
				switch {
				case *since != "" && len(c.args) > 1, *since == "" && (len(c.args) == 0 || len(c.args) > 2):
					return cannot, &usageError{fmt.Sprintf("compare takes OLD and perhaps NEW, not %d names", len(c.args)), "wendrik compare OLD NEW,  or  wendrik compare -since HEAD"}
				case *since != "":
					if len(c.args) == 1 {
						*name = c.args[0]
					}
				default:
					old = c.args[0]
					if len(c.args) == 2 {
						*name = c.args[1]
					}
				}
				lines, err := c.allowed(*allow)
				if err != nil {
					return cannot, err
				}
				var before *opened
				if *since != "" {
					before, err = c.openSince(*since, *name)
				} else {
					before, err = c.open(old)
				}
				if err == nil {
					err = c.whole(before)
				}
				if err != nil {
					return cannot, err
				}
				after, err := c.openWhole(*name)
				if err != nil {
					return cannot, err
				}
				r := compare.Of(before.Estate, after.Estate, lines, time.Now())
				v := &versions{call: c, before: before, after: after, Result: r}
				status := good
				if opens, closes := r.Unallowed(); len(opens)+len(closes) > 0 {
					status = no
				}
				switch *format {
				case "json":
					return status, c.json(v.asJSON())
				case "md":
					v.markdown()
				case "junit":
					return status, v.junit()
				case "sarif":
					return status, v.sarif()
				default:
					v.text()
				}
				return status, nil
			}
		},
	}
}

// openWhole opens a plan of which no part may lack.
func (s *screen) openWhole(name string) (*opened, error) {
	o, err := s.open(name)
	if err != nil {
		return nil, err
	}
	return o, s.whole(o)
}

// whole tells the problems of a plan, of which no part may lack where two are compared.
func (s *screen) whole(o *opened) error {
	if len(o.Problems) == 0 {
		return nil
	}
	s.tellProblems(o, "nothing was compared")
	return errSaid
}

// allowed reads what may open or close: a line for each, in the words of expect. Empty lines and those that begin with # are passed over.
func (c *call) allowed(name string) ([]plan.Expectation, error) {
	if name == "" {
		return nil, nil
	}
	raw, err := inlet.Read(name, text.MaxSize)
	if err != nil {
		return nil, unreadable(name, "list", err)
	}
	var all []plan.Expectation
	for i, line := range strings.Split(string(raw), "\n") {
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		x, err := plan.ParseExpectation(line)
		if err == nil && x.LeavesAs != "" {
			err = wrong.Value("write  A reaches B on tcp/443,  or  A never reaches B", "%q says nothing that may open or close", line)
		}
		if err != nil {
			return nil, &usageError{fmt.Sprintf("%s:%d: %s", name, i+1, err), wrong.Right(err)}
		}
		all = append(all, x)
	}
	return all, nil
}

// versions is a comparison that is shown.
type versions struct {
	*call
	*compare.Result
	before, after *opened
}
