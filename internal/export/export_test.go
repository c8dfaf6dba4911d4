package export

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// TestLabels: every workload has a label of its own that a host name may have (RFC 1123).
func TestLabels(t *testing.T) {
	assert.Equal(t, "a-b", label("A_b"))
	assert.Equal(t, "x", label("---"))
	assert.Len(t, label(strings.Repeat("long", 30)), 63)
	e, _ := estate.Load(text.One("p", "wendrik: 1\nnetworks: {n: {range: 10.0.0.0/16, subnets: {s: {range: 10.0.0.0/24}}}}\nworkloads: {a.b: {in: n/s}, a_b: {in: n/s}, A-b: {in: n/s}, "+strings.Repeat("c", 80)+": {in: n/s}, "+strings.Repeat("c", 81)+": {in: n/s}}\n"))
	valid := regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$`)
	seen := map[string]bool{}
	for _, l := range labels(e) {
		assert.Regexp(t, valid, l)
		assert.False(t, seen[l], l)
		seen[l] = true
	}
	assert.Len(t, seen, 5)
}

// TestZonesOfRandomEstates follows every address of random estates through the zones, as a resolver would: from its name to its
// address, and back over its reverse name, through a delegation where there is one.
func TestZonesOfRandomEstates(t *testing.T) {
	followed := 0
	for seed := range uint64(20) {
		e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 21)))))
		require.Empty(t, findings)
		files, err := DNS{Domain: "skerry.example", Servers: []string{"ns.skerry.example"}, Serial: 7, TTL: 3600}.Zones(e)
		require.NoError(t, err)
		records := map[string][]dns.RR{}
		for _, f := range files {
			p := dns.NewZoneParser(strings.NewReader(f.Content), "", f.Name)
			apexes := 0
			for r, ok := p.Next(); ok; r, ok = p.Next() {
				if r.Header().Rrtype == dns.TypeSOA {
					apexes++
					require.Equal(t, uint32(7), r.(*dns.SOA).Serial)
				}
				records[r.Header().Name] = append(records[r.Header().Name], r)
			}
			require.NoError(t, p.Err(), f.Content)
			require.Equal(t, 1, apexes, f.Name)
		}
		find := func(name string, kind uint16) dns.RR {
			for range 2 {
				for _, r := range records[name] {
					if r.Header().Rrtype == kind {
						return r
					}
				}
				for _, r := range records[name] {
					if c, is := r.(*dns.CNAME); is {
						name = c.Target
					}
				}
			}
			return nil
		}
		for i, w := range e.Workloads {
			for _, a := range w.Addrs {
				r := find(reverseName(a), dns.TypePTR)
				require.NotNil(t, r, "%s of %s", a, w.Name)
				followed++
				var names []string // of all that have the address, in networks that are strangers
				for j, o := range e.Workloads {
					if slices.Contains(o.Addrs, a) {
						names = append(names, labels(e)[j]+".skerry.example.")
					}
				}
				require.Contains(t, names, labels(e)[i]+".skerry.example.")
				require.Contains(t, names, r.(*dns.PTR).Ptr)
				want := uint16(dns.TypeA)
				if a.Is6() {
					want = dns.TypeAAAA
				}
				forward := false
				for _, x := range records[labels(e)[i]+".skerry.example."] {
					forward = forward || x.Header().Rrtype == want && strings.HasSuffix(x.String(), "\t"+a.String())
				}
				require.True(t, forward, "%s is %s", w.Name, a)
			}
		}
	}
	assert.Greater(t, followed, 100)
}

// TestReverseZones tries the zones of ranges that end at octets and nibbles, and of those that do not.
func TestReverseZones(t *testing.T) {
	for ranges, want := range map[string]string{
		"10.144.0.0/16 10.144.3.9":                    "144.10.in-addr.arpa.  ",
		"10.144.0.0/15 10.145.3.9":                    "145.10.in-addr.arpa.  ",
		"10.144.0.0/20 10.144.3.9":                    "3.144.10.in-addr.arpa.  ",
		"10.144.3.0/24 10.144.3.9":                    "3.144.10.in-addr.arpa.  ",
		"10.144.3.0/26 10.144.3.9":                    "0/26.3.144.10.in-addr.arpa. 3.144.10.in-addr.arpa. 9.0/26.3.144.10.in-addr.arpa.",
		"fd3a:5e11:c0de::/48 fd3a:5e11:c0de:1::9":     "e.d.0.c.1.1.e.5.a.3.d.f.ip6.arpa.  ",
		"fd3a:5e11:c0de::/52 fd3a:5e11:c0de:1::9":     "0.e.d.0.c.1.1.e.5.a.3.d.f.ip6.arpa.  ",
		"fd3a:5e11:c0de:1::/124 fd3a:5e11:c0de:1::9":  "0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.1.0.0.0.e.d.0.c.1.1.e.5.a.3.d.f.ip6.arpa.  ",
		"fd3a:5e11:c0de:1::9/128 fd3a:5e11:c0de:1::9": "0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.1.0.0.0.e.d.0.c.1.1.e.5.a.3.d.f.ip6.arpa.  ",
		"10.144.3.8/32 10.144.3.8":                    "8/32.3.144.10.in-addr.arpa. 3.144.10.in-addr.arpa. 8.8/32.3.144.10.in-addr.arpa.",
		"fd3a:5e11:c0de::/50 fd3a:5e11:c0de:1::9":     "0.e.d.0.c.1.1.e.5.a.3.d.f.ip6.arpa.  ",
	} {
		words := strings.Fields(ranges)
		zone, above, alias := reverseZone(netip.MustParsePrefix(words[0]), netip.MustParseAddr(words[1]))
		assert.Equal(t, want, fmt.Sprintf("%s %s %s", zone, above, alias), ranges)
	}
}

// TestRefusesDomains: what is no domain makes no zone.
func TestRefusesDomains(t *testing.T) {
	e, _ := estate.Load(text.One("p", "wendrik: 1\nnetworks: {n: {range: 10.0.0.0/16}}\n"))
	for _, d := range []DNS{{Domain: "", Servers: []string{"a"}}, {Domain: "a..b", Servers: []string{"a"}}, {Domain: "a.b", Servers: []string{""}}} {
		_, err := d.Zones(e)
		assert.Error(t, err, d)
	}
}

// TestTablesOfRandomEstates: rows have as many cells as their header, and every range is in one of the tables.
func TestTablesOfRandomEstates(t *testing.T) {
	for seed := range uint64(20) {
		e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 22)))))
		require.Empty(t, findings)
		ranges := map[string]bool{}
		for _, x := range Tables(e) {
			for _, r := range x.Rows {
				require.Len(t, r, len(x.Header), x.Name)
				if x.Header[1] == "range" {
					_, err := netip.ParsePrefix(r[1])
					require.NoError(t, err, "%s: %s", x.Name, r)
					ranges[x.Name+r[1]] = true
				}
			}
		}
		for _, s := range e.Subnets {
			for _, p := range s.Ranges {
				require.True(t, ranges["subnets"+p.String()], p)
			}
		}
		var nested map[string]any
		require.NoError(t, json.Unmarshal([]byte(ValuesJSON(Values(e))), &nested))
		require.NoError(t, json.Unmarshal([]byte(YANG(e)), &nested))
		require.NoError(t, json.Unmarshal([]byte(DHCP(e)), &nested))
	}
}
