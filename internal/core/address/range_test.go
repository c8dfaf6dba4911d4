package address

import (
	"errors"
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
