package plan

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

func decode(t *testing.T, content string) (*Plan, []diag.Finding) {
	t.Helper()
	p, found := Decode(text.One("wendrik.yaml", content))
	return p, found.All()
}

// TestProblems tries one wrong text after another. Each says where (line:column), what is wrong, and what is right.
func TestProblems(t *testing.T) {
	const head = "wendrik: 1\n" // line 1
	for _, c := range []struct{ text, at, code, message, fix string }{
		{"", "1:1", "empty", "the plan is empty", "wendrik: 1"},
		{"# only a comment\n", "1:1", "empty", "the plan is empty", ""},
		{"estate: x\n", "1:1", "missing-key", "the plan does not say of which version", "write  wendrik: 1 "},
		{"wendrik: 2\n", "1:10", "version", "version 2", "wendrik: 1"},
		{"- wendrik\n", "1:1", "wrong-kind", "a mapping belongs here, not a list", ""},
		{head + "networks: {" + strings.Repeat("a", 101) + ": {}}\n", "2:12", "bad-name", "at most 100 characters, and this one has 101", "shorter"},
		{head + "networks: {a: {groups: {g: {in: [" + strings.Repeat("x", 9000) + "]}}}}\n", "2:34", "bad-rule", strings.Repeat("x", 59) + "…\" does not say", ""},
		{"%YAML 1.3\n---\nwendrik: 1\n", "1:1", "not-yaml", "another version of YAML", "%YAML 1.2"},
		{head + "\testate: x\n", "2:1", "not-yaml", "a tab", "spaces"},
		{head + "estate: a\x01b\n", "2:10", "not-text", "U+0001", "remove"},
		{head + "estate: a\u2028b\n", "2:10", "not-text", "U+2028", "remove"},
		{head + "estate: \xff\n", "2:9", "not-text", "not UTF-8", "UTF-8"},
		{head + strings.Repeat("[", 200) + "\n", "2:41", "not-yaml", "deeper than 40 levels", ""},
	} {
		_, findings := decode(t, c.text)
		name := strings.TrimPrefix(c.text, head)
		if !assert.Len(t, findings, 1, "%q: %v", name, findings) {
			continue
		}
		f := findings[0]
		assert.Equal(t, c.at, fmt.Sprintf("%d:%d", f.At.Line(), f.At.Column()), "%q: %s", name, f.Message)
		assert.Equal(t, c.code, string(f.Code), "%q: %s", name, f.Message)
		assert.Contains(t, f.Message, c.message, "%q", name)
		assert.Contains(t, f.Fix(), c.fix, "%q", name)
	}
}

func TestAllProblemsInOneRun(t *testing.T) {
	_, findings := decode(t, "wendrik: 1\nprofile: zon\nnetworks:\n  a: {rang: 1, size: 5}\n  b: {range: [10.0.0.1/8, x]}\nworkloads: 7\n")
	var codes []string
	for i, f := range findings {
		codes = append(codes, string(f.Code))
		if i > 0 {
			assert.LessOrEqual(t, findings[i-1].At, f.At, "in the order of the text")
		}
	}
	assert.Equal(t, []string{"unknown-word", "unknown-key", "bad-size", "host-bits", "bad-range", "wrong-kind"}, codes)
}

func TestAliasesStandForTheirValues(t *testing.T) {
	p, findings := decode(t, "wendrik: 1\nnetworks:\n  a: {range: 10.0.0.0/8, groups: &g {web: {in: [tcp/443 from any]}}}\n  b: {range: 11.0.0.0/8, groups: *g}\n")
	require.Empty(t, findings)
	assert.Equal(t, "web", p.Networks[1].Groups[0].Name.Value)
}

// TestBombs feeds texts that a naive reader would die of.
func TestBombs(t *testing.T) {
	var bomb strings.Builder
	bomb.WriteString("wendrik: 1\nnetworks:\n  n0: &n0 {range: 10.0.0.0/8, subnets: {")
	for i := range 3000 {
		fmt.Fprintf(&bomb, "s%d: {range: 10.0.0.0/24}, ", i)
	}
	bomb.WriteString("}}\n")
	for i := range 3000 {
		fmt.Fprintf(&bomb, "  m%d: *n0\n", i)
	}
	_, findings := decode(t, bomb.String())
	require.Len(t, findings, 1)
	assert.Equal(t, aliasExpansion, findings[0].Code)

	_, findings = decode(t, "wendrik: 1\nnetworks: &a {b: {tiers: *a}}\n")
	assert.NotEmpty(t, findings, "an alias inside itself")

	_, findings = decode(t, string(make([]byte, text.MaxSize+1)))
	require.Len(t, findings, 1)
	assert.EqualValues(t, "text-too-large", findings[0].Code)

	_, findings = decode(t, "wendrik: 1\n"+strings.Repeat("x", 1<<16)+": 1\nspace: {"+strings.Repeat("a: {}, ", 5000)+"}\n")
	require.Len(t, findings, diag.MaxFindings+1)
	assert.Contains(t, findings[diag.MaxFindings].Message, "more problems stand in the text")
}

// FuzzDecode looks for texts that crash the decoder or make it point outside the text.
func FuzzDecode(f *testing.F) {
	raw, err := os.ReadFile("whole.yaml")
	require.NoError(f, err)
	f.Add(raw)
	f.Add([]byte("wendrik: 1\r\nnetworks: {a: &x {range: ::/0}, b: *x}\r\n"))
	f.Add([]byte("\ufeffwendrik: 1\n? a\n: |\n  b\n"))
	f.Fuzz(func(t *testing.T, content []byte) {
		defer fuzz.Bound()()
		if len(content) > fuzz.MaxText {
			t.Skip()
		}
		files := text.One("wendrik.yaml", string(content))
		p, found := Decode(files)
		require.NotNil(t, p)
		for _, f := range found.All() {
			require.NotEmpty(t, f.Message)
			if f.At.Known() {
				require.LessOrEqual(t, f.At.Line(), strings.Count(string(content), "\n")+1, f.Message)
				require.LessOrEqual(t, f.At.Column(), len(files.Line(f.At))+4, f.Message)
			}
		}
	})
}
