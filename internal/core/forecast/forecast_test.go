package forecast

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

func loaded(t *testing.T, content string) *estate.Estate {
	t.Helper()
	e, findings := estate.Load(text.One("p", content))
	require.Empty(t, findings, content)
	return e
}

var day = time.Date(2026, 1, 31, 0, 0, 0, 0, time.UTC)

// scattered is a plan of two blocks in which networks lie anywhere, some of which cannot move, and some beside what is no network's.
func scattered(rng *rand.Rand) string {
	var b strings.Builder
	b.WriteString("wendrik: 1\nspace:\n  all: {block: [10.0.0.0/24, \"fd00::/60\"]}\n  inner: {block: 10.0.0.192/27, within: all}\nnetworks:\n")
	var taken []netip.Prefix
	put := func(p netip.Prefix) bool {
		for _, x := range append(taken, netip.MustParsePrefix("10.0.0.192/27")) {
			if x.Overlaps(p) {
				return false
			}
		}
		taken = append(taken, p)
		return true
	}
	any := func() netip.Prefix {
		length := 27 + rng.IntN(3)
		return netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, 0, byte(rng.IntN(256))}), length).Masked()
	}
	for i := range 3 + rng.IntN(8) {
		if p := any(); put(p) {
			fmt.Fprintf(&b, "  n%d: {range: %s, from: all, fixed: %t}\n", i, p, rng.IntN(4) == 0)
		}
	}
	b.WriteString("  six: {range: \"fd00:0:0:3::/64\", from: all}\n")
	if p := any(); put(p) {
		fmt.Fprintf(&b, "sites: {quay: {ranges: %s, link: six}}\n", p)
	}
	return b.String()
}

// TestAgainstCarve adds whatever is asked for to the plan, carves it, and goes on with what carve gave, until carve has no place.
func TestAgainstCarve(t *testing.T) {
	ends := 0
	for seed := range fuzz.Rounds(20, 120) {
		rng := rand.New(rand.NewPCG(seed, 71))
		content := scattered(rng)
		e := loaded(t, content)
		d := Demand{From: day, Since: day.AddDate(0, 0, -100), Until: day.AddDate(0, 20, 0), Monthly: []Arrival{{Block: "all", Size: 64, Wide: true}, {Size: 27 + rng.IntN(3)}}}
		for at := range 1 + rng.IntN(3) {
			d.Past = append(d.Past, Arrival{At: d.Since.AddDate(0, 0, 30*at+1), Block: []string{"all", "inner"}[rng.IntN(2)], Size: 28 + rng.IntN(3)})
		}
		var events []Arrival
		for round := range 8 {
			for _, a := range d.Past {
				a.At = day.Add(time.Duration(round)*100*24*time.Hour + a.At.Sub(d.Since))
				events = append(events, a)
			}
		}
		want := map[string]time.Time{} // by block, family and size: when carve first had no place
		for _, name := range []string{"all", "inner"} {
			b := e.Block(name)
			mine := own(events, name)
			for month := 1; month <= 20; month++ {
				at := []int{28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31, 31, 28, 31, 30, 31, 30, 31, 31, 30}[month-1]
				then := time.Date(2026, time.Month(1+month), at, 0, 0, 0, 0, time.UTC)
				for _, a := range own(d.Monthly, name) {
					a.At = then
					mine = append(mine, a)
				}
			}
			slices.SortStableFunc(mine, func(a, b Arrival) int { return a.At.Compare(b.At) })
			plan := content
			for i, a := range mine {
				key := fmt.Sprintf("%s %t /%d", name, a.Wide, a.Size)
				if _, over := want[key]; over || a.At.After(d.Until) || a.Wide && !hasSix(b) {
					continue
				}
				word := map[bool]string{false: "size", true: "size6"}[a.Wide]
				next := strings.Replace(plan, "networks:\n", fmt.Sprintf("networks:\n  z%d: {from: %s, %s: /%d}\n", i, name, word, a.Size), 1)
				bare := loaded(t, next)
				r := carve.Estate(bare)
				if len(r.Misfits) > 0 {
					want[key] = a.At
					continue
				}
				after, _, err := bare.With(r.Changes)
				require.NoError(t, err)
				plan = after.Plan.Files.First().Text
			}
		}
		for _, b := range Of(space.NewSurvey(e, nil), d, nil) {
			for _, s := range b.Sizes {
				key := fmt.Sprintf("%s %t /%d", b.Block.Name, b.Wide, s.Length)
				assert.Equal(t, want[key], s.NoPlace, "%s of\n%s", key, content)
				if !s.NoPlace.IsZero() {
					ends++
				}
				delete(want, key)
			}
		}
		assert.Empty(t, want, content)
	}
	assert.Greater(t, ends, 15)
}

func hasSix(b *estate.Block) bool { return len(b.Ranges) > 1 }

func own(all []Arrival, block string) (some []Arrival) {
	for _, a := range all {
		if a.Block == "" || a.Block == block {
			some = append(some, a)
		}
	}
	return some
}

// TestMoves makes the moves in the plan: each goes to what is free then, what is fixed stays, and as many fit as was said, which is more than
// before and not more than there could be.
func TestMoves(t *testing.T) {
	moved := 0
	for seed := range fuzz.Rounds(200, 2000) {
		rng := rand.New(rand.NewPCG(seed, 72))
		content := scattered(rng)
		e := loaded(t, content)
		length := 25 + rng.IntN(3)
		r := Moves(space.NewSurvey(e, nil), e.Block("all"), false, length)
		for _, m := range r.Moves {
			assert.False(t, m.Network.Plan.Fixed.Value)
			require.True(t, space.NewSurvey(e, nil).FreeIn(e.Block("all")).ContainsRange(m.To), "%v\n%s", m, content)
			require.Equal(t, []netip.Prefix{m.From}, e.Network(m.Network.Name).Ranges)
			content = strings.Replace(content, fmt.Sprintf("%s: {range: %s,", m.Network.Name, m.From), fmt.Sprintf("%s: {range: %s,", m.Network.Name, m.To), 1)
			e = loaded(t, content)
		}
		fits := space.Fits(space.NewSurvey(e, nil).FreeIn(e.Block("all")).Clip(netip.MustParsePrefix("10.0.0.0/24")), length)
		assert.Equal(t, fits, r.Moved, content)
		assert.LessOrEqual(t, r.Moved.Cmp(r.Most), 0)
		if len(r.Moves) > 0 {
			moved++
			assert.Positive(t, r.Moved.Cmp(r.Fits))
		}
	}
	assert.Greater(t, moved, 20)
}

// TestMovesAreFound knows what to move: the smaller of two that share halves, and of a few the fewest addresses.
func TestMovesAreFound(t *testing.T) {
	e := loaded(t, `wendrik: 1
space: {all: {block: 10.0.0.0/24}}
networks: {a: {range: 10.0.0.0/27, from: all}, b: {range: 10.0.0.128/28, from: all}, c: {range: 10.0.0.160/28, from: all}}
`)
	r := Moves(space.NewSurvey(e, nil), e.Block("all"), false, 25)
	require.Len(t, r.Moves, 1, "a goes, or b and c: as many addresses, and a lies lower")
	assert.Equal(t, "a", r.Moves[0].Network.Name)
	assert.Equal(t, "10.0.0.192/27", r.Moves[0].To.String())
	assert.Equal(t, [3]*big.Int{big.NewInt(0), big.NewInt(1), big.NewInt(1)}, [3]*big.Int{r.Fits, r.Moved, r.Most})
}

// TestCame knows what came from what moved, grew, went, or has another name.
func TestCame(t *testing.T) {
	e := loaded(t, "wendrik: 1\nspace: {all: {block: [10.0.0.0/8, \"fd00::/48\"]}, west: {block: 10.1.0.0/16, within: all}, shut: {block: 10.1.4.0/22, within: west, held: us}}\n")
	ranges := func(words ...string) (all []netip.Prefix) {
		for _, w := range words {
			all = append(all, netip.MustParsePrefix(w))
		}
		return all
	}
	states := []State{
		{day, map[string][]netip.Prefix{"stays": ranges("10.1.0.0/24"), "moves": ranges("10.1.1.0/24"), "named": ranges("10.1.2.0/24"), "goes": ranges("10.1.3.0/24"), "grows": ranges("10.2.0.0/24")}},
		{day.AddDate(0, 1, 0), map[string][]netip.Prefix{"stays": ranges("10.1.0.0/24"), "moves": ranges("10.9.0.0/24"), "renamed": ranges("10.1.2.0/24"),
			"grows": ranges("10.2.0.0/24", "10.3.0.0/22"), "comes": ranges("10.1.4.0/24", "fd00:0:0:7::/64"), "far": ranges("192.0.2.0/24", "192.0.2.128/25")}},
		{day.AddDate(0, 1, 9), map[string][]netip.Prefix{"late": ranges("10.1.9.0/25"), "alike": ranges("10.1.9.128/25"), "two": ranges("10.8.0.0/24", "10.8.1.0/24"), "moves": ranges("10.9.0.0/24"),
			"renamed": ranges("10.1.2.0/24"), "comes": ranges("10.1.4.0/24", "fd00:0:0:7::/64")}},
	}
	all, outside, went := Came(states, e)
	var words []string
	for _, a := range all {
		words = append(words, fmt.Sprintf("%s %s /%d %t %s", a.At.Format(time.DateOnly), a.Block, a.Size, a.Wide, a.Who))
	}
	assert.Equal(t, []string{"2026-03-03 all /22 false grows", "2026-03-03 west /24 false comes", "2026-03-03 all /64 true comes",
		"2026-03-12 all /24 false two", "2026-03-12 all /24 false two", "2026-03-12 west /25 false alike", "2026-03-12 west /25 false late"}, words)
	assert.Equal(t, [2]int{2, 4}, [2]int{outside, went})
	all, _, _ = Came([]State{states[0], {day.AddDate(0, 0, 1), nil}, {day.AddDate(0, 0, 2), states[0].Networks}}, e)
	assert.Empty(t, all, "it was there before")
	assert.Equal(t, states[0].Networks["stays"], StateOf(day, loaded(t, "wendrik: 1\nspace: {all: {block: 10.0.0.0/8}}\nnetworks: {stays: {range: 10.1.0.0/24}, bare: {from: all, size: /24}}\n")).Networks["stays"])
}

// TestPatternSize is what carve gives a network of the pattern.
func TestPatternSize(t *testing.T) {
	e := loaded(t, `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b], north: [north-a]}
space: {all: {block: 10.0.0.0/16}, six: {block: "fd00::/48"}, far: {block: 10.9.0.0/16, region: north}}
patterns: {small: {tiers: {web: {hosts: 20}}}, told: {size: /23}}
`)
	size, known := PatternSize(e, "told", e.Block("all"))
	assert.True(t, known)
	assert.Equal(t, 23, size)
	size, known = PatternSize(e, "small", e.Block("all"))
	assert.True(t, known)
	with := loaded(t, strings.Replace(e.Plan.Files.First().Text, "patterns:", "networks: {x: {pattern: small, from: all, region: west}}\npatterns:", 1))
	after, _, err := with.With(carve.Estate(with).Changes)
	require.NoError(t, err)
	assert.Equal(t, after.Network("x").Ranges[0].Bits(), size)
	_, known = PatternSize(e, "small", e.Block("six"))
	assert.False(t, known, "no IPv4 there")
	_, known = PatternSize(e, "small", e.Block("far"))
	assert.True(t, known, "in the region of the block")
	assert.True(t, address.Covers(e.Block("all").Ranges[0], after.Network("x").Ranges[0]))
}

// TestFirstAndOrder: what first has no place comes first, and what never ends last.
func TestFirstAndOrder(t *testing.T) {
	e := loaded(t, "wendrik: 1\nspace: {large: {block: 10.0.0.0/16}, held: {block: 10.9.0.0/24, held: us}, small: {block: 10.1.0.0/23}, tiny: {block: 10.2.0.0/24}}\n")
	d := Demand{From: day, Until: day.AddDate(1, 0, 0), Monthly: []Arrival{{Size: 24}, {Size: 25}}}
	all := Of(space.NewSurvey(e, nil), d, nil)
	require.Len(t, all, 3)
	assert.Equal(t, []string{"tiny", "small", "large"}, []string{all[0].Block.Name, all[1].Block.Name, all[2].Block.Name})
	assert.Equal(t, 25, all[0].First().Length, "the /24 of the first month takes it all")
	assert.Equal(t, "2026-02-28", all[0].First().NoPlace.Format(time.DateOnly))
	assert.Equal(t, "2026-03-31", all[0].Sizes[0].NoPlace.Format(time.DateOnly))
	assert.Equal(t, "2026-03-31", all[1].ByCount.Format(time.DateOnly))
	assert.Equal(t, 12.0, all[1].Sizes[0].Yearly)
	assert.Zero(t, all[2].First())
	assert.Len(t, Of(space.NewSurvey(e, nil), d, e.Block("small")), 1)
	assert.Equal(t, big.NewInt(65536-12*(256+128)), all[2].Curve[len(all[2].Curve)-1].Free)
}

// TestWhoMayMove: a network with its own subnets and held parts may; one in whose range somebody else has something, one that is fixed, one that
// is as large as what is asked for, and one whose slot is told, may not.
func TestWhoMayMove(t *testing.T) {
	for network, more := range map[string]string{
		"range: 10.0.0.0/28, from: all": "",
		"range: 10.0.0.0/28, from: all, subnets: {s: {range: 10.0.0.0/29}}, held: {h: {range: 10.0.0.8/29, for: later}}": "",
		"range: 10.0.0.0/28, from: all, fixed: true":                                                 "no",
		"range: 10.0.0.0/28, from: all, size: /28, slot: 0":                                          "no",
		"range: 10.0.0.0/25, from: all":                                                              "no",
		"range: [10.0.0.0/28, 10.0.0.32/28], from: all":                                              "no",
		"range: 10.0.0.0/28, from: all, subnets: {s: {range: 10.0.0.0/29}} ":                         "sites: {quay: {ranges: 10.0.0.8/29}}\n",
		"range: 10.0.0.0/28, from: all, subnets: {s: {range: 10.0.0.0/29}}  ":                        "clusters: {c: {in: x, pods: 10.0.0.8/29, services: 10.9.0.0/24}}\n",
		"range: 10.0.0.0/28, from: all}, y: {range: 10.0.0.8/29":                                     "no",
		"range: 10.0.0.0/28, from: all}, y: {range: 10.9.0.0/24, subnets: {s: {range: 10.0.0.8/29}}": "outside",
		"range: 10.0.0.0/28, from: all}, y: {range: 10.9.0.0/24, held: {h: {range: 10.0.0.8/29}}":    "outside",
	} {
		content := "wendrik: 1\nspace: {all: {block: 10.0.0.0/24}}\nnetworks: {x: {" + strings.TrimSpace(network) + "}, z: {range: 10.0.0.128/27, from: all, fixed: true}}\n"
		if strings.Contains(more, "\n") {
			content += more
		}
		e, _ := estate.Load(text.One("p", content)) // that a part lies outside is a finding, and no matter here
		r := Moves(space.NewSurvey(e, nil), e.Block("all"), false, 25)
		if more == "" {
			require.Len(t, r.Moves, 1, network)
			assert.Equal(t, "10.0.0.0/28 to 10.0.0.160/28", r.Moves[0].From.String()+" to "+r.Moves[0].To.String())
		} else {
			assert.Empty(t, r.Moves, "%s and %s", network, more)
		}
	}
}

// TestFewestAddressesMove: of two places the one in whose way less lies, be it more networks.
func TestFewestAddressesMove(t *testing.T) {
	e := loaded(t, `wendrik: 1
space: {all: {block: 10.0.0.0/23}}
networks: {a: {range: 10.0.0.0/26, from: all}, b: {range: 10.0.0.128/28, from: all}, c: {range: 10.0.0.160/28, from: all}, d: {range: 10.0.1.0/26, from: all}, e: {range: 10.0.1.128/27, from: all, fixed: true}}
`)
	r := Moves(space.NewSurvey(e, nil), e.Block("all"), false, 25)
	var moves []string
	for _, m := range r.Moves {
		moves = append(moves, m.Network.Name+" to "+m.To.String())
	}
	assert.Equal(t, []string{"b to 10.0.0.64/28", "c to 10.0.0.80/28", "d to 10.0.1.192/26"}, moves, "and then what lies in the way of the next")
	assert.Equal(t, "0 2", fmt.Sprint(r.Fits, " ", r.Moved))
}

// TestMostByCount: no more than the ranges of the block hold, nor than what is free.
func TestMostByCount(t *testing.T) {
	e := loaded(t, "wendrik: 1\nspace: {all: {block: [10.0.0.0/26, 10.0.1.0/25, 10.0.2.0/25, \"fd00::/56\"]}}\nnetworks: {a: {range: 10.0.1.0/28, from: all, fixed: true}, b: {range: 10.0.2.64/28, from: all}}\n")
	of := func(wide bool, length int) string {
		r := Moves(space.NewSurvey(e, nil), e.Block("all"), wide, length)
		return fmt.Sprint(r.Fits, " ", r.Moved, " ", r.Most, " ", len(r.Moves))
	}
	assert.Equal(t, "0 1 2 1", of(false, 25))
	assert.Equal(t, "3 4 4 1", of(false, 26))
	assert.Equal(t, "0 0 0 0", of(false, 24))
	assert.Equal(t, "16 16 16 0", of(true, 60))
}

// TestYearly counts what came by the years in which it did; each family has its own.
func TestYearly(t *testing.T) {
	e := loaded(t, "wendrik: 1\nspace: {all: {block: [10.0.0.0/16, \"fd00::/56\"]}}\nnetworks: {a: {range: [10.0.0.0/24, \"fd00:0:0:1::/64\"], from: all}, b: {range: 10.0.1.0/24, from: all}}\n")
	d := Demand{From: day, Since: day.AddDate(-2, 0, 0), Until: day.AddDate(1, 0, 0), Past: []Arrival{{At: day.AddDate(-1, 0, 0), Block: "all", Size: 24}, {At: day.AddDate(0, -1, 0), Block: "all", Size: 24},
		{At: day.AddDate(0, -2, 0), Block: "all", Size: 24}, {At: day.AddDate(0, -2, 0), Block: "all", Size: 64, Wide: true}}}
	all := Of(space.NewSurvey(e, nil), d, nil)
	require.Len(t, all, 2)
	assert.InDelta(t, 1.5, all[0].Sizes[0].Yearly, 0.01)
	assert.InDelta(t, 0.5, all[1].Sizes[0].Yearly, 0.01)
	assert.Equal(t, "65536 65024 254 4722366482869645213696 4703919738795935662080 255", fmt.Sprint(all[0].Ever, all[0].Free, all[0].Sizes[0].Fits, " ", all[1].Ever, all[1].Free, all[1].Sizes[0].Fits))
	assert.Len(t, StateOf(day, e).Networks, 2)
	_, known := PatternSize(e, "none", e.Block("all"))
	assert.False(t, known)
}

// TestNowhere: what is asked for of a block that is held, is not there, or has not the family; of one block alone, what is asked of it.
func TestNowhere(t *testing.T) {
	e := loaded(t, "wendrik: 1\nspace: {both: {block: [10.0.0.0/16, \"fd00::/56\"]}, four: {block: 10.1.0.0/16}, held: {block: 10.2.0.0/16, held: us}}\n")
	d := Demand{Past: []Arrival{{Block: "held", Size: 24}, {Block: "four", Size: 64, Wide: true}, {Block: "four", Size: 24}}, Monthly: []Arrival{{Size: 22}, {Size: 60, Wide: true}}}
	sizes := func(all []Arrival) (out []int) {
		for _, a := range all {
			out = append(out, a.Size)
		}
		return out
	}
	s := space.NewSurvey(e, nil)
	assert.Equal(t, []int{24, 64}, sizes(Nowhere(s, d, nil)))
	assert.Equal(t, []int{64, 60}, sizes(Nowhere(s, d, e.Block("four"))))
	assert.Empty(t, Nowhere(s, d, e.Block("both")))
}

// TestUntil: to the end where all is decided before, however much comes; to the day on which more has come than is foreseen else.
func TestUntil(t *testing.T) {
	e := loaded(t, "wendrik: 1\nspace: {tiny: {block: 10.0.0.0/30}, wide: {block: 10.4.0.0/14}}\n")
	d := Demand{From: day, Since: day.AddDate(0, 0, -1), Until: day.AddDate(2, 0, 0)}
	for range 1000 {
		d.Past = append(d.Past, Arrival{At: day, Block: "", Size: 32})
	}
	all := Of(space.NewSurvey(e, nil), d, nil)
	require.Len(t, all, 2)
	assert.Equal(t, []string{"tiny 2028-01-31", "wide 2026-08-19"}, []string{all[0].Block.Name + " " + all[0].Until.Format(time.DateOnly), all[1].Block.Name + " " + all[1].Until.Format(time.DateOnly)})
	assert.Zero(t, all[1].First())
}
