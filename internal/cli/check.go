package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/mend"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
)

func checkCommand() *command {
	return &command{
		name:  "check",
		short: "all that is wrong or doubtful, and every line of expect",
		long: "Check runs every rule on the plan: ranges and overlaps, route tables and gateways, peerings, security groups and access lists; and it holds each line of expect against the walk of packets. " +
			"A line holds when it is true of every pair that it speaks of; where it is not, the first pair that is otherwise is named, with the reason. " +
			"-format junit is for build servers that read JUnit XML, and -format sarif is SARIF 2.1.0 (OASIS). -fix shows the fixes as a difference, with what they open and close, and which need a choice. -rules lists the rules, and waive in the plan says what is meant (-waived lists that). " +
			"Problems of the text itself come first; what could be read is judged beside them, and the exit status is then 2. " +
			"Else it is 1 when there is any finding, or with -only those of one kind.",
		examples: []example{
			{"wendrik check", "everything"},
			{"wendrik check -only expect", "the expectations alone"},
			{"wendrik check -only errors -format junit", "what a build server should stop at"},
			{"wendrik check -fix", "the fixes that can be written, as a difference; -write makes them"},
			{"wendrik check -fix -only idle-site -choose idle-site=remove", "those of one rule, with a choice made"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md", "junit", "sarif")
			at := f.standing()
			only := f.String("only", "all", "`WHICH` findings count: all, errors, expect, or codes of rules with commas")
			rules := f.Bool("rules", false, "list the rules, and do nothing else")
			waived := f.Bool("waived", false, "list what the plan waives, too, with the reasons")
			fix := f.Bool("fix", false, "show the fixes that can be written as a difference, and what they open and close")
			write := f.Bool("write", false, "with -fix: make them")
			breaks := f.breaksFlag()
			var choices []mend.Choice
			f.Func("choose", "with -fix: `CODE=WORD` or CODE@PLACE=WORD, where a fix needs a choice; may stand several times", func(s string) error {
				c, ok := mend.ParseChoice(s)
				if !ok {
					return errors.New("write CODE=WORD or CODE@PLACE=WORD")
				}
				choices = append(choices, c)
				return nil
			})
			f.onlyWith("write", "fix")
			f.apart("at", "write")
			f.onlyWith("choose", "fix")
			f.apart("rules", "only")
			f.apart("rules", "fix")
			f.apart("rules", "plan")
			return func(c *call) (int, error) {
				c.ask(at)
				if err := c.noArguments("check", "wendrik check -plan FILE"); err != nil {
					return cannot, err
				}
				if *rules {
					return good, c.rules(*format)
				}
				if err := knownOnly(*only); err != nil {
					return cannot, err
				}
				if *fix && *format != "text" && *format != "json" {
					return cannot, &usageError{"-fix writes text or json", "wendrik check -fix -format json"}
				}
				o, err := c.open(*name)
				if report := *format == "junit" || *format == "sarif"; err != nil && report {
					o = unopened(*name, err) // a build server always gets a report
				} else if err != nil {
					return cannot, err
				}
				c.tellWaits(o, verdict.Needed)
				r := c.checked(o, *only)
				r.listWaived = *waived
				status := good
				switch {
				case len(r.problems) > 0:
					status = cannot
					c.tellProblems(o, map[bool]string{true: "nothing was done", false: "what could be read was judged"}[o.unread()])
				case len(r.findings) > 0:
					status = no
				}
				if o.unread() && *format == "text" {
					return cannot, nil
				}
				if *fix && status != cannot {
					return c.fixed(o, r, mend.Of(o.Estate, r.findings, choices, time.Now()), *format, *write, *breaks)
				}
				return status, c.writeChecked(r, *format)
			}
		},
	}
}

// counted reports whether a finding is of those that count.
func counted(only string, f diag.Finding) bool {
	switch only {
	case "all":
		return true
	case "errors":
		return f.Severity == diag.Error
	case "expect":
		return f.Code == expect.Broken || verdict.Topic(f.Code) == check.Expect
	}
	return slices.Contains(strings.Split(only, ","), string(f.Code))
}

// knownOnly is the mistake of asking for findings of a rule that there is not.
func knownOnly(only string) error {
	if slices.Contains([]string{"all", "errors", "expect"}, only) {
		return nil
	}
	known := []string{"all", "errors", "expect", string(expect.Broken)}
	for _, r := range check.Rules {
		known = append(known, string(r.Code))
	}
	for code := range strings.SplitSeq(only, ",") {
		if !slices.Contains(known[3:], code) {
			right := "it takes all, errors, expect, or codes that  wendrik check -rules  lists"
			if near := diag.Nearest(code, known); near != "" {
				right = "did you mean " + near + "?"
			}
			return &usageError{fmt.Sprintf("there is no rule %q", phrase.Clip(code)), right}
		}
	}
	return nil
}

// unopened is a plan that could not even be opened, with the reason as its problem.
func unopened(name string, err error) *opened {
	files := text.One(name, "")
	f := diag.Finding{Code: "no-plan", Message: err.Error()}
	if usage, is := errors.AsType[*usageError](err); is {
		f.Fixes = diag.Advise(usage.fix)
	}
	return &opened{&estate.Estate{Plan: &plan.Plan{Files: files, Unread: true}, Problems: []diag.Finding{f}}, name}
}

// checked is all that check found.
type checked struct {
	src      *text.Files
	problems []diag.Finding // of the text
	waits    []diag.Finding // what is not yet given
	findings []diag.Finding // those of the rules, then those of expectations
	waived   []check.Waived
	expected []expect.Result
	tried    bool // whether the rules were run, and the expectations held against what can be read
	samePlan string

	listWaived bool // whether the text lists them
}

// checked runs the rules on what can be read of a plan, and holds it against its expectations when all of it can.
func (c *call) checked(o *opened, only string) *checked {
	r := &checked{src: o.Plan.Files, problems: o.Problems, waits: o.Waits, tried: !o.unread(), samePlan: c.samePlan()}
	if !r.tried {
		return r
	}
	meter := c.meter("holding the plan against its expectations", 0, progress.UnitsDefault)
	v := verdict.Of(o.Estate, time.Now(), meter.step, nil)
	meter.end()
	r.expected = v.Expected
	for _, f := range v.Findings {
		if counted(only, f) {
			r.findings = append(r.findings, f)
		}
	}
	for _, w := range v.Waived {
		if counted(only, w.Finding) {
			r.waived = append(r.waived, w)
		}
	}
	for _, x := range r.expected {
		if f, is := x.Finding(); is && counted(only, f) {
			if more := lookCloser(x, r.samePlan); more != "" {
				f.Fixes = diag.Advise(more)
			}
			r.findings = append(r.findings, f)
		}
	}
	return r
}

// all are the problems of the text, and then what was found.
func (r *checked) all() []diag.Finding { return slices.Concat(r.problems, r.findings) }

func (r *checked) count(s diag.Severity) int {
	n := 0
	for _, f := range r.findings {
		if f.Severity == s {
			n++
		}
	}
	return n
}

// waiting counts the expectations that cannot be tried yet.
func (r *checked) waiting() int {
	n := 0
	for _, x := range r.expected {
		if x.Waits || x.Doubted {
			n++
		}
	}
	return n
}

// holding counts the expectations that hold.
func (r *checked) holding() int {
	n := 0
	for _, x := range r.expected {
		if x.Holds {
			n++
		}
	}
	return n
}
