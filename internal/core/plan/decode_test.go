package plan

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

func decode(t *testing.T, content string) (*Plan, []diag.Finding) {
	t.Helper()
	p, found := Decode(text.One("wendrik.yaml", content))
	return p, found.All()
}

func TestEveryKeyIsRead(t *testing.T) {
	raw, err := os.ReadFile("whole.yaml")
	require.NoError(t, err)
	p, findings := decode(t, string(raw))
	require.Empty(t, findings)

	// where is the place of a text, on the line that holds mark.
	where := func(mark, word string) text.Pos {
		line := strings.LastIndex(string(raw)[:strings.Index(string(raw), mark)], "\n") + 1
		return p.Files.First().Position(line + strings.Index(string(raw)[line:], word))
	}
	assert.Equal(t, 1, p.Version.Value)
	assert.Equal(t, "skerry-line", p.Estate.Value)
	assert.Equal(t, "{tier}-{zone}", p.Naming.Value)
	require.Len(t, p.Regions[0].Zones, 3)
	assert.Equal(t, "fd3a:5e11:c0de::/48", p.Space[0].Ranges[1].String())
	assert.Equal(t, []string{"data room on the quay", "harbour master", "west"}, []string{p.Space[2].Held.Value, p.Space[2].Owner.Value, p.Space[2].Region.Value})

	n := p.Networks[0]
	assert.Equal(t, Text{"booking", where("  booking:", "booking")}, n.Name)
	assert.Equal(t, Number{20, where("size: /20", "/20")}, n.Size)
	assert.Equal(t, []int{56, 3}, []int{n.Size6.Value, n.Slot.Value})
	assert.Equal(t, "zones", n.Layout.Value)
	assert.Equal(t, [2]uint16{32768, 60999}, n.Profile.On(profile.Profile{}).ReplyPorts)
	assert.Equal(t, []int{2, 50, 1}, []int{n.Tiers[0].Spare.Value, n.Tiers[0].Growth.Value, n.Tiers[0].Slot.Value})
	assert.Equal(t, []string{"card terminals", "payments"}, []string{n.Held[0].For.Value, n.Held[0].Owner.Value})
	assert.Equal(t, "10.144.9.0/24", n.Held[1].Ranges[0].String())
	assert.Equal(t, []int{25, 2}, []int{n.Subnets[0].Size.Value, n.Subnets[0].Slot.Value})
	assert.Equal(t, where("web-a: {tier", "10.144"), n.Subnets[1].Ranges[0].At)
	assert.True(t, n.Gateways[0].Attached.Given())
	assert.Equal(t, "203.0.113.7", n.Gateways[1].Public[0].String())
	assert.Equal(t, "::/0", n.Tables[1].Routes[1].To.String(), "a plain ::/0 inside braces is YAML 1.2")
	assert.Equal(t, "jump", n.Groups[0].In[1].Peer.Group)
	assert.False(t, n.Lists[0].In[1].Allow)

	assert.Equal(t, "tcp/443", p.Workloads[0].Listens[0].String())
	h := p.Networks[1]
	assert.Equal(t, []string{"quiet", "none", "store", "internet never reaches harbour", "ports", "telemetry"},
		[]string{h.Pattern.Value, h.NAT.Value, h.Tiers[0].Name.Value, h.Expect[0].Text, h.Owner.Value, h.Labels[0].Value.Value})
	assert.Equal(t, []string{"teams/*.yaml", "owner", "harbour/store"}, []string{p.Parts[0].Value, p.Required[0].Value, n.Tables[1].Routes[3].Name.Value})
	assert.Equal(t, []string{"2", "10.144.0.14", "assigned"}, []string{fmt.Sprint(p.Workloads[3].Count.Value), p.Workloads[3].Each[1][0].String(), p.Workloads[3].Assigned.Value})
	assert.Equal(t, []string{"plain", "ticket-1", "tcp/8443"}, []string{p.Workloads[1].Forwards.Value, p.Workloads[2].Targets[0].Value, p.Workloads[2].TargetPorts[0].String()})
	assert.Equal(t, []string{"harbour", "booking"}, []string{p.Peerings[0].Exports[0].Value, p.Peerings[0].Imports[0].Value})
	assert.Equal(t, []string{"spine", "spine", "prod"}, []string{p.HubLinks[0].Between[0].Value, p.HubLinks[0].Accepted[0].Value, p.HubLinks[0].Tables[1].Table.Value})
	assert.Equal(t, "spine", p.Hubs[0].Name.Value)
	assert.Equal(t, Text{"prod", where("attach:", "prod, arrives")}, p.Hubs[0].Attach[1].Table)
	assert.Equal(t, Text{"main", where("attach:", "main}, quay")}, p.Hubs[0].Attach[1].Arrives)
	assert.Equal(t, []string{"main", "main", "main"}, []string{n.Gateways[0].Arrives.Value, p.Peerings[0].Arrives[0].Table.Value, p.Sites[0].Arrives.Value})
	assert.Equal(t, Blackhole, p.Hubs[0].Tables[0].Routes[0].Via.Value)
	assert.Equal(t, "10.144.0.0/12", p.Sites[0].Knows[0].String())
	assert.Equal(t, []string{"harbour", "10.220.0.0/16", "10.221.0.0/20"}, []string{p.Clusters[0].In.Value, p.Clusters[0].Pods[0].String(), p.Clusters[0].Services[0].String()})
	assert.True(t, p.Expect[1].Never)
	assert.Equal(t, "tcp/5432", p.Expect[2].Flows.String())
}

// TestProblems tries one wrong text after another. Each says where (line:column), what is wrong, and what is right.
func TestProblems(t *testing.T) {
	const head = "wendrik: 1\n" // line 1
	for _, c := range []struct{ text, at, code, message, fix string }{
		{"", "1:1", "empty", "the plan is empty", "wendrik: 1"},
		{"# only a comment\n", "1:1", "empty", "the plan is empty", ""},
		{"estate: x\n", "1:1", "missing-key", "the plan has no wendrik", "add  wendrik:"},
		{"wendrik: 2\n", "1:10", "version", "version 2", "wendrik: 1"},
		{"- wendrik\n", "1:1", "wrong-kind", "a mapping belongs here, not a list", ""},
		{head + "networkz: {}\n", "2:1", "unknown-key", `"networkz"`, "did you mean networks?"},
		{head + "zzz: {}\n", "2:1", "unknown-key", `"zzz"`, "the keys here are wendrik, estate"},
		{head + "estate: a\nestate: b\n", "3:1", "duplicate-key", "first on line 2", "keep one"},
		{head + "networks:\n  a: {range: 10.0.0.0/8}\n  a: {range: 10.0.0.0/8}\n", "4:3", "duplicate-key", `"a" stands twice`, ""},
		{head + "networks:\n  a:\n    <<: {}\n", "4:5", "unknown-key", `"<<"`, "no merge keys"},
		{head + "networks:\n  A b: {range: 10.0.0.0/8}\n", "3:3", "bad-name", `"A b" cannot be a name`, "a-b"},
		{head + "networks:\n  internet: {range: 10.0.0.0/8}\n", "3:3", "reserved-name", "cannot be a name", "another"},
		{head + "networks: {" + strings.Repeat("a", 101) + ": {}}\n", "2:12", "bad-name", "at most 100 characters, and this one has 101", "shorter"},
		{head + "networks: [a]\n", "2:11", "wrong-kind", "not a list", "key: value"},
		{head + "networks:\n  a: {range: 10.0.0.1/8}\n", "3:14", "host-bits", "10.0.0.1/8 is an address inside a block", "the block is 10.0.0.0/8"},
		{head + "networks:\n  a: {range: 10.0.0.0/40}\n", "3:14", "bad-range", "from 0 to 32", ""},
		{head + "networks:\n  a: {range: {x: 1}}\n", "3:14", "wrong-kind", "a list belongs here, not a mapping", "[one, two]"},
		{head + "networks:\n  a: {size: 20}\n", "3:13", "bad-size", "lacks its slash", "write /20"},
		{head + "networks:\n  a: {size: /200}\n", "3:13", "bad-size", "not a size", "such as /20"},
		{head + "networks:\n  a: {tiers: {w: {hosts: many}}}\n", "3:26", "bad-number", "not a whole number", ""},
		{head + "networks:\n  a: {tiers: {w: {access: pubic}}}\n", "3:27", "unknown-word", `"pubic"`, "did you mean public?"},
		{head + "networks:\n  a: {gateways: {g: {attached: true}}}\n", "3:18", "missing-key", "has no kind", "kind:"},
		{head + "networks:\n  a: {gateways: {g: {kind: internet, attached: yes}}}\n", "3:48", "bad-flag", "neither true nor false", ""},
		{head + "networks:\n  a: {tables: {t: {routes: [{via: x}]}}}\n", "3:29", "missing-key", "routes.1 has no to", ""},
		{head + "networks:\n  a: {groups: {g: {in: [tcp/443 to any]}}}\n", "3:25", "bad-rule", `says "to" where this direction has "from"`, "tcp/443 from any"},
		{head + "networks:\n  a: {groups: {g: {in: [deny any from any]}}}\n", "3:25", "bad-rule", "a group only allows", "tcp/443 from any"},
		{head + "networks:\n  a: {groups: {g: {in: [tcp/443 from 10.0.0.1]}}}\n", "3:25", "bad-rule", "lacks its length", "write 10.0.0.1/32"},
		{head + "networks:\n  a: {groups: {g: {in: [tcp/443 from 10.0]}}}\n", "3:25", "bad-rule", "in the rule", ""},
		{head + "networks:\n  a: {lists: {l: {out: [tcp/443 to any]}}}\n", "3:25", "bad-rule", "neither allow nor deny", "allow tcp/443 to any"},
		{head + "networks:\n  a: {profile: zonal2}\n", "3:16", "unknown-word", `"zonal2"`, "did you mean zonal?"},
		{head + "profile: {like: plain, reply-ports: 9-2}\n", "2:37", "bad-ports", "run backwards", "write 2-9"},
		{head + "naming: \"{teir}-{zone}\"\n", "2:9", "bad-pattern", "no word {teir}", "write {tier}"},
		{head + "naming: \"{tier\"\n", "2:9", "bad-pattern", "no word {tier", "{tier}"},
		{head + "naming: \"Net {tier}\"\n", "2:9", "bad-pattern", "makes no names", "small letters"},
		{head + "networks:\n  a: {tiers: {w: {hosts: 3, growth: 50}}}\n", "3:37", "bad-growth", "lacks its sign", "write 50%"},
		{head + "profile: {smallest: /64}\n", "2:21", "bad-size", "longer than an IPv4 address", ""},
		{head + "workloads:\n  w: {in: a/b, address: 10.0.0.256}\n", "3:25", "bad-address", "not an IPv4 or IPv6 address", "write one like"},
		{head + "workloads:\n  w: {in: a/b, address: 10.0.0.1, listens: [443]}\n", "3:45", "bad-flow", `"443" is not a flow`, ""},
		{head + "workloads:\n  w: {address: 10.0.0.1}\n", "3:3", "missing-key", "workloads.w has no in", "add  in:"},
		{head + "workloads:\n  w: {in: a/b, count: 0}\n", "3:23", "bad-number", "a count of 0", "1 or more"},
		{head + "expect: [a reaches b]\n", "2:10", "bad-expectation", "does not say on what", "a reaches b on tcp/443"},
		{head + "expect: [a touches b]\n", "2:10", "bad-expectation", "no expectation", "A reaches B"},
		{head + "estate: !!str x\n", "2:9", "tag", "no tags", `write "x" without !!str`},
		{head + "networks: !x {a: {range: 10.0.0.0/8}}\n", "2:11", "tag", "no tags", "write what is behind it without !x"},
		{head + "networks: {a: {range: !!seq [10.0.0.0/8]}}\n", "2:23", "tag", "no tags", ""},
		{head + "networks: {!!str a: {range: 10.0.0.0/8}}\n", "2:12", "tag", "no tags", ""},
		{head + "networks: {a: {range: []}}\n", "2:23", "nothing", "a range belongs here, and nothing stands here", "leave the key out"},
		{head + "networks: {a: {range: }}\n", "2:23", "nothing", "a range belongs here", ""},
		{head + "space: {a: {block: null}}\n", "2:20", "nothing", "a range belongs here", ""},
		{head + "peerings: {p: {between: []}}\n", "2:25", "nothing", "a name belongs here", ""},
		{head + "workloads: {w: {in: a/b, address: []}}\n", "2:35", "nothing", "an address belongs here", ""},
		{head + "workloads: {w: {in: a/b, address: 10.0.0.1, listens: []}}\n", "2:54", "nothing", "a flow, such as tcp/443, belongs here", ""},
		{head + "networks: {a: {range: &r 10.0.0.0/40}, b: {range: *r}}\n", "2:23", "bad-range", "from 0 to 32", ""},
		{head + "networks: {a: {range: 10/8}}\n", "2:23", "bad-range", "not whole", "write 10.0.0.0/8"},
		{head + "networks: {a: {range: 10.0.0.0/255.0.0.0}}\n", "2:23", "bad-range", "has a mask", "write 10.0.0.0/8"},
		{head + "networks: {a: {size: 255.0.0.0}}\n", "2:22", "bad-size", "is a mask", "write /8"},
		{head + "networks: {a: {tables: {t: {routes: [{to: default, via: x}]}}}}\n", "2:43", "bad-range", `"default" is none`, "write 0.0.0.0/0"},
		{head + "networks: {a: {groups: {g: {in: [tcp/1 from group]}}}}\n", "2:34", "bad-rule", "has no name behind it", "group NAME"},
		{head + "networks: {a: {groups: {g: {in: [" + strings.Repeat("x", 9000) + "]}}}}\n", "2:34", "bad-rule", strings.Repeat("x", 59) + "…\" does not say", ""},
		{"%YAML 1.3\n---\nwendrik: 1\n", "1:1", "not-yaml", "another version of YAML", "%YAML 1.2"},
		{head + "estate:\n", "2:8", "wrong-kind", "a single value belongs here, not nothing", ""},
		{head + "? [a]\n: b\n", "2:3", "wrong-kind", "a key is a single word", ""},
		{head + "\testate: x\n", "2:1", "not-yaml", "a tab", "spaces"},
		{head + "estate: @x\n", "2:9", "not-yaml", `start with '@'`, "quotes"},
		{head + "estate: \"x\n", "2:9", "not-yaml", "a quote is opened", "close the quote"},
		{head + "estate: a: b\n", "2:10", "not-yaml", "in the middle of a value", "indentation"},
		{head + "a: {b: [c}\n", "2:10", "not-yaml", "not closed", "]"},
		{head + "estate\nnetworks:\n", "2:1", "not-yaml", `no "key: value"`, "colon"},
		{head + "estate: *x\n", "2:9", "not-yaml", "alias", "define it"},
		{head + "---\nwendrik: 1\n", "2:1", "several-documents", "second document", "file of its own"},
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
