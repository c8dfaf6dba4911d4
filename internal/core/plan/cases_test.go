package plan

import (
	"fmt"
	"net/netip"
	"os"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// told tells findings with all that they have.
func told(all []diag.Finding) string {
	var b strings.Builder
	for _, f := range all {
		fmt.Fprintf(&b, "%d:%d %s %s: %s | %s\n", f.At.Line(), f.At.Column(), f.Code, f.Place, f.Message, f.Fix())
	}
	return b.String()
}

// TestMistakes tells all that is found in texts with mistakes: where, what, and what would be right.
func TestMistakes(t *testing.T) {
	golden.File(t, "mistakes.txt", func(t *testing.T, asked string) string {
		_, found := decode(t, "wendrik: 1\n"+asked+"\n")
		return told(found)
	})
}

// TestWholePlan tells all that is read from a plan in which every key of the format stands, whatever part of a plan it is in.
func TestWholePlan(t *testing.T) {
	golden.File(t, "whole.txt", func(t *testing.T, asked string) string {
		raw, err := os.ReadFile(asked)
		require.NoError(t, err)
		p, found := decode(t, string(raw))
		require.Empty(t, found)
		var b strings.Builder
		tellValue(&b, 0, "", reflect.ValueOf(p).Elem())
		return b.String()
	})
}

// tellValue tells a value and all that is in it, by the names of fields; places are line:column.
func tellValue(b *strings.Builder, depth int, name string, v reflect.Value) {
	line := func(s string) { fmt.Fprintf(b, "%s%s: %s\n", strings.Repeat("  ", depth), name, s) }
	if v.CanInterface() {
		switch x := v.Interface().(type) {
		case *text.Files, text.Node:
			return
		case text.Pos:
			if x.Known() {
				line(fmt.Sprintf("%d:%d", x.Line(), x.Column()))
			}
			return
		case netip.Prefix:
			if x.IsValid() {
				line(x.String())
			}
			return
		case netip.Addr:
			line(x.String())
			return
		case flow.Set:
			line(x.String())
			return
		case ProfileSetting:
			if len(x.knobs) > 0 || x.Like.Given() {
				line(fmt.Sprintf("%+v", x.On(profile.Profile{})))
			}
			return
		case Text:
			if x.Given() {
				line(fmt.Sprintf("%s %d:%d", x.Value, x.At.Line(), x.At.Column()))
			}
			return
		case Range:
			line(fmt.Sprintf("%s %d:%d", x.Prefix, x.At.Line(), x.At.Column()))
			return
		case Addr:
			line(fmt.Sprintf("%s %d:%d", x.Addr, x.At.Line(), x.At.Column()))
			return
		case Number:
			if x.Given() {
				line(fmt.Sprintf("%d %d:%d", x.Value, x.At.Line(), x.At.Column()))
			}
			return
		case Flag:
			if x.Given() {
				line(fmt.Sprintf("%v %d:%d", x.Value, x.At.Line(), x.At.Column()))
			}
			return
		}
	}
	switch v.Kind() {
	case reflect.Pointer:
		tellValue(b, depth, name, v.Elem())
	case reflect.Slice:
		for i := range v.Len() {
			tellValue(b, depth, fmt.Sprintf("%s %d", name, i+1), v.Index(i))
		}
	case reflect.Struct:
		if name != "" {
			fmt.Fprintf(b, "%s%s:\n", strings.Repeat("  ", depth), name)
			depth++
		}
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				tellValue(b, depth, f.Name, v.Field(i))
			}
		}
	default:
		if !v.IsZero() {
			line(fmt.Sprint(v.Interface()))
		}
	}
}

// TestWrittenOut: a network written out is read as the same network, and so is each line of expect.
func TestWrittenOut(t *testing.T) {
	raw, err := os.ReadFile("whole.yaml")
	require.NoError(t, err)
	p, found := decode(t, string(raw))
	require.Empty(t, found)
	said := func(n *Network) string {
		var b strings.Builder
		shown := *n
		shown.Profile, shown.Patterns, shown.Pattern = ProfileSetting{}, nil, Text{}
		tellValue(&b, 0, "", reflect.ValueOf(&shown).Elem())
		var lines []string
		for _, l := range strings.Split(b.String(), "\n") {
			if fields := strings.Fields(l); len(fields) > 1 && !strings.Contains(l, " At: ") { // without places
				if _, _, is := strings.Cut(fields[len(fields)-1], ":"); is && !strings.Contains(fields[len(fields)-1], "::") && len(fields) > 2 {
					l = strings.TrimSuffix(l, " "+fields[len(fields)-1])
				}
				lines = append(lines, l)
			}
		}
		return strings.Join(lines, "\n")
	}
	for _, n := range p.Networks {
		again, found := decode(t, "wendrik: 1\n"+n.Whole())
		require.Empty(t, found, n.Whole())
		assert.Equal(t, said(n), said(again.Networks[0]), n.Whole())
	}
	for _, line := range []string{
		"a reaches b on tcp/443", "a never reaches b", "a never reaches b on udp/53", "a reaches b on tcp/1-9, icmp except c, d", "a never reaches internet except c",
		"a reaches b on tcp without any zone", "a reaches b on any except c without peering p", "only a reaches b on tcp/443 except c without any zone", "a reaches b through w", "only a reaches b on tcp/443 through w except c", "only reaches b on tcp/22", "a leaves as assigned", "a leaves as 203.0.113.7", "a leaves as 2001:db8::7",
	} {
		x, err := ParseExpectation(line)
		require.NoError(t, err, line)
		assert.Equal(t, line, x.Line())
		again, err := ParseExpectation(x.Line())
		require.NoError(t, err)
		again.Text = x.Text
		assert.Equal(t, x, again)
	}
	for text, far := range map[string]string{"any from any": "any", "any from 10.0.0.0/8": "10.0.0.0/8", "any from fd00::/8": "fd00::/8", "any from harbour/store": "harbour/store", "any from group g": "group g", "any from group n/g": "group n/g"} {
		r, err := parseRule(text, groupRule, inward)
		require.NoError(t, err)
		assert.Equal(t, far, r.Peer.String())
	}
}

// TestFormat tells of every key of the format: what it takes, whether it must be there, what it means, and an example.
func TestFormat(t *testing.T) {
	golden.File(t, "format.txt", func(t *testing.T, asked string) string {
		var b strings.Builder
		keys, _, found := Keys(strings.FieldsFunc(asked, func(r rune) bool { return r == '.' }))
		require.True(t, found)
		for _, k := range keys {
			fmt.Fprintf(&b, "%s: %s%s%s: %s\n", k.Name, k.Takes, map[bool]string{true: ", required"}[k.Required], map[bool]string{true: " {" + k.inside + "}"}[k.inside != ""], k.Doc)
			for line := range strings.Lines(Example(append(strings.FieldsFunc(asked, func(r rune) bool { return r == '.' }), k.Name))) {
				b.WriteString("    " + strings.TrimRight(line, "\n") + "\n")
			}
		}
		return b.String()
	})
	_, one, found := Keys([]string{"networks", "size"})
	assert.True(t, one && found)
	_, _, found = Keys([]string{"networks", "size", "more"})
	assert.False(t, found)
	assert.Empty(t, Example(nil))
	assert.Empty(t, Example([]string{"networks", "teirs"}))
	keys, _, _ := Keys([]string{"patterns", "tiers"})
	assert.NotEmpty(t, keys)
}

// TestSideBySide: of a mapping that is large enough to be read in parts, each thing and each mistake is what it is in a small one,
// also where a name stands twice.
func TestSideBySide(t *testing.T) {
	for _, twice := range []bool{false, true} {
		var b strings.Builder
		b.WriteString("wendrik: 1\nworkloads:\n")
		const n = 4 * manyEntries
		var want []string
		for i := range n {
			at, name := fmt.Sprintf("10.%d.%d.9", i/200, i%200), fmt.Sprint("w", i)
			if i%250 == 9 {
				want = append(want, fmt.Sprintf("%d:%d bad-address workloads.%s.address", 3+i, 17+len(name)+len("in: n/s, ")-2, name))
				at = "x"
			}
			if twice && i == n-5 {
				name = "w3"
				want = append(want, fmt.Sprintf("%d:3 duplicate-key workloads.w3", 3+i))
			}
			fmt.Fprintf(&b, "  %s: {in: n/s, address: %s, listens: [tcp/%d]}\n", name, at, i%7+1)
		}
		p, found := decode(t, b.String())
		var got []string
		for _, f := range found {
			got = append(got, fmt.Sprintf("%d:%d %s %s", f.At.Line(), f.At.Column(), f.Code, f.Place))
		}
		assert.Equal(t, want, got)
		require.Len(t, p.Workloads, n-map[bool]int{true: 1}[twice])
		for i, w := range p.Workloads {
			if i < n-5 {
				require.Equal(t, fmt.Sprint("w", i), w.Name.Value)
				require.Equal(t, fmt.Sprintf("tcp/%d", i%7+1), w.Listens[0].String())
			}
		}
	}
}

// TestParts: things of several files are one plan, in the order of the files; what speaks of all stands in the first alone, and a
// name stands once.
func TestParts(t *testing.T) {
	files := text.One("wendrik.yaml", "wendrik: 1\nestate: e\nparts: [b.yaml, c.yaml]\nnetworks: {a: {range: 10.0.0.0/8, pattern: p}}\nexpect: [a never reaches b]\n")
	assert.Equal(t, "[b.yaml c.yaml]", fmt.Sprint(values(PartsOf(files.First()))))
	files.Add("b.yaml", "networks: {b: {range: 11.0.0.0/8}, a: {range: 12.0.0.0/8}}\npatterns: {p: {groups: {g: {in: [tcp/1 from any]}}}}\nexpect: [b never reaches a]\nregions: {west: [x]}\n")
	files.Add("c.yaml", "estate: f\nnaming: x\nprofile: zonal\nparts: [d.yaml]\nlabels-required: [owner]\nwendrik: 1\nregions: {west: [y]}\nwaive: [{rule: r, at: a, because: b}]\n")
	files.Add("d.yaml", "")
	files.Add("e.yaml", "- x\n")
	files.Add("f.yaml", "a: [\n")
	p, found := Decode(files)
	var b strings.Builder
	for _, f := range found.All() {
		fmt.Fprintf(&b, "%s %s %s: %s | %s\n", p.Files.Where(f.At), f.Code, f.Place, f.Message, f.Fix())
	}
	assert.Equal(t, `b.yaml:1:36 duplicate-key networks.a: "a" stands in two parts of the plan, first at wendrik.yaml:4:12 | keep one of the two
c.yaml:1:9 not-in-part estate: estate speaks of the whole plan, and this is a part of it | write it in wendrik.yaml
c.yaml:2:9 not-in-part naming: naming speaks of the whole plan, and this is a part of it | write it in wendrik.yaml
c.yaml:3:10 not-in-part profile: profile speaks of the whole plan, and this is a part of it | write it in wendrik.yaml
c.yaml:4:8 not-in-part parts: parts speaks of the whole plan, and this is a part of it | write it in wendrik.yaml
c.yaml:5:18 not-in-part labels-required: labels-required speaks of the whole plan, and this is a part of it | write it in wendrik.yaml
c.yaml:7:11 duplicate-key regions.west: "west" stands in two parts of the plan, first at b.yaml:4:11 | keep one of the two
d.yaml:1:1 empty : the plan is empty | start it with  wendrik: 1  and  estate: NAME
e.yaml:1:1 wrong-kind : a mapping belongs here, not a list | write  key: value  lines, or {key: value}
f.yaml:2:1 not-yaml : a value is missing here | write the value, or remove the comma or bracket
`, b.String())
	assert.Len(t, p.Networks, 2)
	assert.Equal(t, "tcp/1 from any", p.Networks[0].Groups[0].In[0].Text, "a pattern of another file")
	assert.True(t, p.Networks[0].Patterns[0].Holds(p.Networks[0].Groups[0].Name.At))
	assert.False(t, p.Networks[0].Patterns[0].Holds(p.Networks[0].Name.At))
	assert.Len(t, p.Expect, 2)
	assert.Len(t, p.Waive, 1)
	assert.Equal(t, "e", p.Estate.Value)
	assert.False(t, p.Unread)
	for text, unread := range map[string]bool{"": true, "- a\n": true, "a: [\n": true, "x: 1\n": false} {
		q, _ := decode(t, text)
		assert.Equal(t, unread, q.Unread, text)
	}
	assert.Empty(t, PartsOf(text.One("x", "- a\n").First()))
	assert.Empty(t, PartsOf(text.One("x", "a: [\n").First()))
}

func values(all []Text) (words []string) {
	for _, t := range all {
		words = append(words, t.Value)
	}
	return words
}
