package space

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/ranges"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/golden"
)

// The tests plan inside 10.0.0.0/24, small enough for a twin that looks at each of its 256 addresses.

func piece(rng *rand.Rand, within netip.Prefix, most int) netip.Prefix {
	bits := within.Bits() + 1 + rng.IntN(most-within.Bits())
	b := within.Addr().As4()
	room := 1 << (bits - within.Bits())
	b[3] += byte(rng.IntN(room) << (32 - bits))
	return netip.PrefixFrom(netip.AddrFrom4(b), bits)
}

// estateOf makes an estate of a few blocks, networks, sites and clusters at random; what cannot be is left out.
func estateOf(t *testing.T, rng *rand.Rand) (*estate.Estate, []netip.Prefix) {
	t.Helper()
	root := netip.MustParsePrefix("10.0.0.0/24")
	for {
		var content strings.Builder
		content.WriteString("wendrik: 1\nspace:\n  all: {block: 10.0.0.0/24}\n")
		for i := range rng.IntN(4) {
			held := ""
			if rng.IntN(2) == 0 {
				held = ", held: a reason"
			}
			fmt.Fprintf(&content, "  b%d: {block: %s, within: all%s}\n", i, piece(rng, root, 28), held)
		}
		content.WriteString("networks:\n  none: {range: 10.9.0.0/16}\n")
		for i := range rng.IntN(4) {
			p := piece(rng, root, 27)
			fmt.Fprintf(&content, "  n%d: {range: %s, subnets: {s: {range: %s}}}\n", i, p, piece(rng, p, 30))
		}
		fmt.Fprintf(&content, "sites: {q: {ranges: %s}}\nclusters: {c: {in: none, pods: %s}}\n", piece(rng, root, 29), piece(rng, root, 29))
		e, findings := estate.Load(text.One("p", content.String()))
		if len(findings) == 0 {
			return e, []netip.Prefix{piece(rng, root, 30)}
		}
	}
}

func in(a netip.Addr, ranges ...netip.Prefix) bool {
	for _, p := range ranges {
		if p.Contains(a) {
			return true
		}
	}
	return false
}

// outside are ranges that a list outside the plan has.
func outside(all []netip.Prefix) []Taken {
	var out []Taken
	for _, p := range all {
		out = append(out, Taken{Range: p, Owner: "berth"})
	}
	return out
}

// TestWhoHasIt names who has a range, in the plan and in a list beside it, and where that is written.
func TestWhoHasIt(t *testing.T) {
	files := text.One("p", `wendrik: 1
space: {all: {block: 10.0.0.0/16}, later: {block: 10.0.8.0/24, within: all, held: the new pier}}
networks:
  n: {range: 10.0.0.0/22, subnets: {s: {range: 10.0.1.0/24}}, held: {h: {range: 10.0.2.0/24, for: quays}}}
`)
	e, findings := estate.Load(files)
	require.Empty(t, findings)
	list, err := ranges.Read(strings.NewReader("range,owner\n10.0.9.0/24,berths\n10.0.9.128-10.0.10.1,\n"), ranges.DefaultColumns)
	require.NoError(t, err)
	s := NewSurvey(e, Listed(list, files.Add("list.csv", "")))
	for p, want := range map[string][]string{
		"10.0.0.0/24":  {"network n in use p:4:3"},
		"10.0.1.7/32":  {"subnet n/s in use p:4:37", "network n in use p:4:3"},
		"10.0.2.0/25":  {"held part n/h held for quays p:4:70", "network n in use p:4:3"},
		"10.0.8.0/23":  {"block later held for the new pier p:2:36", "berths in use list.csv:2:1", " in use list.csv:3:1"},
		"10.0.10.0/24": {" in use list.csv:3:1"},
		"10.0.11.0/24": nil,
		"10.0.10.2/32": nil,
	} {
		var got []string
		for _, x := range s.Who(netip.MustParsePrefix(p)) {
			name := x.Owner
			if x.By != nil {
				name = string(x.By.Kind()) + " " + x.By.ID()
			}
			if line := name + " " + x.Why + " " + files.Where(x.At); !slices.Contains(got, line) {
				got = append(got, line)
			}
		}
		assert.Equal(t, want, got, p)
	}
}

// TestTreeAgainstEachAddress asks of every address of every block whether it is used, held, inside another block or
// free, from the front.
func TestTreeAgainstEachAddress(t *testing.T) {
	free := 0
	for seed := range fuzz.Rounds(150, 400) {
		rng := rand.New(rand.NewPCG(seed, 1))
		e, taken := estateOf(t, rng)
		s := NewSurvey(e, outside(taken))
		for _, n := range s.Tree() {
			for a := n.Range.Addr(); n.Range.Contains(a); a = a.Next() {
				want := "free"
				inner, held := false, n.Block.Held
				for _, b := range e.Blocks {
					for _, r := range b.Ranges {
						inside := b != n.Block && n.Range.Bits() <= r.Bits() && n.Range.Contains(r.Addr()) && (r != n.Range || b.Within == n.Block)
						inner = inner || !b.Held && inside && r.Contains(a)
						held = held || b.Held && r.Contains(a)
					}
				}
				used := in(a, taken...)
				for _, x := range e.Networks {
					used = used || in(a, x.Ranges...)
				}
				used = used || in(a, e.Sites[0].Ranges...) || in(a, e.Clusters[0].Pods...)
				switch {
				case n.Block.Held:
					want = "held"
				case inner:
					want = "inner"
				case held:
					want = "held"
				case used:
					want = "used"
				default:
					free++
				}
				is := map[string]bool{"free": n.Free.Contains(a), "held": n.Held.Contains(a), "inner": n.Inner.Contains(a), "used": n.Used.Contains(a)}
				for name, yes := range is {
					require.Equal(t, name == want, yes, "seed %d: %s of %s in block %s is %s\n%s", seed, a, n.Range, n.Block.Name, want, e.Plan.Files.First().Text)
				}
			}
			partsOf(t, n)
		}
		freeIn(t, s, e)
	}
	assert.Greater(t, free, 10_000)
}

// partsOf holds what is told of a node against its free addresses, one by one.
func partsOf(t *testing.T, n Node) {
	t.Helper()
	runs, before := 0, false
	for a := n.Range.Addr(); n.Range.Contains(a); a = a.Next() {
		now := n.Free.Contains(a)
		if now && !before {
			runs++
		}
		before = now
	}
	require.Equal(t, runs, n.Pieces())
	largest := netip.Prefix{}
	for bits := n.Range.Bits(); bits <= 32; bits++ {
		count := int64(0)
		for a := n.Range.Addr(); n.Range.Contains(a); a = a.Next() {
			p := netip.PrefixFrom(a, bits)
			if p.Masked() != p || !wholly(n, p) {
				continue
			}
			count++
			if !largest.IsValid() {
				largest = p
			}
		}
		require.Equal(t, big.NewInt(count), new(big.Int).Set(n.Fits(bits)), "/%d in %s", bits, n.Range)
	}
	require.Equal(t, largest, n.Largest())
	sum := n.Share(n.Free) + n.Share(n.Held) + n.Share(n.Used) + n.Share(n.Inner)
	require.InDelta(t, 1, sum, 1e-9, "every address counts once")
	for _, width := range []int{1, 8, 64} {
		cells := n.Map(width)
		require.LessOrEqual(t, len(cells), width)
		for i, c := range cells {
			mapped(t, n, i, len(cells), c)
		}
	}
}

func wholly(n Node, p netip.Prefix) bool {
	for a := p.Addr(); p.Contains(a); a = a.Next() {
		if !n.Free.Contains(a) {
			return false
		}
	}
	return true
}

// mapped holds one cell of a map against the addresses that it stands for.
func mapped(t *testing.T, n Node, i, of int, c Cell) {
	t.Helper()
	size := 1 << (32 - n.Range.Bits()) / of
	used, held, inner := 0, 0, 0
	a := n.Range.Addr()
	for range i * size {
		a = a.Next()
	}
	for range size {
		switch {
		case n.Used.Contains(a):
			used++
		case n.Held.Contains(a):
			held++
		case n.Inner.Contains(a):
			inner++
		}
		a = a.Next()
	}
	want := FreeCell
	switch {
	case used == size:
		want = FullyUsed
	case used > 0:
		want = PartlyUsed
	case held > 0:
		want = HeldCell
	case inner > 0:
		want = InnerCell
	}
	require.Equal(t, want, c, "part %d of %d of %s", i, of, n.Range)
}

// freeIn: what can be carved from a block is what its node has free, and nothing of a held one.
func freeIn(t *testing.T, s *Survey, e *estate.Estate) {
	t.Helper()
	for _, b := range e.Blocks {
		free := s.FreeIn(b)
		for a := b.Ranges[0].Addr(); b.Ranges[0].Contains(a); a = a.Next() {
			taken := b.Held || s.Occupied.Contains(a) || in(a, s.Inner(b)...)
			require.Equal(t, !taken, free.Contains(a))
		}
	}
	for i, n := range e.Networks {
		if i == 0 {
			continue
		}
		free := s.FreeInNetwork(n.Ranges)
		for a := n.Ranges[0].Addr(); n.Ranges[0].Contains(a); a = a.Next() {
			other := false
			for _, m := range e.Networks {
				other = other || m != n && in(a, m.Ranges...)
			}
			require.Equal(t, !other && !s.Leaves.Contains(a), free.Contains(a), "%s of network %s", a, n.Name)
		}
	}
}

// TestNextAgainstEachPiece: the next ranges are the lowest pieces of the block of which no address is taken.
func TestNextAgainstEachPiece(t *testing.T) {
	found := 0
	for seed := range fuzz.Rounds(100, 300) {
		rng := rand.New(rand.NewPCG(seed, 7))
		e, taken := estateOf(t, rng)
		s := NewSurvey(e, outside(taken))
		for _, b := range e.Blocks {
			size, n := 26+rng.IntN(6), 1+rng.IntN(5)
			var want []netip.Prefix
			for _, r := range b.Ranges {
				for a := r.Addr(); r.Contains(a) && len(want) < n && !b.Held; a = a.Next() {
					p := netip.PrefixFrom(a, size)
					free := p.Masked() == p && p.Bits() >= r.Bits()
					for x := a; free && p.Contains(x); x = x.Next() {
						free = !s.Occupied.Contains(x) && !in(x, s.Inner(b)...)
					}
					if free {
						want = append(want, p)
					}
				}
			}
			require.Equal(t, want, s.Next(b, size, n), "seed %d, block %s, /%d", seed, b.Name, size)
			found += len(want)
		}
	}
	assert.Greater(t, found, int(fuzz.Rounds(120, 500)))
}

// TestTree tells of blocks of both families, of one range twice, inside each other and with more than one range.
func TestTree(t *testing.T) {
	golden.File(t, "trees.txt", func(t *testing.T, asked string) string {
		e := estatetest.Load(t, "wendrik: 1\n"+asked+"\n")
		s := NewSurvey(e, nil)
		var b strings.Builder
		for _, n := range s.Tree() {
			fmt.Fprintf(&b, "%s%s %s: used %s, held %s, inside %s, free %s\n", strings.Repeat("  ", n.Depth), n.Block.Name, n.Range, n.Used, n.Held, n.Inner, n.Free)
		}
		for _, block := range e.Blocks {
			fmt.Fprintf(&b, "in %s: %v, next /26 %v, next /64 %v\n", block.Name, s.Inner(block), s.Next(block, 26, 2), s.Next(block, 64, 2))
		}
		for _, n := range e.Networks {
			fmt.Fprintf(&b, "of %s: free %s\n", n.Name, FreeOf(n))
		}
		return b.String()
	})
}

// TestMap: a map has as many cells as there are equal parts, at most a million, and of a single address one.
func TestMap(t *testing.T) {
	e := estatetest.Load(t, "wendrik: 1\nspace: {four: {block: 10.0.0.0/30}, one: {block: 10.9.0.0/32}, six: {block: fd00::/64}, net: {block: 10.8.0.0/24}}\nnetworks: {a: {range: 10.8.0.64/26}}\nsites: {q: {ranges: [10.8.0.0/27, 10.0.0.1/32]}}\n")
	for _, n := range NewSurvey(e, nil).Tree() {
		sizes := []int{len(n.Map(0)), len(n.Map(3)), len(n.Map(7)), len(n.Map(1 << 21))}
		switch n.Block.Name {
		case "four":
			assert.Equal(t, []int{1, 2, 4, 4}, sizes)
			assert.Equal(t, []Cell{FreeCell, FullyUsed, FreeCell, FreeCell}, n.Map(4))
		case "one":
			assert.Equal(t, []int{1, 1, 1, 1}, sizes)
		case "six":
			assert.Equal(t, []int{1, 2, 4, 1 << 20}, sizes)
		case "net":
			assert.Equal(t, []Cell{PartlyUsed, FullyUsed, FreeCell, FreeCell}, n.Map(4))
		}
	}
}

// TestFreeInNetwork: in each range of it, what no part has and no other network has in its own.
func TestFreeInNetwork(t *testing.T) {
	e := estatetest.Load(t, "wendrik: 1\nnetworks: {a: {range: [10.0.0.0/29, 10.0.1.0/29, \"fd00::/126\"], subnets: {s: {range: 10.0.1.0/30}}}, b: {range: 10.0.0.4/30}}\n")
	s := NewSurvey(e, nil)
	assert.Equal(t, "10.0.0.0/30 10.0.1.4/30 fd00::/126", s.FreeInNetwork(e.Network("a").Ranges).String())
	assert.Equal(t, "10.0.0.4/30", s.Shared.String())
}
