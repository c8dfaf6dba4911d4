package address

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// registry is what the IANA registries of special-purpose addresses say, and multicast, each with whether the internet
// carries it: written a second time, since a line that is lost or changed there shows in no other way.
const registry = `
0.0.0.0/32          no   RFC 1122  this host on this network
0.0.0.0/8           no   RFC 791   this network
10.0.0.0/8          no   RFC 1918  private use
100.64.0.0/10       no   RFC 6598  shared address space
127.0.0.0/8         no   RFC 1122  loopback
169.254.0.0/16      no   RFC 3927  link-local
172.16.0.0/12       no   RFC 1918  private use
192.0.0.0/29        no   RFC 7335  IPv4 service continuity
192.0.0.8/32        no   RFC 7600  IPv4 dummy address
192.0.0.9/32        yes  RFC 7723  port control protocol anycast
192.0.0.10/32       yes  RFC 8155  relay traversal anycast
192.0.0.170/31      no   RFC 8880  NAT64 and DNS64 discovery
192.0.0.0/24        no   RFC 6890  IETF protocol assignments
192.0.2.0/24        no   RFC 5737  documentation
192.31.196.0/24     yes  RFC 7535  AS112 service
192.52.193.0/24     yes  RFC 7450  automatic multicast tunnels
192.88.99.0/24      no   RFC 7526  deprecated 6to4 relay anycast
192.168.0.0/16      no   RFC 1918  private use
192.175.48.0/24     yes  RFC 7534  direct delegation AS112 service
198.18.0.0/15       no   RFC 2544  benchmarking
198.51.100.0/24     no   RFC 5737  documentation
203.0.113.0/24      no   RFC 5737  documentation
224.0.0.0/4         no   RFC 5771  multicast
255.255.255.255/32  no   RFC 8190  limited broadcast
240.0.0.0/4         no   RFC 1112  reserved
::1/128             no   RFC 4291  loopback
::/128              no   RFC 4291  unspecified address
::ffff:0.0.0.0/96   no   RFC 4291  IPv4-mapped
64:ff9b::/96        yes  RFC 6052  IPv4-IPv6 translation
64:ff9b:1::/48      no   RFC 8215  local IPv4-IPv6 translation
100::/64            no   RFC 6666  discard-only
100:0:0:1::/64      no   RFC 9780  dummy prefix
2001:1::1/128       yes  RFC 7723  port control protocol anycast
2001:1::2/128       yes  RFC 8155  relay traversal anycast
2001::/32           no   RFC 4380  tunnelling over UDP
2001:2::/48         no   RFC 5180  benchmarking
2001:3::/32         yes  RFC 7450  automatic multicast tunnels
2001:4:112::/48     yes  RFC 7535  AS112 service
2001:10::/28        no   RFC 4843  deprecated cryptographic hash identifiers
2001:20::/28        yes  RFC 7343  cryptographic hash identifiers
2001:30::/28        yes  RFC 9374  drone remote identification
2001:db8::/32       no   RFC 3849  documentation
2001::/23           no   RFC 2928  IETF protocol assignments
2002::/16           no   RFC 3056  6to4
2620:4f:8000::/48   yes  RFC 7534  direct delegation AS112 service
3fff::/20           no   RFC 9637  documentation
5f00::/16           no   RFC 9602  segment routing identifiers
fc00::/7            no   RFC 4193  unique-local
fe80::/10           no   RFC 4291  link-local unicast
ff00::/8            no   RFC 4291  multicast
`

func TestRegistry(t *testing.T) {
	var lines []string
	for _, s := range Specials() {
		lines = append(lines, fmt.Sprintf("%-18s  %-3s  %-8s  %s", s.Range, map[bool]string{true: "yes", false: "no"}[s.Global], s.Source, s.Name))
	}
	assert.Equal(t, strings.TrimSpace(registry), strings.Join(lines, "\n"))

	Specials()[0] = Special{}
	s, found := SpecialOf(netip.MustParsePrefix("0.0.0.0/32"))
	require.True(t, found, "who changes the list that is given changes no other")
	assert.Equal(t, "RFC 1122", s.Source, "the more specific of two")
	for text, want := range map[string]bool{"10.1.0.0/16": true, "8.0.0.0/6": true, "8.8.8.0/24": false, "::/0": true, "2a00::/16": false} {
		assert.Equal(t, want, HoldsSpecial(netip.MustParsePrefix(text)), text)
	}
}

// TestPublicIsTheRegistry asks of one address at each end of each line, and beside it, whether the internet carries it.
func TestPublicIsTheRegistry(t *testing.T) {
	carried := func(a netip.Addr) bool {
		s, special := SpecialOf(Single(a))
		return !special || s.Global || s.Name == "documentation" || StandIns.Contains(a)
	}
	for _, s := range Specials() {
		for _, a := range []netip.Addr{s.Range.Addr(), Last(s.Range), s.Range.Addr().Prev(), Last(s.Range).Next()} {
			if a.IsValid() {
				assert.Equal(t, carried(a), IsPublic(a), "%s beside %s", a, s.Range)
				assert.Equal(t, IsPublic(a), Public().Contains(a))
			}
		}
	}
	assert.Equal(t, "assigned", Word(netip.MustParseAddr("240.0.0.1")))
	assert.Equal(t, "241.0.0.1", Word(netip.MustParseAddr("241.0.0.1")))
	assert.Equal(t, "2001:db8::1", Word(netip.MustParseAddr("2001:db8::1")))
}
