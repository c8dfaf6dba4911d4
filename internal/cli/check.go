package cli

import (
	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/text"
)

func checkCommand() *command {
	return &command{
		name:  "check",
		short: "all that is wrong or doubtful, and every line of expect",
		long: "Check runs every rule on the plan: ranges and overlaps, route tables and gateways, peerings, security groups and access lists; and it holds each line of expect against the walk of packets. " +
			"A line holds when it is true of every pair that it speaks of; where it is not, the first pair that is otherwise is named, with the reason. " +
			"-format junit is for build servers that read JUnit XML, and -format sarif is SARIF 2.1.0 (OASIS). -rules lists the rules. " +
			"The exit status is 1 when there is any finding, or with -only those of one kind.",
		examples: []example{
			{"wendrik check", "everything"},
			{"wendrik check -only expect", "the expectations alone"},
			{"wendrik check -only errors -format junit", "what a build server should stop at"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md", "junit", "sarif")
			only := f.oneOf("only", "which findings count", "all", "errors", "expect")
			rules := f.Bool("rules", false, "list the rules, and do nothing else")
			f.apart("rules", "only")
			f.apart("rules", "plan")
			return func(c *call) (int, error) {
				if err := c.noArguments("check", "wendrik check -plan FILE"); err != nil {
					return cannot, err
				}
				if *rules {
					return good, c.rules(*format)
				}
				e, err := c.load(*name)
				if err != nil {
					return cannot, err
				}
				r := c.checked(e, *only)
				status := good
				if len(r.findings) > 0 {
					status = no
				}
				return status, c.writeChecked(r, *format)
			}
		},
	}
}

// checked is what check found.
type checked struct {
	src      *text.Files
	findings []diag.Finding // those of the rules, then those of expectations
	expected []expect.Result
	ruled    bool // whether the rules were run
}

// checked runs the rules and the expectations.
func (c *call) checked(e *estate.Estate, only string) *checked {
	r := &checked{src: e.Plan.Files, ruled: only != "expect"}
	if r.ruled {
		for _, f := range check.Run(e) {
			if only == "all" || f.Severity == diag.Error {
				r.findings = append(r.findings, f)
			}
		}
	}
	meter := c.meter("holding the plan against its expectations", 0, progress.UnitsDefault)
	r.expected = expect.Run(e, meter.step)
	meter.end()
	for _, x := range r.expected {
		if f, is := x.Finding(); is && (only != "errors" || f.Severity == diag.Error) {
			if more := lookCloser(x); more != "" {
				f.Fixes = diag.Advise(more)
			}
			r.findings = append(r.findings, f)
		}
	}
	return r
}

func (r *checked) count(s diag.Severity) int {
	n := 0
	for _, f := range r.findings {
		if f.Severity == s {
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
