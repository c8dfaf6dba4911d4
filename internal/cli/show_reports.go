package cli

import (
	"crypto/sha256"
	"encoding/xml"
	"fmt"
	"net/url"
	"path/filepath"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/text"
)

// This file writes what check found in the forms that build servers and code reviews read; the schemas of both stand
// under testdata.

// The XML of a JUnit report.
type (
	junitReport struct {
		XMLName  xml.Name     `xml:"testsuites"`
		Name     string       `xml:"name,attr"`
		Tests    int          `xml:"tests,attr"`
		Failures int          `xml:"failures,attr"`
		Errors   int          `xml:"errors,attr"`
		Suites   []junitSuite `xml:"testsuite"`
	}
	junitSuite struct {
		Name       string          `xml:"name,attr"`
		Tests      int             `xml:"tests,attr"`
		Failures   int             `xml:"failures,attr"`
		Errors     int             `xml:"errors,attr"`
		Properties []junitProperty `xml:"properties>property"`
		Cases      []junitCase     `xml:"testcase"`
	}
	junitProperty struct {
		Name  string `xml:"name,attr"`
		Value string `xml:"value,attr"`
	}
	junitCase struct {
		Name    string        `xml:"name,attr"`
		Class   string        `xml:"classname,attr"`
		Failure *junitFailure `xml:"failure"`
	}
	junitFailure struct {
		Message string `xml:"message,attr"`
		Type    string `xml:"type,attr"`
		Text    string `xml:",cdata"`
	}
)

// junit writes a test suite of the rules, each a test that fails when it finds something, and one of the expectations.
func (c *call) junit(r *checked) error {
	out := junitReport{Name: "wendrik check"}
	if len(r.problems) > 0 {
		out.add("plan", r.src, r.junitPlan())
	}
	if r.tried {
		out.add("rules", r.src, r.junitRules())
		out.add("expect", r.src, r.junitExpectations())
	}
	return c.xml(&out)
}

// add adds a suite of tests of a plan.
func (out *junitReport) add(name string, src *text.Files, cases []junitCase) {
	s := junitSuite{Name: name, Tests: len(cases), Cases: cases, Properties: []junitProperty{{"plan", clean(src.First().Name)}}}
	for _, x := range cases {
		if x.Failure != nil {
			s.Failures++
		}
	}
	out.Tests, out.Failures, out.Suites = out.Tests+s.Tests, out.Failures+s.Failures, append(out.Suites, s)
}

func (c *call) xml(out *junitReport) error {
	raw, err := xml.MarshalIndent(out, "", "  ")
	if err != nil {
		return err
	}
	c.say("%s%s", xml.Header, raw)
	return nil
}

// junitText is a finding as the text of a failure.
func (r *checked) junitText(f *diag.Finding) string {
	return fmt.Sprintf("%s: %s: %s\n  %s\n", clean(r.src.Where(f.At)), f.Weight(), clean(f.Message), clean(f.Fix()))
}

// junitPlan is the test that the plan can be read, which it cannot.
func (r *checked) junitPlan() []junitCase {
	one := junitCase{Name: "can be read", Class: "wendrik.plan"}
	for i, f := range r.problems {
		if i == 0 {
			one.Failure = &junitFailure{Message: clean(f.Message), Type: string(f.Code)}
		}
		one.Failure.Text += r.junitText(&f)
	}
	return []junitCase{one}
}

func (r *checked) junitRules() []junitCase {
	var all []junitCase
	for _, rule := range check.Rules {
		one := junitCase{Name: string(rule.Code), Class: "wendrik." + string(rule.Topic)}
		for _, f := range r.findings {
			if f.Code != rule.Code {
				continue
			}
			if one.Failure == nil {
				one.Failure = &junitFailure{Message: clean(f.Message), Type: string(f.Code)}
			}
			one.Failure.Text += r.junitText(&f)
		}
		all = append(all, one)
	}
	return all
}

func (r *checked) junitExpectations() []junitCase {
	var all []junitCase
	for _, x := range r.expected {
		one := junitCase{Name: clean(x.Text), Class: "wendrik.expect"}
		if f, is := x.Finding(); is && !x.Holds {
			one.Failure = &junitFailure{clean(x.Why), string(f.Code), fmt.Sprintf("%s: %s\n  %s\n", clean(r.src.Where(x.At)), clean(x.Why), clean(r.fixOf(x)))}
		}
		all = append(all, one)
	}
	return all
}

// The JSON of a SARIF 2.1.0 log (OASIS), as far as check fills it in.
type (
	sarifLog struct {
		Schema  string     `json:"$schema"`
		Version string     `json:"version"`
		Runs    []sarifRun `json:"runs"`
	}
	sarifRun struct {
		Tool struct {
			Driver sarifDriver `json:"driver"`
		} `json:"tool"`
		Results []sarifResult `json:"results"`
	}
	sarifDriver struct {
		Name  string      `json:"name"`
		Rules []sarifRule `json:"rules"`
	}
	sarifRule struct {
		ID    string    `json:"id"`
		Short sarifText `json:"shortDescription"`
	}
	sarifText struct {
		Text string `json:"text"`
	}
	sarifResult struct {
		Rule         string             `json:"ruleId"`
		Index        int                `json:"ruleIndex"`
		Level        string             `json:"level"`
		Message      sarifText          `json:"message"`
		Locations    []sarifLocation    `json:"locations"`
		Fingerprints map[string]string  `json:"partialFingerprints"`
		Suppressions []sarifSuppression `json:"suppressions,omitempty"`
	}
	sarifSuppression struct {
		Kind string `json:"kind"`
		Why  string `json:"justification"`
	}
	sarifLocation struct {
		Physical struct {
			Artifact struct {
				URI string `json:"uri"`
			} `json:"artifactLocation"`
			Region *sarifRegion `json:"region,omitempty"`
		} `json:"physicalLocation"`
		Logical []sarifLogical `json:"logicalLocations,omitempty"`
	}
	sarifRegion struct {
		Line   int `json:"startLine"`
		Column int `json:"startColumn"`
	}
	sarifLogical struct {
		Name string `json:"fullyQualifiedName"`
	}
)

// sarif writes a log of what check found.
func (c *call) sarif(r *checked) error {
	return c.sarifOf(r.all(), r.waived, r.src, []sarifRule{{"expectation", sarifText{"A line of expect that is not so."}}})
}

// sarifOf writes a log of one run: findings, those that are waived, and the rules beside those of check.
func (c *call) sarifOf(all []diag.Finding, waived []check.Waived, src *text.Files, more []sarifRule) error {
	run := sarifRun{Results: []sarifResult{}}
	run.Tool.Driver.Name = "wendrik"
	numbers := map[diag.Code]int{}
	rule := func(code diag.Code, doc string) {
		numbers[code] = len(run.Tool.Driver.Rules)
		run.Tool.Driver.Rules = append(run.Tool.Driver.Rules, sarifRule{string(code), sarifText{doc}})
	}
	for _, x := range check.Rules {
		rule(x.Code, x.Doc)
	}
	for _, x := range more {
		rule(diag.Code(x.ID), x.Short.Text)
	}
	add := func(f diag.Finding, waived ...sarifSuppression) {
		if _, known := numbers[f.Code]; !known {
			rule(f.Code, "What stands in the way of reading the plan.")
		}
		message := f.Message + "."
		if fix := f.Fix(); fix != "" {
			message += " Fix: " + fix + "."
		}
		result := sarifResult{string(f.Code), numbers[f.Code], string(f.Weight()), sarifText{clean(message)}, make([]sarifLocation, 1), map[string]string{"wendrik/1": fingerprint(&f)}, waived}
		at := &result.Locations[0]
		at.Physical.Artifact.URI = uri(src.Of(f.At).Name)
		if f.At.Known() {
			at.Physical.Region = &sarifRegion{f.At.Line(), f.At.Column()}
		}
		if f.Place != nil {
			at.Logical = []sarifLogical{{clean(f.Place.String())}}
		}
		run.Results = append(run.Results, result)
	}
	for _, f := range all {
		add(f)
	}
	for _, w := range waived {
		add(w.Finding, sarifSuppression{"inSource", clean(w.By.Because.Value)})
	}
	return c.json(sarifLog{"https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json", "2.1.0", []sarifRun{run}})
}

// fingerprint is by what a finding is the same in another version of a plan, wherever it stands there: its rule, its place and its message.
func fingerprint(f *diag.Finding) string {
	return fmt.Sprintf("%x", sha256.Sum256([]byte(string(f.Code)+"\n"+f.Place.String()+"\n"+f.Message)))
}

// uri writes the name of a file as a reference (RFC 3986).
func uri(name string) string { return (&url.URL{Path: filepath.ToSlash(name)}).String() }
