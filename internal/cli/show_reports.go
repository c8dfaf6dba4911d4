package cli

import (
	"encoding/json"
	"fmt"

	"github.com/jstemmer/go-junit-report/v2/junit"
	"github.com/owenrumney/go-sarif/v3/pkg/report/v210/sarif"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
)

// This file writes what check found in the forms that build servers and code reviews read.

// junit writes a test suite of the rules, each a test that fails when it finds something, and one of the expectations.
func (c *call) junit(r *checked) error {
	all := junit.Testsuites{Name: "wendrik check"}
	rules := junit.Testsuite{Name: "rules", Time: "0", File: r.src.First().Name}
	if r.ruled {
		for _, rule := range check.Rules {
			one := junit.Testcase{Name: string(rule.Code), Classname: "wendrik." + string(rule.Topic)}
			first, more := "", ""
			for _, f := range r.findings {
				if f.Code != rule.Code {
					continue
				}
				if first == "" {
					first = f.Message
				}
				more += fmt.Sprintf("%s: %s: %s\n  %s\n", r.src.Where(f.At), f.Severity, clean(f.Message), clean(f.Fix()))
			}
			if first != "" {
				one.Failure = &junit.Result{Message: clean(first), Type: string(rule.Code), Data: more}
			}
			rules.AddTestcase(one)
		}
		all.AddSuite(rules)
	}
	expected := junit.Testsuite{Name: "expect", ID: 1, Time: "0", File: r.src.First().Name}
	for _, x := range r.expected {
		one := junit.Testcase{Name: clean(x.Text), Classname: "wendrik.expect"}
		if f, is := x.Finding(); is && !x.Holds {
			one.Failure = &junit.Result{Message: clean(x.Why), Type: string(f.Code), Data: fmt.Sprintf("%s: %s\n  %s\n", r.src.Where(x.At), clean(x.Why), clean(fixOf(x)))}
		}
		expected.AddTestcase(one)
	}
	all.AddSuite(expected)
	return all.WriteXML(c.out)
}

// sarif writes a SARIF 2.1.0 log (OASIS) of one run.
func (c *call) sarif(r *checked) error {
	run := sarif.NewRunWithInformationURI("wendrik", "")
	run.Tool.Driver.InformationURI = nil
	for _, rule := range check.Rules {
		run.AddRule(string(rule.Code)).WithShortDescription(sarif.NewMultiformatMessageString().WithText(rule.Doc))
	}
	run.AddRule("expectation").WithShortDescription(sarif.NewMultiformatMessageString().WithText("A line of expect that is not so."))
	for _, f := range r.findings {
		level := sarif.LevelError
		if f.Severity == diag.Warning {
			level = sarif.LevelWarning
		}
		message := f.Message + "."
		if fix := f.Fix(); fix != "" {
			message += " Fix: " + fix + "."
		}
		result := run.CreateResultForRule(string(f.Code)).WithLevel(level).WithMessage(sarif.NewTextMessage(clean(message)))
		place := sarif.NewPhysicalLocation().WithArtifactLocation(sarif.NewSimpleArtifactLocation(r.src.First().Name))
		if f.At.Known() {
			place.WithRegion(sarif.NewRegion().WithStartLine(f.At.Line()).WithStartColumn(f.At.Column()))
		}
		at := sarif.NewLocationWithPhysicalLocation(place)
		if f.Place != nil {
			at.AddLogicalLocation(sarif.NewLogicalLocation().WithFullyQualifiedName(f.Place.String()))
		}
		result.AddLocation(at)
	}
	log := sarif.NewReport()
	log.AddRun(run)
	// The writer of the package is by way of its own types; indent what it makes as all other JSON here is.
	raw, err := json.Marshal(log)
	if err != nil {
		return err
	}
	var tree any
	if err := json.Unmarshal(raw, &tree); err != nil {
		return err
	}
	return c.json(tree)
}
