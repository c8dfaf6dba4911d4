package rehearse

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"

	"github.com/vishvananda/netlink"

	"wendrik/internal/rehearse/stage"
)

// This file changes a stage that stands into the next one, in place: what stays is not touched, and what is open stays open.

// change makes the next stage of the one that stands.
func (k *kernel) change(was, now *stage.Stage) error {
	old := map[string]*stage.Node{}
	for _, n := range was.Nodes {
		old[n.Name] = n
	}
	before := map[*stage.Node]*stage.Node{} // what a node was; none for one that is new
	for _, n := range now.Nodes {
		o := old[n.Name]
		if o == nil {
			if err := k.make(n); err != nil {
				return fmt.Errorf("%s: %w", n.Name, err)
			}
			continue
		}
		before[n], k.spaces[n] = o, k.spaces[o]
		delete(k.spaces, o)
		delete(old, n.Name)
	}
	parts := []func(n, o *stage.Node) error{k.unplug, k.replug, k.rewrite}
	for _, part := range parts {
		for _, n := range now.Nodes {
			if err := part(n, before[n]); err != nil {
				return fmt.Errorf("%s: %w", n.Name, err)
			}
		}
	}
	for _, o := range old {
		k.spaces[o].close()
		delete(k.spaces, o)
	}
	return nil
}

// same reports whether a port is what one was.
func same(p, o *stage.Port) bool { return p.Name == o.Name && p.Number == o.Number }

// unplug takes out the cables and bridges that a node has no longer.
func (k *kernel) unplug(n, o *stage.Node) error {
	if o == nil {
		return nil
	}
	h, err := k.at(n)
	if err != nil {
		return err
	}
	defer h.Close()
	var gone []string
	for _, p := range o.Ports {
		if !slices.ContainsFunc(n.Ports, func(x *stage.Port) bool { return same(x, p) }) {
			gone = append(gone, p.Name)
		}
	}
	for _, b := range o.Bridges {
		if !slices.ContainsFunc(n.Bridges, func(x *stage.Bridge) bool { return x.Name == b.Name }) {
			gone = append(gone, b.Name)
		}
	}
	for _, name := range gone {
		link, err := h.LinkByName(name)
		if err != nil {
			continue // it went with its other end
		}
		if err := h.LinkDel(link); err != nil {
			return fmt.Errorf("the end of %s: %w", name, err)
		}
	}
	return nil
}

// replug makes the cables, bridges and addresses that a node did not have, and takes out addresses that it has no longer.
func (k *kernel) replug(n, o *stage.Node) error {
	if o == nil {
		return k.ports(n)
	}
	if n.Forwards != o.Forwards {
		if err := k.settings(n); err != nil {
			return err
		}
	}
	h, err := k.at(n)
	if err != nil {
		return err
	}
	defer h.Close()
	if err := k.readdress(h, "lo", hosts(o.Own), hosts(n.Own)); err != nil {
		return err
	}
	for _, b := range n.Bridges {
		if !slices.ContainsFunc(o.Bridges, func(x *stage.Bridge) bool { return x.Name == b.Name }) {
			if err := k.bridge(h, b); err != nil {
				return err
			}
		}
	}
	for _, p := range n.Ports {
		i := slices.IndexFunc(o.Ports, func(x *stage.Port) bool { return same(x, p) })
		if i < 0 {
			if err := k.port(h, p); err != nil {
				return err
			}
			continue
		}
		if err := k.readdress(h, p.Name, o.Ports[i].Addrs, p.Addrs); err != nil {
			return err
		}
		if p.Bridge != nil && p.Bridge.Name != o.Ports[i].Bridge.Name {
			if err := k.plug(h, p); err != nil {
				return err
			}
		}
	}
	return nil
}

func hosts(all []netip.Addr) []netip.Prefix {
	var out []netip.Prefix
	for _, a := range all {
		out = append(out, netip.PrefixFrom(a, a.BitLen()))
	}
	return out
}

// readdress gives a link the addresses that it did not have, and takes those that it has no longer.
func (k *kernel) readdress(h *netlink.Handle, name string, was, now []netip.Prefix) error {
	link, err := h.LinkByName(name)
	if err != nil {
		return err
	}
	if slices.Equal(was, now) {
		return nil
	}
	for _, p := range now {
		if !slices.Contains(was, p) {
			if err := k.address(h, link, p); err != nil {
				return fmt.Errorf("the address %s: %w", p.Addr(), err)
			}
		}
	}
	for _, p := range was {
		if !slices.Contains(now, p) && (p.Addr().Is4() || k.six) {
			if err := h.AddrDel(link, &netlink.Addr{IPNet: ipNet(p)}); err != nil {
				return fmt.Errorf("the address %s: %w", p.Addr(), err)
			}
		}
	}
	return nil
}

// rewrite writes the routes and filters of a node anew, where they are others, beside those of before, which go then.
func (k *kernel) rewrite(n, o *stage.Node) error {
	space := k.spaces[n]
	routes := o == nil || described(n.Rules, n.Tables, n.Neighbours()) != described(o.Rules, o.Tables, o.Neighbours())
	filters := o == nil || described(n.Chains) != described(o.Chains)
	if !routes && !filters {
		return nil
	}
	turn := k.turns[space]
	if o != nil {
		k.turns[space]++
	}
	if err := k.routing(n); err != nil {
		return err
	}
	if err := k.filters(n); err != nil {
		return err
	}
	if o != nil && len(o.Chains) > 0 {
		if err := k.unfilter(n, turn); err != nil {
			return fmt.Errorf("the packet filter of before: %w", err)
		}
	}
	return nil
}

// described are things in words that are equal where the things are.
func described(things ...any) string {
	raw, _ := json.Marshal(things) // numbers, texts and addresses, which can all be written
	return string(raw)
}
