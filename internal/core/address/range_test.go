package address

import (
	"errors"
	"fmt"
	"math/big"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/wrong"
)

func TestParseRangeSaysWhatIsWrong(t *testing.T) {
	for text, want := range map[string]string{
		"":                      "missing",
		"10.144.0.0":            "has a length: write it like 10.144.0.0/24",
		"fd3a::":                "write it like fd3a::/120",
		"10.144.0.0/33":         "from 0 to 32",
		"10.144.0.0/":           "from 0 to 32",
		"10.144.0.0/+8":         "from 0 to 32",
		"10.144.0/24":           "not whole: write 10.144.0.0/24",
		"10/8":                  "not whole: write 10.0.0.0/8",
		"10.144/x":              "not whole: write one like 10.144.0.0/20",
		"10.0.0.0/255.0.0.0":    "has a mask, and a range has a length: write 10.0.0.0/8",
		"10.0.0.0/255.0.255.0":  "from 0 to 32",
		"10.144.0.0-10.144.0.9": "not a CIDR block",
		"::ffff:10.0.0.0/104":   "written as IPv4",
		"fe80::%eth0/64":        "names an interface",
		"cloud":                 `"cloud" is not a range: write one like`,
	} {
		_, err := ParseRange(text)
		require.Error(t, err, text)
		assert.Contains(t, err.Error()+": "+wrong.Right(err), want, text)
	}
	var host *HostBitsError
	_, err := ParseRange("10.144.3.7/20")
	require.True(t, errors.As(err, &host))
	assert.Equal(t, netip.MustParsePrefix("10.144.0.0/20"), host.Meant)
	for _, text := range []string{"0.0.0.0/0", "::/0", "10.144.0.0/12", "fd3a:5e11:c0de::/48", "10.0.0.1/32", "::1/128"} {
		p, err := ParseRange(text)
		require.NoError(t, err)
		assert.Equal(t, text, p.String())
	}
}

// TestAddressesAndRuns reads single addresses, runs of them and lengths, and what is wrong with others.
func TestAddressesAndRuns(t *testing.T) {
	for text, want := range map[string]string{
		"10.144.0.10":                "10.144.0.10/32",
		"fd3a::7":                    "fd3a::7/128",
		"10.0.0.0/30":                "10.0.0.0/30",
		"10.0.0.1-10.0.0.3":          "10.0.0.1-10.0.0.3",
		"10.0.0.4 - 10.0.0.7":        "10.0.0.4/30",
		"fd3a::-fd3a::f":             "fd3a::/124",
		"fd3a::1-fd3a::2":            "fd3a::1-fd3a::2",
		"10.0.0.9-10.0.0.9":          "10.0.0.9/32",
		"10.0.0.0-x":                 `"x" is not an IPv4 or IPv6 address: write one like 10.144.0.10`,
		"x-10.0.0.0":                 `"x" is not an IPv4 or IPv6 address: write one like 10.144.0.10`,
		"10.0.0.1-fd3a::1":           "10.0.0.1 and fd3a::1 are not of one family: ",
		"fd3a::1-10.0.0.1":           "fd3a::1 and 10.0.0.1 are not of one family: ",
		"10.0.0.9-10.0.0.1":          "10.0.0.9-10.0.0.1 runs backwards: write 10.0.0.1-10.0.0.9",
		"10.0.0.9/24":                "10.0.0.9/24 is an address inside a block, not a block: its host bits are not zero: the block is 10.0.0.0/24",
		"harbour":                    `"harbour" is not a range: write one like 10.144.0.0/20`,
		"fe80::1%eth0-fe80::2":       "fe80::1%eth0 names an interface after %; a plan has no interfaces: ",
		"::ffff:10.0.0.1-10.0.0.2":   "an IPv4 address is written as IPv4, not inside IPv6: ",
		"10.0.0.1-::ffff:10.0.0.2":   "an IPv4 address is written as IPv4, not inside IPv6: ",
		"10.0.0.1-10.0.0.2-10.0.0.3": `"10.0.0.2-10.0.0.3" is not an IPv4 or IPv6 address: write one like 10.144.0.10`,
	} {
		i, err := ParseInterval(text)
		if err != nil {
			assert.Equal(t, want, err.Error()+": "+wrong.Right(err), text)
			assert.Equal(t, Interval{}, i, text)
			continue
		}
		assert.Equal(t, want, i.String(), text)
	}
	for text, want := range map[string]string{
		"/20": "20", "/0": "0", "/128": "128",
		"20":            "the size 20 lacks its slash: write /20",
		"128":           "the size 128 lacks its slash: write /128",
		"129":           `"129" is not a size: write the length of the range, such as /20`,
		"/129":          `"/129" is not a size: write the length of the range, such as /20`,
		"/x":            `"/x" is not a size: write the length of the range, such as /20`,
		"//8":           `"//8" is not a size: write the length of the range, such as /20`,
		"":              `"" is not a size: write the length of the range, such as /20`,
		"255.255.240.0": "255.255.240.0 is a mask, and a size is a length: write /20",
		"/255.0.0.0":    "/255.0.0.0 is a mask, and a size is a length: write /8",
		"255.0.255.0":   `"255.0.255.0" is not a size: write the length of the range, such as /20`,
	} {
		n, err := ParseSize(text)
		if err != nil {
			assert.Equal(t, want, err.Error()+": "+wrong.Right(err), text)
			assert.Zero(t, n)
			continue
		}
		assert.Equal(t, want, fmt.Sprint(n), text)
	}
	_, err := ParseRange("10.144.3.7/20")
	assert.Equal(t, "10.144.3.7/20 is an address inside a block, not a block: its host bits are not zero", err.Error())
	for text, want := range map[string]int{"0.0.0.0": 0, "128.0.0.0": 1, "255.255.255.255": 32, "255.255.255.254": 31, "0.0.0.255": -1, "::": -1, "x": -1} {
		bits, is := MaskBits(text)
		if !is {
			bits = -1
		}
		assert.Equal(t, want, bits, text)
	}
}

// TestBlocksAndBlocks: what two blocks have in common, and whose piece of which number one is of the other.
func TestBlocksAndBlocks(t *testing.T) {
	p := netip.MustParsePrefix
	for _, c := range []struct {
		a, b, shared string
		number       int
	}{
		{"10.0.0.0/8", "10.7.0.0/16", "10.7.0.0/16", 7},
		{"10.7.0.0/16", "10.0.0.0/8", "10.7.0.0/16", -1},
		{"10.0.0.0/8", "11.0.0.0/16", "", -1},
		{"10.0.0.0/8", "10.0.0.0/8", "10.0.0.0/8", 0},
		{"fd00::/16", "fd00:9::/32", "fd00:9::/32", 9},
		{"::/0", "8000::/64", "8000::/64", -2}, // a number of 63 bits and more
		{"::/0", "0:0:1::/112", "0:0:1::/112", -1},
		{"0.0.0.0/0", "::/1", "", -1},
	} {
		shared := Shared(p(c.a), p(c.b))
		assert.Equal(t, c.shared != "", shared.IsValid(), "%s and %s", c.a, c.b)
		if c.shared != "" {
			assert.Equal(t, c.shared, shared.String())
		}
		n, is := PieceNumber(p(c.a), p(c.b))
		switch c.number {
		case -2:
			assert.True(t, is)
			assert.Equal(t, uint64(1)<<63, n)
		case -1:
			assert.False(t, is, "%s in %s", c.b, c.a)
		default:
			assert.True(t, is)
			assert.EqualValues(t, c.number, n)
		}
	}
	assert.Zero(t, Count(netip.Prefix{}).Sign())
	assert.Equal(t, netip.Addr{}, Last(netip.Prefix{}))
	assert.Zero(t, Pieces(netip.Prefix{}, 8).Sign())
	assert.Zero(t, Pieces(p("10.0.0.0/8"), 33).Sign())
	assert.Zero(t, Pieces(p("10.0.0.0/8"), 7).Sign())
	assert.Equal(t, int64(1), Pieces(p("10.0.0.0/8"), 8).Int64())
	_, found := Piece(netip.Prefix{}, 8, 0)
	assert.False(t, found)
	_, found = Piece(p("10.0.0.0/8"), 33, 0)
	assert.False(t, found)
	assert.True(t, Interval{netip.MustParseAddr("10.0.0.1"), netip.MustParseAddr("10.0.0.9")}.Holds(Interval{netip.MustParseAddr("10.0.0.1"), netip.MustParseAddr("10.0.0.9")}))
	for _, other := range []string{"10.0.0.0-10.0.0.9", "10.0.0.1-10.0.0.10"} {
		i, err := ParseInterval(other)
		require.NoError(t, err)
		assert.False(t, Interval{netip.MustParseAddr("10.0.0.1"), netip.MustParseAddr("10.0.0.9")}.Holds(i), other)
	}
	_, is := Interval{}.Block()
	assert.False(t, is)
	_, is = Interval{netip.MustParseAddr("10.0.0.0"), netip.MustParseAddr("::1")}.Block()
	assert.False(t, is)
}

func TestSizes(t *testing.T) {
	for _, c := range []struct {
		n     string
		width int
		want  int
	}{
		{"0", 32, 32}, {"1", 32, 32}, {"2", 32, 31}, {"3", 32, 30}, {"256", 32, 24}, {"257", 32, 23},
		{"4294967296", 32, 0}, {"4294967297", 32, -1}, {"18446744073709551616", 128, 64},
		{"340282366920938463463374607431768211456", 128, 0},
	} {
		n, _ := new(big.Int).SetString(c.n, 10)
		assert.Equal(t, c.want, BitsFor(n, c.width), c.n)
	}
	all6 := netip.MustParsePrefix("::/0")
	assert.Equal(t, "340282366920938463463374607431768211456", Count(all6).String())
	assert.Equal(t, "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff", Last(all6).String())
	assert.Equal(t, "10.144.15.255", Last(netip.MustParsePrefix("10.144.0.0/20")).String())
	assert.Equal(t, int64(251), Usable(netip.MustParsePrefix("10.144.0.0/24"), 4, 1).Int64())
	assert.Equal(t, int64(0), Usable(netip.MustParsePrefix("10.144.0.0/30"), 4, 1).Int64())
	assert.Equal(t, uint64(5), Distance(netip.MustParseAddr("::1"), netip.MustParseAddr("::6")))
	assert.Equal(t, ^uint64(0), Distance(netip.MustParseAddr("::1"), netip.MustParseAddr("1::6")))
	assert.Equal(t, "10.145.0.0", Advance(netip.MustParseAddr("10.144.255.255"), 1).String())
	assert.Equal(t, "0:0:0:1::", Advance(netip.MustParseAddr("::ffff:ffff:ffff:ffff"), 1).String())
	assert.Equal(t, "::ffff:ffff:ffff:ffff", Retreat(netip.MustParseAddr("0:0:0:1::"), 1).String())
}

func TestPiece(t *testing.T) {
	p, found := Piece(netip.MustParsePrefix("10.144.0.0/22"), 24, 3)
	assert.True(t, found)
	assert.Equal(t, "10.144.3.0/24", p.String())
	_, found = Piece(netip.MustParsePrefix("10.144.0.0/22"), 24, 4)
	assert.False(t, found)
	_, found = Piece(netip.MustParsePrefix("10.144.0.0/22"), 21, 0)
	assert.False(t, found)
	p, found = Piece(netip.MustParsePrefix("::/0"), 64, ^uint64(0))
	assert.True(t, found)
	assert.Equal(t, "ffff:ffff:ffff:ffff::/64", p.String())
	p, found = Piece(netip.MustParsePrefix("::/0"), 128, 7)
	assert.True(t, found)
	assert.Equal(t, "::7/128", p.String())
}

func TestSpecial(t *testing.T) {
	for text, want := range map[string]string{
		"10.144.0.0/12":      "RFC 1918",
		"100.64.0.0/16":      "RFC 6598",
		"203.0.113.7/32":     "RFC 5737",
		"192.0.0.9/32":       "RFC 7723",
		"255.255.255.255/32": "RFC 8190",
		"fd3a::/48":          "RFC 4193",
		"2001:db8::1/128":    "RFC 3849",
		"2001:1::1/128":      "RFC 7723",
		"::/0":               "",
		"9.0.0.0/7":          "",
		"8.0.0.0/8":          "",
	} {
		p, err := netip.ParsePrefix(text)
		require.NoError(t, err)
		s, found := SpecialOf(p.Masked())
		assert.Equal(t, want != "", found, text)
		assert.Equal(t, want, s.Source, text)
	}
	for text, want := range map[string]bool{
		"8.8.4.4": true, "203.0.113.7": true, "2001:db8::7": true, "192.0.0.9": true,
		"10.1.2.3": false, "172.31.0.1": false, "172.32.0.1": true, "100.127.0.1": false, "169.254.1.1": false,
		"224.0.0.1": false, "255.255.255.255": false, "fd3a::1": false, "fe80::1": false, "::1": false, "127.0.0.1": false,
	} {
		assert.Equal(t, want, IsPublic(netip.MustParseAddr(text)), text)
	}
	for i, s := range specials {
		for _, before := range specials[:i] {
			assert.False(t, Covers(before.Range, s.Range), "%s hides %s", before.Range, s.Range)
		}
	}
}
