package mend

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

var today = time.Date(2031, 3, 31, 0, 0, 0, 0, time.UTC)

// TestRandomFixes fixes what check finds in random estates, with and without choices: each finding goes one way, what is said to be
// ended is not found in the text that is written, and what takes out rules and routes of no use changes no flow.
func TestRandomFixes(t *testing.T) {
	ended, chosen := map[diag.Code]int{}, 0
	for seed := range fuzz.Rounds(4, 14) {
		e := estatetest.Load(t, randomplan.Write(rand.New(rand.NewPCG(seed, 21))))
		findings := check.Run(e)
		for _, choices := range [][]Choice{nil, removals(findings)} {
			r := Of(e, findings, choices, today)
			require.Len(t, findings, len(r.Made)+len(r.Asks)+len(r.Left)+len(r.Failed), "seed %d", seed)
			changed, err := e.Plan.Files.Apply(e.Own(r.Changes.Edits()))
			require.NoError(t, err, "seed %d", seed)
			after, problems := estate.Load(e.Plan.Files.With(changed))
			require.Empty(t, problems, "seed %d", seed)
			now := check.Run(after)
			require.LessOrEqual(t, len(found(after, today)), len(found(e, today)), "seed %d: no more than there were", seed)
			if choices == nil {
				again := Of(r.After, found(r.After, today), nil, today)
				require.True(t, len(again.Made) > 0 || len(again.Changes) == 0, "seed %d: what is written once more ends nothing: %v", seed, again.Changes)
			}
			for _, f := range r.Made {
				ended[f.Code]++
				require.False(t, has(now, f), "seed %d: %s: %s", seed, f.Code, f.Message)
			}
			chosen += len(choices) - len(r.Unused)
		}
		var useless []diag.Finding
		for _, f := range findings {
			if f.Code == "shadowed-rule" || f.Code == "needless-rule" || f.Code == "never-wins" {
				useless = append(useless, f)
			}
		}
		r := Of(e, useless, nil, today)
		require.Empty(t, r.Opens, "seed %d", seed)
		require.Empty(t, r.Closes, "seed %d", seed)
	}
	for _, code := range []diag.Code{"shadowed-rule", "needless-rule", "half-joined", "idle", "idle-gateway", "dead-route", "not-attached"} {
		assert.Positive(t, ended[code], "%s: %v", code, ended)
	}
	assert.Greater(t, chosen, 10)
}

// TestFixesOfHalves fixes what check finds in plans of which parts are gone or are others: what is written can be read, has no more findings, ends
// what it is said to, and no line of expect that held is broken.
func TestFixesOfHalves(t *testing.T) {
	for seed := range fuzz.Rounds(8, 40) {
		e := estatetest.Half(t, rand.New(rand.NewPCG(seed, 22)), "")
		before := found(e, today)
		r := Of(e, before, nil, today)
		require.Len(t, before, len(r.Made)+len(r.Asks)+len(r.Left)+len(r.Failed), "seed %d", seed)
		changed, err := e.Plan.Files.Apply(e.Own(r.Changes.Edits()))
		require.NoError(t, err, "seed %d", seed)
		after, problems := estate.Load(e.Plan.Files.With(changed))
		require.Empty(t, problems, "seed %d", seed)
		now := found(after, today)
		require.LessOrEqual(t, len(now), len(before), "seed %d", seed)
		for _, f := range r.Made {
			require.False(t, has(now, f), "seed %d: %s: %s", seed, f.Code, f.Message)
		}
		if len(r.Against) == 0 {
			require.Empty(t, expect.NoLonger(e, after, true), "seed %d", seed)
		}
		again := Of(after, now, nil, today)
		require.True(t, len(again.Made) > 0 || len(again.Changes) == 0, "seed %d: what is written once more ends nothing: %v", seed, again.Changes)
	}
}

// removals choose that everything is taken out which can be.
func removals(findings []diag.Finding) (all []Choice) {
	for _, f := range findings {
		for _, word := range Choices(&f) {
			if word == "remove" {
				all = append(all, Choice{Code: string(f.Code), Place: f.Place.String(), Word: word})
			}
		}
	}
	return all
}

// TestChoices takes choices for all findings of a rule, for those at a place, and words that a person must give.
func TestChoices(t *testing.T) {
	const plan = `wendrik: 1
labels-required: [owner]
networks:
  a:
    range: 10.0.0.0/16
    subnets: {x: {range: 10.0.0.0/24}}
    gateways: {g: {kind: internet, owner: x}, h: {kind: internet}}
    tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}
    groups: {r: {in: [tcp/80 from any, tcp/22 from any, tcp/22 from 10.0.0.0/24], out: [any to any]}}
workloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r, owner: x}}
`
	e := estatetest.Load(t, plan)
	findings := check.Run(e)
	for _, c := range []struct {
		choices string
		want    []string // in the text then
		asks    int
		failed  string
	}{
		{"", []string{"in: [tcp/80 from any, tcp/22 from any], out"}, 5, ""},
		{"labels=quay", []string{"    owner: quay\nworkloads", "h: {kind: internet, owner: quay}"}, 3, ""},
		{"idle-gateway=remove", []string{"gateways: {g: {kind: internet, owner: x}}"}, 2, ""},
		{"open-port@a/r=198.51.100.0/28", []string{"in: [tcp/80 from any, tcp/22 from 198.51.100.0/28], out"}, 4, ""},
		{"open-port=nobody", nil, 4, "there is no group of network a"},
	} {
		var choices []Choice
		for one := range strings.SplitSeq(c.choices, ",") {
			if x, ok := ParseChoice(one); ok {
				choices = append(choices, x)
			}
		}
		r := Of(e, findings, choices, today)
		changed, err := e.Plan.Files.Apply(r.Changes.Edits())
		require.NoError(t, err)
		after := plan
		if len(changed) > 0 {
			after = changed[0].After
		}
		for _, want := range c.want {
			assert.Contains(t, after, want, c.choices)
		}
		assert.Len(t, r.Asks, c.asks, c.choices)
		if c.failed != "" && assert.Len(t, r.Failed, 1) {
			assert.Contains(t, r.Failed[0].Why, c.failed)
		}
		assert.Empty(t, r.Unused)
	}
	assert.Len(t, Of(e, findings, []Choice{{Code: "labels", Place: "b", Word: "x"}}, today).Unused, 1)
}

// TestNeverMore: of changes that would leave more findings than they end, those are made that do not; a choice of a person is made all
// the same.
func TestNeverMore(t *testing.T) {
	const content = "wendrik: 1\nprofile: zonal\nnetworks:\n  pier: {range: 10.0.0.0/16, subnets: {a: {range: 10.0.0.0/24}, b: {range: 10.0.1.0/24}}, groups: {g: {in: [tcp/443 from any], out: [any to any]}}}\nworkloads: {w: {in: pier/a, address: 10.0.0.9, groups: [g]}}\n"
	e := estatetest.Load(t, content)
	lists := text.Path{"networks", "pier", "lists"}
	bad := diag.Finding{Code: "shadowed-rule", At: e.Networks[0].At(), Place: e.Networks[0].Place(), Message: "what is made worse",
		Fixes: []diag.Fix{{Edits: []text.Edit{text.Set(lists, "l", text.Map(text.Field{Key: "in", Value: text.Words("deny any from any", "allow tcp/443 from any")}, text.Field{Key: "out", Value: text.Words("deny any to any", "allow udp to any")}))}}}}
	before := len(found(e, today))
	r := Of(e, []diag.Finding{bad}, nil, today)
	require.Empty(t, r.Changes)
	require.Len(t, r.Failed, 1)
	require.Equal(t, "more would be found then than is ended", r.Failed[0].Why)
	require.Same(t, e, r.After)

	bad.Fixes[0].Choice = "worse"
	r = Of(e, []diag.Finding{bad}, []Choice{{Code: "shadowed-rule", Word: "worse"}}, today)
	require.Len(t, r.Changes, 1)
	require.Greater(t, len(found(r.After, today)), before)
	require.Len(t, r.New, len(found(r.After, today))-before)
}

// TestParseChoice: a choice names a rule and a word, and perhaps a place, and nothing less.
func TestParseChoice(t *testing.T) {
	for said, want := range map[string]Choice{"idle=remove": {Code: "idle", Word: "remove"}, "idle@a/b=x=y": {Code: "idle", Place: "a/b", Word: "x=y"}} {
		c, ok := ParseChoice(said)
		assert.True(t, ok, said)
		assert.Equal(t, want, c, said)
	}
	for _, said := range []string{"", "idle", "=", "idle=", "=remove", "@a=remove", "idle@a="} {
		_, ok := ParseChoice(said)
		assert.False(t, ok, said)
	}
}

// TestHas: two findings are the same when rule, place and words are, and of lines of expect when the line is, whatever stops it.
func TestHas(t *testing.T) {
	f := diag.Finding{Code: "idle", Place: text.Path{"networks", "a"}, Message: "nothing uses a"}
	other := func(change func(*diag.Finding)) diag.Finding {
		g := f
		change(&g)
		return g
	}
	assert.True(t, has([]diag.Finding{{}, other(func(g *diag.Finding) { g.At, g.Severity = 7, diag.Warning })}, f), "wherever it stands")
	assert.False(t, has([]diag.Finding{other(func(g *diag.Finding) { g.Code = "slot" }), other(func(g *diag.Finding) { g.Place = text.Path{"networks", "b"} }), other(func(g *diag.Finding) { g.Message = "nothing needs a" })}, f))
	line := func(said string) diag.Finding { return diag.Finding{Code: expect.Broken, Message: said} }
	assert.True(t, has([]diag.Finding{line(`"a reaches b" does not hold: no route`)}, line(`"a reaches b" does not hold: no rule`)))
	assert.False(t, has([]diag.Finding{line(`"a reaches c" does not hold: no rule`), {Message: `"a reaches b" does not hold: no rule`}}, line(`"a reaches b" does not hold: no rule`)))
}

// TestAround: a finding at what joins two or more is ended at any of them.
func TestAround(t *testing.T) {
	m := &mender{e: estatetest.Load(t, `wendrik: 1
networks: {a: {range: 10.1.0.0/16}, b: {range: 10.2.0.0/16}, c: {range: 10.3.0.0/16}}
peerings: {p: {between: [a, b]}}
hubs: {h: {attach: {b: t, c: t, quay: t}, tables: {t: {}}}}
sites: {quay: {ranges: 10.212.0.0/16}, hut: {ranges: 10.213.0.0/16, link: c}}
`)}
	for place, want := range map[string][]string{
		"networks.a.tables.m": {"networks.a"}, "peerings.p.accepted": {"peerings.p", "networks.a", "networks.b"}, "hubs.h.tables": {"hubs.h", "networks.b", "networks.c", "sites.quay"},
		"sites.hut": {"sites.hut", "networks.c"}, "sites.quay": {"sites.quay"}, "hubs.none": {"hubs.none"}, "peerings.none": {"peerings.none"}, "expect": nil,
	} {
		assert.Equal(t, want, m.around(diag.Finding{Place: strings.Split(place, ".")}), place)
	}
}
