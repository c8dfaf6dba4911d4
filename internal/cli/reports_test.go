package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// valid holds a report against a schema under testdata.
func valid(t *testing.T, schema string, report any) {
	t.Helper()
	rules, err := jsonschema.NewCompiler().Compile(filepath.Join("testdata", schema))
	require.NoError(t, err)
	require.NoError(t, rules.Validate(report))
}

// TestSARIF holds the log of check against what OASIS says of its form, with every finding in it.
func TestSARIF(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	name := filepath.Join(folder, "a plan.yaml")
	require.NoError(t, os.Rename(filepath.Join(folder, "wendrik.yaml"), name))
	r := run(t, folder, "", "check", "-plan", "a plan.yaml", "-format", "sarif")
	assert.Equal(t, 1, r.status)
	report, err := jsonschema.UnmarshalJSON(strings.NewReader(r.out))
	require.NoError(t, err)
	valid(t, "sarif-schema-2.1.0.json", report)
	var log struct {
		Runs []struct {
			Tool struct {
				Driver struct{ Rules []struct{ ID string } }
			}
			Results []struct {
				RuleID    string
				RuleIndex int
				Locations []struct {
					PhysicalLocation struct {
						ArtifactLocation struct{ URI string }
						Region           struct{ StartLine, StartColumn int }
					}
				}
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &log))
	found := run(t, folder, "", "check", "-plan", "a plan.yaml", "-format", "csv")
	require.Len(t, log.Runs, 1)
	assert.Len(t, log.Runs[0].Results, strings.Count(found.out, "\n")-1)
	for _, x := range log.Runs[0].Results {
		at := x.Locations[0].PhysicalLocation
		assert.Equal(t, "a%20plan.yaml", at.ArtifactLocation.URI)
		assert.Contains(t, found.out, fmt.Sprintf("a plan.yaml:%d:%d", at.Region.StartLine, at.Region.StartColumn))
		assert.Equal(t, x.RuleID, log.Runs[0].Tool.Driver.Rules[x.RuleIndex].ID)
	}
}

// asJSON reads XML as the schema of reports sees it: attributes are keys with @, elements lists, and text is #text.
func asJSON(t *testing.T, in string) map[string]any {
	decoder := xml.NewDecoder(strings.NewReader(in))
	open := []map[string]any{{}}
	for {
		token, err := decoder.Token()
		if err == io.EOF {
			return open[0]
		}
		require.NoError(t, err)
		top := open[len(open)-1]
		switch token := token.(type) {
		case xml.StartElement:
			element := map[string]any{}
			for _, a := range token.Attr {
				element["@"+a.Name.Local] = a.Value
			}
			all, _ := top[token.Name.Local].([]any)
			top[token.Name.Local] = append(all, element)
			open = append(open, element)
		case xml.EndElement:
			open = open[:len(open)-1]
		case xml.CharData:
			if text := strings.TrimSpace(string(token)); text != "" {
				top["#text"] = text
			}
		}
	}
}

// TestJUnit reads the report of check as a build server does.
func TestJUnit(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	var report struct {
		Failures int `xml:"failures,attr"`
		Tests    int `xml:"tests,attr"`
		Suites   []struct {
			Name  string `xml:"name,attr"`
			Tests []struct {
				Name    string `xml:"name,attr"`
				Failure *struct {
					Message string `xml:"message,attr"`
					Text    string `xml:",chardata"`
				} `xml:"failure"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	r := run(t, folder, "", "check", "-format", "junit")
	assert.Equal(t, 1, r.status)
	valid(t, "junit.schema.json", asJSON(t, r.out))
	require.NoError(t, xml.Unmarshal([]byte(r.out), &report))
	require.Len(t, report.Suites, 2)
	failed := map[string]string{}
	for _, s := range report.Suites {
		for _, x := range s.Tests {
			if x.Failure != nil {
				failed[x.Name] = x.Failure.Message
				assert.Contains(t, x.Failure.Text, "wendrik.yaml:", "it tells the line")
			}
		}
	}
	assert.Len(t, failed, report.Failures)
	assert.Contains(t, failed["booking/app reaches fare-db on tcp/5432"], "fares-3 does not reach fare-db on tcp/5432")
	assert.Contains(t, failed["left-on-main-table"], "subnet booking/app-c")
	assert.NotContains(t, failed, "internet reaches ticket-1 on tcp/443")
	// A fixed plan passes: the subnet is named, and the rule is added.
	text := strings.Replace(read(t, folder), "subnets: [app-a, app-b]", "subnets: [app-a, app-b, app-c]", 1)
	text = strings.Replace(text, "          - tcp/5432 from 10.144.5.0/24\n", "          - tcp/5432 from 10.144.5.0/24\n          - tcp/5432 from 10.144.6.0/24\n", 1)
	write(t, folder, text)
	assert.Equal(t, 0, run(t, folder, "", "check", "-only", "expect").status)
	assert.NotContains(t, run(t, folder, "", "check").out, "left-on-main-table")
}

// TestCSVHasAHeaderForEachColumn: a reader of CSV refuses rows that are longer or shorter than the header.
func TestCSVHasAHeaderForEachColumn(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for _, command := range []string{"space", "space -in booking", "carve", "overlaps", "check", "grid -by networks", "grid -from internet"} {
		out := run(t, folder, "", append(strings.Fields(command), "-format", "csv")...)
		rows, err := csv.NewReader(strings.NewReader(out.out)).ReadAll()
		assert.NoError(t, err, command)
		assert.Greater(t, len(rows), 1, command)
	}
}

// TestWaived waives a finding of the demo: it is counted and no finding, is listed on request, and SARIF has it as suppressed.
func TestWaived(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	assert.Contains(t, run(t, folder, "", "check").out, "idle-site")
	write(t, folder, read(t, folder)+"waive: [{rule: idle-site, at: gull-rail, because: the trains only ask us}, {rule: idle-site, at: quay, because: x}]\n")
	r := run(t, folder, "", "check")
	assert.Contains(t, r.out, "2 of 3 expectations hold; 1 waived")
	assert.NotContains(t, r.out, "idle-site\n")
	assert.Contains(t, r.out, "rule idle-site finds nothing at quay, so there is nothing to waive")
	assert.Less(t, strings.LastIndex(r.out, "\nerror "), strings.Index(r.out, "\nwarning "), "errors come first")
	assert.Contains(t, run(t, folder, "", "check", "-waived").out, "because the trains only ask us (wendrik.yaml:199:9)")
	assert.Contains(t, run(t, folder, "", "check", "-format", "json").out, `"because": "the trains only ask us"`)
	r = run(t, folder, "", "check", "-format", "sarif")
	report, err := jsonschema.UnmarshalJSON(strings.NewReader(r.out))
	require.NoError(t, err)
	valid(t, "sarif-schema-2.1.0.json", report)
	assert.Contains(t, r.out, `"justification": "the trains only ask us"`)
	write(t, folder, read(t, folder)+"  - {rule: idle-site}\n")
	assert.Equal(t, 2, run(t, folder, "", "check").status)
	write(t, folder, "wendrik: 1\nwaive: [{rule: idle, at: a, because: x, until: 2031-02-30}]\n")
	assert.Contains(t, run(t, folder, "", "check").err, `wendrik.yaml:2:48: "2031-02-30" is no date`)
}
