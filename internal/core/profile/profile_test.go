package profile

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/wrong"
)

// TestBuiltIn has the three profiles a second time: a knob that changes there is seen by every plan that says no more.
func TestBuiltIn(t *testing.T) {
	assert.Equal(t, []string{"zonal", "regional", "plain"}, Names())
	for name, want := range map[string]Profile{
		"zonal":    {"zonal", "zone", 4, 1, 28, 16, true, false, false, false, false, true, false, [2]uint16{1024, 65535}, 1, 2, 1, 0, 0, 0},
		"regional": {"regional", "region", 2, 2, 29, 8, false, true, true, true, false, false, true, [2]uint16{1024, 65535}, 1, 0, 0, 0, 0, 0},
		"plain":    {"plain", "anywhere", 1, 1, 30, 8, true, false, false, false, false, true, true, [2]uint16{1024, 65535}, 0, 0, 0, 0, 0, 0},
	} {
		p, found := Named(name)
		assert.True(t, found)
		assert.Equal(t, want, p)
	}
	p, found := Named("zonal2")
	assert.False(t, found)
	assert.Equal(t, Profile{}, p)
}

// TestRoom holds what a subnet has room for against a count of its addresses.
func TestRoom(t *testing.T) {
	for _, p := range BuiltIn {
		for length := 20; length <= 32; length++ {
			r := netip.PrefixFrom(netip.MustParseAddr("10.0.0.0"), length)
			var usable []netip.Addr
			n := 1 << (32 - length)
			a := r.Addr()
			for i := range n {
				if i >= p.ReservedFirst && i < n-p.ReservedLast {
					usable = append(usable, a)
				}
				a = a.Next()
			}
			require.Equal(t, int64(len(usable)), p.Usable(r).Int64(), "%s %s", p.Name, r)
			require.Equal(t, len(usable), p.UsableIn(length))
			first, last := p.Ends(r)
			if len(usable) == 0 {
				require.False(t, first.IsValid() || last.IsValid())
			} else {
				require.Equal(t, usable[0], first)
				require.Equal(t, usable[len(usable)-1], last)
			}
		}
		for n := range 5000 {
			length, fits := p.SizeFor(n)
			require.True(t, fits)
			require.GreaterOrEqual(t, p.UsableIn(length), n)
			require.True(t, length == p.Smallest || p.UsableIn(length+1) < n, "%d in a /%d", n, length)
			require.True(t, p.Takes(length))
		}
		assert.True(t, p.Takes(p.Largest) && p.Takes(p.Smallest))
		assert.False(t, p.Takes(p.Largest-1) || p.Takes(p.Smallest+1))
		most := p.UsableIn(p.Largest)
		_, fits := p.SizeFor(most)
		assert.True(t, fits, "%d hosts", most)
		_, fits = p.SizeFor(most + 1)
		assert.False(t, fits, "%d hosts", most+1)
	}
	six := netip.MustParsePrefix("fd00::/126")
	first, last := BuiltIn[0].Ends(six)
	assert.Equal(t, "4 fd00:: fd00::3", fmt.Sprint(BuiltIn[0].Usable(six), first, last), "nothing of IPv6 is reserved")
}

func TestGrowth(t *testing.T) {
	for text, want := range map[string]string{
		"50%": "50", "0%": "0", "10000%": "10000",
		"50":     "the growth 50 lacks its sign: write 50%",
		"10001%": `"10001%" is not a percentage up to 10000%: write 50%`,
		"-1%":    `"-1%" is not a percentage up to 10000%: write 50%`,
		"x":      `"x" is not a percentage up to 10000%: write 50%`,
	} {
		n, err := ParseGrowth(text)
		said := fmt.Sprint(n)
		if err != nil {
			said = err.Error() + ": " + wrong.Right(err)
		}
		assert.Equal(t, want, said)
	}
	var grown []string
	for _, c := range [][2]int{{200, 50}, {3, 50}, {1, 1}, {0, 100}, {100, 0}, {10, 15}} {
		grown = append(grown, fmt.Sprint(Grown(c[0], c[1])))
	}
	assert.Equal(t, "300 5 2 0 100 12", strings.Join(grown, " "), "rounded up")
}
