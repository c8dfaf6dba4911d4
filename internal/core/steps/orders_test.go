package steps

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// choices are what may stand at a place of a small plan, in which it matters what comes first: rules and routes that do in part what others
// do, tables that subnets go from and to, lists, halves of a peering, groups of a workload, addresses that must be free.
var choices = strings.NewReplacer("\t", "").Replace(`wendrik: 1
networks:
  booking:
    range: 10.1.0.0/16
    subnets: {app-a: {range: 10.1.0.0/24}, app-b: {range: 10.1.1.0/24}, web: {range: 10.1.2.0/24}}
    gateways: {front: {kind: internet}, NAT: {kind: nat, in: web, address: 10.1.2.200, public: 203.0.113.7}}
    tables:
      web: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}
      main: {main: true, routes: [<{to: finance, via: pair}|{to: finance, via: pair}, {to: 0.0.0.0/0, via: NAT}|{to: 10.2.0.0/24, via: pair}, {to: 0.0.0.0/0, via: front}|{to: 0.0.0.0/0, via: pair}|{to: 10.2.0.0/24, via: blackhole}, {to: finance, via: pair}>]}
      other: {subnets: [<|app-b|app-a, app-b|app-a>], routes: [<{to: finance, via: pair}|{to: 0.0.0.0/0, via: NAT}|{to: finance, via: pair}, {to: 0.0.0.0/0, via: NAT}|{to: 10.2.0.0/25, via: pair}, {to: 10.2.0.128/25, via: pair}>]}
    groups: {fares: {in: [<tcp/443 from any|tcp/443 from 0.0.0.0/1, tcp/443 from 128.0.0.0/1|tcp from group fares, tcp/443 from finance>], out: [<any to any|tcp to any|any to any, tcp/5432 to any>]}}
    lists: {edge: {subnets: [<|app-a|app-a, app-b>], in: [<allow any from any|deny tcp/443 from any, allow any from any|allow tcp from any>], out: [<allow any to any|allow tcp to any, allow udp to any>]}}
  finance: {range: 10.2.0.0/16, subnets: {data: {range: 10.2.0.0/24}}, tables: {main: {main: true, routes: [<{to: booking, via: pair}|{to: 10.1.0.0/24, via: pair}|>]}}, groups: {db: {in: [<tcp/5432 from booking|tcp/5432 from 10.1.0.0/24, tcp/5432 from 10.1.1.0/24|tcp from 10.1.0.0/24>], out: []}, old: {in: [<tcp/5432 from any|>], out: []}}}
workloads:
  fares: {in: booking/<app-a, address: 10.1.0.10|app-b, address: 10.1.1.10>, groups: [fares]<|, public: 203.0.113.9>}
  clock: {in: booking/app-b, address: 10.1.1.30<|, public: 203.0.113.9>, groups: [fares]}
  fare-db: {in: finance/data, address: 10.2.0.10, groups: [<db|old|db, old>]}
peerings: {pair: {between: [booking, finance], accepted: [<booking, finance|booking>]}}
`)

// pair writes the small plan twice, otherwise at some places.
func pair(rng *rand.Rand) (old, fresh string) {
	parts := strings.FieldsFunc(choices, func(r rune) bool { return r == '<' || r == '>' })
	differ := map[int]bool{}
	for range rng.IntN(4) {
		differ[1+2*rng.IntN(len(parts)/2)] = true
	}
	for i, part := range parts {
		if i%2 == 0 {
			old, fresh = old+part, fresh+part
			continue
		}
		all := strings.Split(part, "|")
		was, is := rng.IntN(len(all)), rng.IntN(len(all))
		if !differ[i] {
			is = was
		}
		old, fresh = old+all[was], fresh+all[is]
	}
	for _, other := range [][3]string{{"NAT", "out", "way"}, {"pair", "pair", "link"}, {"10.2.", "10.2.", "10.3."}} { // what is called or numbered otherwise
		is := other[1]
		if rng.IntN(3) == 0 {
			is = other[2]
		}
		old, fresh = strings.ReplaceAll(old, other[0], other[1]), strings.ReplaceAll(fresh, other[0], is)
	}
	return old, fresh
}

// TestOrdersAgainstAll changes a small plan in a few steps, and holds the order that is found, and the one that is searched for from the worst
// one, against all orders: it is without harm exactly where one is, and says that there is none exactly where there is none. What a step needs
// is enough for it.
func TestOrdersAgainstAll(t *testing.T) {
	clean, none := 0, 0
	for seed := range fuzz.Rounds(80, 1000) {
		before, after := pair(rand.New(rand.NewPCG(seed, 72)))
		old, problems := estate.Load(text.One("p", before))
		fresh, more := estate.Load(text.One("p", after))
		edits, err := text.Between(old.Plan.Files.First(), fresh.Plan.Files.First())
		require.NoError(t, err)
		if len(problems)+len(more) > 0 || len(edits) > 7 { // an address that two have; orders that are too many to try
			continue
		}
		p, err := Of(old, fresh, nil)
		require.NoError(t, err, "seed %d", seed)
		if len(p.Steps) < 2 || len(p.Steps) > 6 {
			continue
		}
		f := &finder{old: old, fresh: fresh, meant: compare.Effect(old, fresh)}
		harmless := f.allStates(p.Steps)
		last := 1<<len(p.Steps) - 1
		require.Equal(t, harmless[last], p.Clean(), "seed %d", seed)
		require.Equal(t, !harmless[last], p.None, "seed %d", seed)
		for i, s := range p.Steps {
			set := 1 << i
			for changed := true; changed; { // all that is needed, also for what is needed
				changed = false
				for k, x := range p.Steps {
					for _, need := range x.Needs {
						if set>>k&1 == 1 && set>>(need-1)&1 == 0 {
							set, changed = set|1<<(need-1), true
						}
					}
				}
			}
			require.Contains(t, harmless, set, "seed %d: step %d is made behind what it needs: %s", seed, i+1, s.Text)
		}
		f.done = slices.Clone(p.Steps)
		slices.Reverse(f.done)
		worst := slices.Clone(f.done)
		found, all := f.search()
		require.Equal(t, worst, f.done, "seed %d: the steps stay as they were", seed)
		require.Equal(t, harmless[last], found != nil, "seed %d", seed)
		require.True(t, all)
		set := 0
		for _, s := range found {
			set |= 1 << slices.IndexFunc(p.Steps, func(x Step) bool { return x.Text == s.Text })
			require.True(t, harmless[set], "seed %d: %s", seed, s.Text)
		}
		if none++; found != nil {
			require.Equal(t, last, set, "seed %d: each step is made", seed)
			none--
			clean++
		}
	}
	t.Logf("%d clean, %d none", clean, none)
	assert.Greater(t, clean, 9)
	assert.Greater(t, none, 2)
}

// allStates are the states that can be read of some steps, as sets of them, and whether each can be come to by states that cut and open nothing
// that is not meant.
func (f *finder) allStates(steps []Step) map[int]bool {
	harmless := map[int]bool{0: true}
	for set := 1; set < 1<<len(steps); set++ {
		var edits []text.Edit
		reached := false
		for i, s := range steps {
			if set>>i&1 == 1 {
				edits = append(edits, s.Edits...)
				reached = reached || harmless[set&^(1<<i)]
			}
		}
		content, _, err := f.old.Plan.Files.First().Apply(settled(edits))
		if err != nil {
			continue
		}
		if e, problems := estate.Load(text.One("p", content)); len(problems) == 0 {
			harmless[set] = reached
			if reached {
				cuts, opens := f.harm(e)
				harmless[set] = len(cuts)+len(opens) == 0
			}
		}
	}
	return harmless
}
