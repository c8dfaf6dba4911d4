package overlap

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// randomSpace makes an estate in a small space at random, in which much overlaps, and some of it is joined.
func randomSpace(t *testing.T, rng *rand.Rand) *estate.Estate {
	t.Helper()
	piece := func(within netip.Prefix, most int) netip.Prefix {
		bits := within.Bits() + rng.IntN(most-within.Bits()+1)
		b := within.Addr().As4()
		n := uint32(b[2])<<8 | uint32(b[3]) + uint32(rng.IntN(1<<(bits-within.Bits())))<<(32-bits)
		b[2], b[3] = byte(n>>8), byte(n)
		return netip.PrefixFrom(netip.AddrFrom4(b), bits)
	}
	for {
		var content strings.Builder
		content.WriteString("wendrik: 1\nnetworks:\n")
		for i := range 4 {
			p := piece(netip.MustParsePrefix("10.0.0.0/20"), 23)
			fmt.Fprintf(&content, "  n%d: {range: %s, subnets: {a: {range: %s}, b: {range: %s}}}\n", i, p, piece(p, 26), piece(p, 26))
		}
		fmt.Fprintf(&content, "sites: {x: {ranges: %s, link: n%d}, y: {ranges: %s}}\n", piece(netip.MustParsePrefix("10.0.0.0/20"), 24), rng.IntN(4), piece(netip.MustParsePrefix("10.0.0.0/20"), 24))
		if rng.IntN(2) == 0 {
			content.WriteString("peerings: {p: {between: [n0, n1], accepted: [n0, n1]}}\n")
		}
		e, findings := estate.Load(text.One("p", content.String()))
		if len(findings) == 0 {
			return e
		}
	}
}

// TestAgainstEveryPair holds the pairs that are found against looking at every two networks, subnets and sites: none is
// missing, none is made up, what they share is what both have, and networks that are peered and overlap are in conflict.
func TestAgainstEveryPair(t *testing.T) {
	seen := map[Verdict]int{}
	for seed := range fuzz.Rounds(80, 200) {
		e := randomSpace(t, rand.New(rand.NewPCG(seed, 1)))
		found := map[[2]string]Pair{}
		for _, p := range Estate(e).Pairs {
			seen[p.Verdict]++
			at := []any{"seed %d: %s and %s\n%s", seed, p.A, p.B, e.Plan.Files.First().Text}
			require.True(t, p.A.Range.Overlaps(p.B.Range), at...)
			require.True(t, p.A.Range.Overlaps(p.Shared) && p.B.Range.Overlaps(p.Shared), at...)
			require.Equal(t, max(p.A.Range.Bits(), p.B.Range.Bits()), p.Shared.Bits(), at...)
			require.NotEmpty(t, p.Why, at...)
			require.Equal(t, p.Verdict == Conflict, len(p.Chain) > 0, at...)
			found[[2]string{p.A.String(), p.B.String()}] = p
			found[[2]string{p.B.String(), p.A.String()}] = p
		}
		type thing struct {
			name, owner string
			of          netip.Prefix
		}
		var all []thing
		for _, n := range e.Networks {
			all = append(all, thing{"network " + n.Name, n.Name, n.Ranges[0]})
			for _, s := range n.Subnets {
				all = append(all, thing{"subnet " + s.ID(), n.Name, s.Ranges[0]})
			}
		}
		for _, s := range e.Sites {
			all = append(all, thing{"site " + s.Name, "", s.Ranges[0]})
		}
		for i, a := range all {
			for _, b := range all[i+1:] {
				p, is := found[[2]string{a.name, b.name}]
				// What one subnet shares with a whole follows from its network, or is that network's own.
				follows := strings.HasPrefix(a.name, "subnet") != strings.HasPrefix(b.name, "subnet")
				want := a.of.Overlaps(b.of) && !follows
				require.Equal(t, want, is, "seed %d: %s %s and %s %s\n%s", seed, a.name, a.of, b.name, b.of, e.Plan.Files.First().Text)
				if is && a.name == "network n0" && b.name == "network n1" && len(e.Peerings) > 0 {
					require.Equal(t, Conflict, p.Verdict, "seed %d", seed)
				}
				if is && a.owner == b.owner && a.owner != "" {
					require.Equal(t, Conflict, p.Verdict, "seed %d: two subnets of one network", seed)
				}
			}
		}
	}
	assert.Greater(t, seen[Conflict], 100)
	assert.Greater(t, seen[Latent], 100)
}
