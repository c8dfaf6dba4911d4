package overlap

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

func pairs(t *testing.T, content string) []Pair {
	t.Helper()
	return Estate(estatetest.Load(t, "wendrik: 1\n"+content)).Pairs
}

// TestVerdicts tells of each way in which two ranges can stand to each other, by what they meet, and where one could go.
func TestVerdicts(t *testing.T) {
	golden.File(t, "verdicts.txt", func(t *testing.T, asked string) string {
		var b strings.Builder
		found := Estate(estatetest.Load(t, "wendrik: 1\n"+asked+"\n"))
		for _, c := range Couples(found.Pairs) {
			fmt.Fprintf(&b, "%s %s, %s, %s: %s\n", c.Verdict, c.A, c.B, c.Shared, c.Why)
			if len(c.Chain) > 0 {
				fmt.Fprintln(&b, "  by ", strings.Join(c.Chain, " - "))
			}
			if c.Move != nil {
				fmt.Fprintln(&b, "  fix", c.Move)
			}
			for _, p := range c.Inside {
				fmt.Fprintf(&b, "  and in it %s %s, %s, %s\n", p.Verdict, p.A, p.B, p.Shared)
			}
		}
		assert.Empty(t, found.Left)
		assert.Zero(t, found.Unjudged)
		return b.String()
	})
}

// TestPairsAgainstEveryPair compares random networks and held blocks two by two.
func TestPairsAgainstEveryPair(t *testing.T) {
	rng := rand.New(rand.NewPCG(15, 16))
	root := netip.MustParsePrefix("10.0.0.0/24")
	for range 400 {
		names, ranges := []string{}, []netip.Prefix{}
		var networks, space strings.Builder
		for i := range 2 + rng.IntN(7) {
			length := 24 + rng.IntN(9)
			p, _ := address.Piece(root, length, uint64(rng.IntN(1<<(length-24))))
			if rng.IntN(3) == 0 {
				fmt.Fprintf(&space, "h%d: {block: %s, held: x}, ", i, p)
				names = append(names, fmt.Sprintf("block h%d", i))
			} else {
				fmt.Fprintf(&networks, "n%d: {range: %s}, ", i, p)
				names = append(names, fmt.Sprintf("network n%d", i))
			}
			ranges = append(ranges, p)
		}
		var got, want []string
		for _, p := range pairs(t, fmt.Sprintf("space: {%s}\nnetworks: {%s}\n", space.String(), networks.String())) {
			both := []string{p.A.String(), p.B.String()}
			sort.Strings(both)
			got = append(got, fmt.Sprint(both, p.Shared))
		}
		for i := range names {
			for j := range i {
				a, b := ranges[i], ranges[j]
				if !a.Contains(b.Addr()) && !b.Contains(a.Addr()) {
					continue
				}
				if a.Bits() < b.Bits() {
					a = b
				}
				both := []string{names[i], names[j]}
				sort.Strings(both)
				want = append(want, fmt.Sprint(both, a))
			}
		}
		require.ElementsMatch(t, want, got)
	}
}

// TestMany: as many pairs of a verdict are told as may be, and the others are counted.
func TestMany(t *testing.T) {
	var content strings.Builder
	content.WriteString("networks:\n")
	for i := range 151 { // 11,325 pairs
		fmt.Fprintf(&content, "  n%d: {range: 10.0.0.0/16}\n", i)
	}
	e := estatetest.Load(t, "wendrik: 1\n"+content.String()+"peerings: {p: {between: [n0, n1]}}\n")
	found := Estate(e)
	assert.Len(t, found.Pairs, 1+MaxPairs)
	assert.Equal(t, map[Verdict]int{Latent: 11_325 - 1 - MaxPairs}, found.Left)
	assert.Equal(t, Conflict, found.Pairs[0].Verdict)
	assert.Equal(t, "networks.n0 networks.n1", found.Pairs[0].A.Place().String()+" "+found.Pairs[0].B.Place().String())
}
