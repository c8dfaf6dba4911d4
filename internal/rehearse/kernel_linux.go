package rehearse

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os"
	"runtime"
	"slices"
	"strings"

	"github.com/vishvananda/netlink"
	"github.com/vishvananda/netns"
	"golang.org/x/sys/unix"

	"wendrik/internal/rehearse/stage"
)

// namespace is a network namespace that this process made. It ends with the process, or when it is closed.
type namespace struct {
	fd int
}

// newNamespace makes an empty network namespace.
func newNamespace() (*namespace, error) {
	var made *namespace
	err := onThread(func() error {
		if err := unix.Unshare(unix.CLONE_NEWNET); err != nil {
			return err
		}
		fd, err := unix.Open("/proc/thread-self/ns/net", unix.O_RDONLY|unix.O_CLOEXEC, 0)
		made = &namespace{fd}
		return err
	})
	return made, err
}

// onThread runs a function on a thread of its own, which ends with it.
func onThread(do func() error) error {
	done := make(chan error)
	go func() {
		runtime.LockOSThread() // never unlocked: the thread is not used for anything else
		done <- do()
	}()
	return <-done
}

// do runs a function in the namespace.
func (n *namespace) do(what func() error) error {
	return onThread(func() error {
		if err := unix.Setns(n.fd, unix.CLONE_NEWNET); err != nil {
			return err
		}
		return what()
	})
}

func (n *namespace) close() { unix.Close(n.fd) }

// kernel is a stage that stands.
type kernel struct {
	spaces map[*stage.Node]*namespace
	six    bool               // whether the kernel has IPv6
	turns  map[*namespace]int // how often the routes and filters of a namespace were written
}

// build builds a stage.
func build(s *stage.Stage, step func(done, total int)) (*kernel, error) {
	_, err := os.Stat("/proc/sys/net/ipv6")
	k := &kernel{spaces: map[*stage.Node]*namespace{}, six: err == nil, turns: map[*namespace]int{}}
	parts := []func(*stage.Node) error{k.make, k.ports, k.routing, k.filters}
	for i, part := range parts { // a cable needs the nodes at both its ends, and a route needs its cable
		for j, n := range s.Nodes {
			step(i*len(s.Nodes)+j, len(parts)*len(s.Nodes))
			if err := part(n); err != nil {
				k.down()
				return nil, fmt.Errorf("%s: %w", n.Name, err)
			}
		}
	}
	return k, nil
}

// make makes the namespace of a node.
func (k *kernel) make(n *stage.Node) error {
	space, err := newNamespace()
	if err != nil {
		return fmt.Errorf("no network namespace can be made: %w", err)
	}
	k.spaces[n] = space
	return k.settings(n)
}

// down ends all namespaces.
func (k *kernel) down() {
	for _, n := range k.spaces {
		n.close()
	}
}

// settings sets what the kernel does by itself in a namespace, so that it does nothing that the plan does not say.
func (k *kernel) settings(n *stage.Node) error {
	forward := "0"
	if n.Forwards {
		forward = "1"
	}
	all := [][2]string{
		{"ipv4/ip_forward", forward},
		{"ipv4/conf/all/rp_filter", "0"}, {"ipv4/conf/default/rp_filter", "0"},
		{"ipv4/conf/all/send_redirects", "0"}, {"ipv4/conf/default/send_redirects", "0"},
		{"ipv4/conf/all/accept_redirects", "0"}, {"ipv4/conf/default/accept_redirects", "0"},
		{"ipv4/icmp_ratelimit", "0"},
		{"ipv4/ping_group_range", "0 0"},
		{"ipv4/ip_unprivileged_port_start", "0"},
	}
	if k.six {
		all = append(all, [][2]string{
			{"ipv6/conf/all/disable_ipv6", "0"}, {"ipv6/conf/default/disable_ipv6", "0"},
			{"ipv6/conf/all/forwarding", forward}, {"ipv6/conf/default/forwarding", forward},
			{"ipv6/conf/all/accept_ra", "0"}, {"ipv6/conf/default/accept_ra", "0"},
			{"ipv6/conf/all/accept_redirects", "0"}, {"ipv6/conf/default/accept_redirects", "0"},
			{"ipv6/conf/default/accept_dad", "0"}, {"ipv6/conf/default/dad_transmits", "0"}, {"ipv6/conf/default/addr_gen_mode", "1"},
		}...)
	}
	return k.spaces[n].do(func() error {
		for _, s := range all {
			if err := os.WriteFile("/proc/sys/net/"+s[0], []byte(s[1]), 0o644); err != nil && !errors.Is(err, os.ErrNotExist) {
				return fmt.Errorf("the setting %s cannot be made: %w", s[0], err)
			}
		}
		// Where the kernel has these, packets within a subnet must not meet the packet filter of its router.
		for _, name := range []string{"bridge-nf-call-iptables", "bridge-nf-call-ip6tables", "bridge-nf-call-arptables"} {
			_ = os.WriteFile("/proc/sys/net/bridge/"+name, []byte("0"), 0o644)
		}
		return nil
	})
}

// forget takes out of the connection tracking of all nodes what is not TCP: an exchange that is tried anew after a change, from the
// same port, would pass as one that began before it. Connections that are kept over changes are TCP.
func (k *kernel) forget() error {
	var others []netlink.CustomConntrackFilter
	for _, protocol := range []uint8{unix.IPPROTO_UDP, unix.IPPROTO_ICMP, unix.IPPROTO_ICMPV6} {
		f := &netlink.ConntrackFilter{}
		if err := f.AddProtocol(protocol); err != nil {
			return err
		}
		others = append(others, f)
	}
	for n := range k.spaces {
		h, err := netlink.NewHandleAt(netns.NsHandle(k.spaces[n].fd), unix.NETLINK_NETFILTER)
		if err != nil {
			return err
		}
		for _, family := range []netlink.InetFamily{unix.AF_INET, unix.AF_INET6} {
			if _, err = h.ConntrackDeleteFilters(netlink.ConntrackTable, family, others...); err != nil {
				break
			}
		}
		h.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

// at opens a handle to the links, addresses and routes of a node.
func (k *kernel) at(n *stage.Node) (*netlink.Handle, error) {
	return netlink.NewHandleAt(netns.NsHandle(k.spaces[n].fd), unix.NETLINK_ROUTE)
}

// ports makes the loopback and the bridges of a node, and those cables of which it has the first end.
func (k *kernel) ports(n *stage.Node) error {
	h, err := k.at(n)
	if err != nil {
		return err
	}
	defer h.Close()
	lo, err := h.LinkByName("lo")
	if err != nil {
		return err
	}
	for _, a := range n.Own {
		if err := k.address(h, lo, netip.PrefixFrom(a, a.BitLen())); err != nil {
			return err
		}
	}
	if err := h.LinkSetUp(lo); err != nil {
		return err
	}
	for _, b := range n.Bridges {
		if err := k.bridge(h, b); err != nil {
			return err
		}
	}
	for _, p := range n.Ports {
		if err := k.port(h, p); err != nil {
			return err
		}
	}
	return nil
}

func (k *kernel) bridge(h *netlink.Handle, b *stage.Bridge) error {
	snoop := false
	link := &netlink.Bridge{LinkAttrs: netlink.LinkAttrs{Name: b.Name, HardwareAddr: hardware(b.Number)}, MulticastSnooping: &snoop}
	if err := h.LinkAdd(link); err != nil {
		return fmt.Errorf("the bridge %s: %w", b.Name, err)
	}
	return k.up(h, b.Name, b.Addrs)
}

// port makes a port, with its cable unless the other end has made that.
func (k *kernel) port(h *netlink.Handle, p *stage.Port) error {
	if _, there := k.spaces[p.Peer.Node]; !there {
		return fmt.Errorf("port %s leads nowhere", p.Name)
	}
	if _, err := h.LinkByName(p.Name); err != nil {
		attrs := netlink.NewLinkAttrs()
		attrs.Name, attrs.HardwareAddr = p.Name, hardware(p.Number)
		veth := &netlink.Veth{LinkAttrs: attrs, PeerName: p.Peer.Name, PeerHardwareAddr: hardware(p.Peer.Number), PeerNamespace: netlink.NsFd(k.spaces[p.Peer.Node].fd)}
		if err := h.LinkAdd(veth); err != nil {
			return fmt.Errorf("the cable to %s: %w", p.Peer.Node.Name, err)
		}
	}
	if err := k.up(h, p.Name, p.Addrs); err != nil {
		return err
	}
	if p.Bridge != nil {
		return k.plug(h, p)
	}
	return nil
}

// hardware is the link-layer address of a port or bridge, one that is locally administered (IEEE 802).
func hardware(number int) net.HardwareAddr {
	return net.HardwareAddr{0x02, 0, byte(number >> 24), byte(number >> 16), byte(number >> 8), byte(number)}
}

func (k *kernel) plug(h *netlink.Handle, p *stage.Port) error {
	link, err := h.LinkByName(p.Name)
	if err != nil {
		return err
	}
	bridge, err := h.LinkByName(p.Bridge.Name)
	if err != nil {
		return err
	}
	return h.LinkSetMaster(link, bridge)
}

// up gives a link its addresses, and switches it on.
func (k *kernel) up(h *netlink.Handle, name string, addrs []netip.Prefix) error {
	link, err := h.LinkByName(name)
	if err != nil {
		return err
	}
	for _, p := range addrs {
		if err := k.address(h, link, p); err != nil {
			return fmt.Errorf("the address %s: %w", p.Addr(), err)
		}
	}
	return h.LinkSetUp(link)
}

func (k *kernel) address(h *netlink.Handle, link netlink.Link, p netip.Prefix) error {
	if p.Addr().Is6() && !k.six {
		return nil
	}
	a := &netlink.Addr{IPNet: ipNet(p)}
	if p.Addr().Is6() {
		a.Flags = unix.IFA_F_NODAD
	}
	return h.AddrAdd(link, a)
}

func ipNet(p netip.Prefix) *net.IPNet {
	return &net.IPNet{IP: p.Addr().AsSlice(), Mask: net.CIDRMask(p.Bits(), p.Addr().BitLen())}
}

// The tables and rules of a node are numbered from these. Each turn of writing them takes numbers of its own, so that those of the
// turn before decide until all of the new ones are there.
const (
	firstTable, tablesOfTurn = 1000, 1000
	firstRule, rulesOfTurn   = 1000, 14000 // priorities end at 32766, where the kernel has rules of its own
)

var routeTypes = map[stage.Kind]int{stage.Deliver: unix.RTN_UNICAST, stage.Next: unix.RTN_THROW, stage.Unreachable: unix.RTN_BLACKHOLE}

// routing writes the tables of a node and the rules that choose among them, and takes out the kernel's own.
func (k *kernel) routing(n *stage.Node) error {
	h, err := k.at(n)
	if err != nil {
		return err
	}
	defer h.Close()
	index := map[string]int{}
	links, err := h.LinkList()
	if err != nil {
		return err
	}
	for _, l := range links {
		index[l.Attrs().Name] = l.Attrs().Index
	}
	for _, x := range n.Neighbours() {
		if x.Addr.Is6() && !k.six {
			continue
		}
		family := unix.AF_INET6
		if x.Addr.Is4() {
			family = unix.AF_INET
		}
		if err := h.NeighSet(&netlink.Neigh{LinkIndex: index[x.Dev], Family: family, State: unix.NUD_PERMANENT, IP: x.Addr.AsSlice(), HardwareAddr: hardware(x.Number)}); err != nil {
			return fmt.Errorf("the neighbour %s: %w", x.Addr, err)
		}
	}
	turn := k.turns[k.spaces[n]]
	tables, rules := firstTable+turn*tablesOfTurn, firstRule+turn%2*rulesOfTurn
	for number, routes := range n.Tables {
		for _, r := range routes {
			if r.To.Addr().Is6() && !k.six {
				continue
			}
			x := &netlink.Route{Dst: ipNet(r.To), Table: tables + number, Type: routeTypes[r.Kind], Scope: netlink.SCOPE_UNIVERSE, Protocol: unix.RTPROT_STATIC}
			if r.Dev != "" {
				x.LinkIndex = index[r.Dev]
			}
			switch {
			case r.Via.IsValid():
				x.Gw, x.Flags = r.Via.AsSlice(), int(netlink.FLAG_ONLINK)
			case r.Kind == stage.Deliver:
				x.Scope = netlink.SCOPE_LINK
			}
			if err := h.RouteAdd(x); err != nil {
				return fmt.Errorf("the route to %s: %w", r.To, err)
			}
		}
	}
	families := []int{unix.AF_INET}
	if k.six {
		families = append(families, unix.AF_INET6)
	}
	for _, family := range families {
		for i, r := range n.Rules {
			x := netlink.NewRule()
			x.Family, x.Priority, x.Table, x.IifName = family, rules+i, tables+r.Table, r.In
			if r.From.IsValid() {
				if r.From.Addr().Is4() != (family == unix.AF_INET) {
					continue
				}
				x.Src = ipNet(r.From)
			}
			if err := h.RuleAdd(x); err != nil {
				return fmt.Errorf("the rule for %s: %w", strings.TrimSpace(r.In+" packets"), err)
			}
		}
		old, err := h.RuleList(family)
		if err != nil {
			return err
		}
		for _, r := range slices.Backward(old) { // the kernel's own, and those of the turn before: the one that ends them first
			if r.Table != unix.RT_TABLE_LOCAL && (r.Priority < rules || r.Priority >= rules+len(n.Rules)) {
				r.Family = family
				if err := h.RuleDel(&r); err != nil {
					return fmt.Errorf("a rule of before: %w", err)
				}
			}
		}
	}
	return nil
}
