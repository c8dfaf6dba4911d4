package export

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
)

// DNS says how zones are written.
type DNS struct {
	Domain  string   // of all workloads
	Servers []string // the names of the name servers
	Serial  uint32   // of all zones
	TTL     uint32   // for how many seconds records are kept
}

// what secondaries do, in seconds (RFC 1912 section 2.2), and how long it is kept that there is no such name (RFC 2308).
const (
	minimum = 3600
	refresh = 7200
	retry   = 900
	expire  = 1209600
)

// Zones are the zone files (RFC 1035) of an estate: one forward, and those of reverse mapping at the octets (RFC 1035) and nibbles
// (RFC 3596) of its networks, for every subnet; of ranges smaller than an octet, with the zone above and its delegation (RFC 2317). Beside
// workloads stand the gateways, as GATEWAY.NETWORK, and what the cloud has in each subnet, as router.SUBNET.NETWORK.
func (d DNS) Zones(e *estate.Estate) ([]File, error) {
	if _, ok := dns.IsDomainName(d.Domain); !ok || d.Domain == "" {
		return nil, fmt.Errorf("%q is no domain name", d.Domain)
	}
	for _, s := range d.Servers {
		if _, ok := dns.IsDomainName(s); !ok || s == "" {
			return nil, fmt.Errorf("%q is no name of a name server", s)
		}
	}
	origin := dns.Fqdn(strings.ToLower(d.Domain))
	names := labels(e)
	forward := d.zone(origin)
	reverse := map[string]*zone{}
	var order []string
	at := func(name string) *zone {
		if reverse[name] == nil {
			reverse[name] = d.zone(name)
			order = append(order, name)
		}
		return reverse[name]
	}
	below := func(p netip.Prefix, a netip.Addr) (z *zone, above, alias string) { // the zone of an address of a range
		name, above, alias := reverseZone(p, a)
		if above != "" && reverse[name] == nil {
			for _, s := range d.Servers {
				at(above).add(&dns.NS{Hdr: d.header(name, dns.TypeNS), Ns: dns.Fqdn(s)})
			}
		}
		return at(name), above, alias
	}
	record := func(host string, n *estate.Network, a netip.Addr, role bool) {
		forward.address(host, a)
		if p, found := networkRange(n, a); found {
			z, above, alias := below(p, a)
			pointer := reverseName(a)
			if above != "" { // RFC 2317: the zone above leads each address to a name in the zone of the range
				at(above).add(&dns.CNAME{Hdr: d.header(pointer, dns.TypeCNAME), Target: alias})
				pointer = alias
			}
			if !role || !z.named[pointer] { // an address leads to whoever has it, or to its first role
				z.named[pointer] = true
				z.add(&dns.PTR{Hdr: d.header(pointer, dns.TypePTR), Ptr: host})
			}
		}
	}
	for i, w := range e.Workloads {
		for _, a := range w.Addrs {
			record(names[i]+"."+origin, w.Network(), a, false)
		}
	}
	for _, n := range e.Networks {
		in := label(n.Name) + "." + origin
		for _, g := range n.Gateways {
			for _, a := range g.Addrs {
				record(label(g.Name)+"."+in, n, a, true)
			}
		}
		for _, s := range n.Subnets {
			for _, p := range s.Ranges {
				router, resolver, dhcp := s.Served(p)
				for i, a := range []netip.Addr{router, resolver, dhcp} {
					if a.IsValid() {
						record([]string{"router", "resolver", "dhcp"}[i]+"."+label(s.Name)+"."+in, n, a, true)
					}
				}
				if whole, found := networkRange(n, p.Addr()); found { // also where nobody is yet: who comes finds the zone
					for _, q := range zonesIn(whole, p) {
						below(whole, q.Addr())
					}
				}
			}
		}
	}
	files := []File{forward.file()}
	slices.Sort(order)
	for _, name := range order {
		files = append(files, reverse[name].file())
	}
	return files, nil
}

// zonesIn are the parts of a subnet that have a zone each: those of the octets or nibbles that name the zones of its network.
func zonesIn(network, subnet netip.Prefix) []netip.Prefix {
	unit, most := 8, 24
	if subnet.Addr().Is6() {
		unit, most = 4, 124
	}
	length := min((network.Bits()+unit-1)/unit*unit, most)
	if subnet.Bits() >= length {
		return []netip.Prefix{subnet}
	}
	var all []netip.Prefix
	for i := range uint64(1) << (length - subnet.Bits()) {
		p, _ := address.Piece(subnet, length, i)
		all = append(all, p)
	}
	return all
}

// networkRange is the range of a network that an address is in.
func networkRange(n *estate.Network, a netip.Addr) (netip.Prefix, bool) {
	if n != nil {
		for _, p := range n.Ranges {
			if p.Contains(a) {
				return p, true
			}
		}
	}
	return netip.Prefix{}, false
}

// reverseName is the name of an address in the tree of reverse mapping.
func reverseName(a netip.Addr) string {
	name, err := dns.ReverseAddr(a.String())
	if err != nil {
		panic(err) // it is an address
	}
	return name
}

// reverseZone is the zone of an address of a network: that of the octets or nibbles that are all in the network. Where the network
// is less than the last octet, it has a zone below that of the octet, and the address another name in it.
func reverseZone(p netip.Prefix, a netip.Addr) (zone, above, alias string) {
	parts := strings.Split(strings.TrimSuffix(reverseName(a), "."), ".")
	unit, whole := 8, 4
	if a.Is6() {
		unit, whole = 4, 32
	}
	cut := (p.Bits() + unit - 1) / unit // so many octets or nibbles name the zone
	if cut < whole {
		return strings.Join(parts[whole-cut:], ".") + ".", "", ""
	}
	if a.Is6() { // a network of a few addresses: the zone of the nibble above
		return strings.Join(parts[1:], ".") + ".", "", ""
	}
	above = strings.Join(parts[1:], ".") + "."
	first := p.Masked().Addr().As4()[3]
	zone = fmt.Sprintf("%d/%d.%s", first, p.Bits(), above)
	return zone, above, parts[0] + "." + zone
}

func (d DNS) header(name string, kind uint16) dns.RR_Header {
	return dns.RR_Header{Name: name, Rrtype: kind, Class: dns.ClassINET, Ttl: d.TTL}
}

// zone is a zone that is being written.
type zone struct {
	DNS
	origin  string
	records []dns.RR
	had     map[string]bool
	named   map[string]bool // the addresses that have a name
}

func (d DNS) zone(origin string) *zone {
	z := &zone{DNS: d, origin: origin, had: map[string]bool{}, named: map[string]bool{}}
	mailbox := "hostmaster." + dns.Fqdn(strings.ToLower(d.Domain))
	z.add(&dns.SOA{Hdr: d.header(origin, dns.TypeSOA), Ns: dns.Fqdn(d.Servers[0]), Mbox: mailbox, Serial: d.Serial, Refresh: refresh, Retry: retry, Expire: expire, Minttl: min(minimum, d.TTL)})
	for _, s := range d.Servers {
		z.add(&dns.NS{Hdr: d.header(origin, dns.TypeNS), Ns: dns.Fqdn(s)})
	}
	return z
}

func (z *zone) add(r dns.RR) {
	if line := r.String(); !z.had[line] {
		z.had[line] = true
		z.records = append(z.records, r)
	}
}

func (z *zone) address(host string, a netip.Addr) {
	if a.Is4() {
		z.add(&dns.A{Hdr: z.header(host, dns.TypeA), A: a.AsSlice()})
	} else {
		z.add(&dns.AAAA{Hdr: z.header(host, dns.TypeAAAA), AAAA: a.AsSlice()})
	}
}

func (z *zone) file() File {
	var b strings.Builder
	fmt.Fprintf(&b, "$ORIGIN %s\n$TTL %d\n", z.origin, z.TTL)
	for _, r := range z.records {
		b.WriteString(r.String() + "\n")
	}
	return File{strings.ReplaceAll(strings.TrimSuffix(z.origin, "."), "/", "-") + ".zone", b.String()}
}

// Hosts are the addresses of all workloads as lines of a hosts file: the address, the name in the domain, and the name alone.
func Hosts(e *estate.Estate, domain string) string {
	var b strings.Builder
	b.WriteString("# the workloads of the estate, by address\n")
	names := labels(e)
	for i, w := range e.Workloads {
		for _, a := range w.Addrs {
			fmt.Fprintf(&b, "%-15s %s.%s %s\n", a, names[i], strings.ToLower(strings.TrimSuffix(domain, ".")), names[i])
		}
	}
	return b.String()
}
