// Package carve gives ranges to every network, subnet and held part of an estate that has none, without touching any
// that is there: networks from their blocks of space, the rest from their networks.
//
// All choices follow a few rules, so that the same plan gives the same ranges everywhere: what has a slot takes that;
// then larger pieces come before smaller ones, and among equals the order of the plan decides; every piece goes to the
// lowest free place where it is aligned; what belongs together lies side by side in one block, with room for more.
// Sizes are powers of two, for which placing the larger first finds room whenever there is any.
package carve

import (
	"cmp"
	"fmt"
	"maps"
	"math/big"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
)

// State tells ranges that were there from those that were carved.
type State string

// The states of a range.
const (
	Kept State = "kept"
	New  State = "new"
)

// Network is one range of a network.
type Network struct {
	Name  string
	Range netip.Prefix
	Block string // the block of space it was carved from; empty for a range that was there
	State State
	Why   string

	anchored bool // whether what stands in it says where it is
}

// Subnet is one range of a subnet.
type Subnet struct {
	Network, Name string
	Tier          string // empty when it belongs to none
	Zone          string // empty where subnets do not live in one zone
	Region        string // set where a network has several regions
	Range         netip.Prefix
	Usable        *big.Int   // addresses that workloads can have
	First, Last   netip.Addr // the ends of the usable part
	// The cloud's own hosts in it; invalid for one that it has not.
	Router, Resolver, DHCP netip.Addr
	State                  State
	Why                    string

	anchored bool // whether what stands in it says where it is
}

// Held is one range of a held part of a network.
type Held struct {
	Network, Name string
	Range         netip.Prefix
	For, Owner    string
	State         State
	Why           string
}

// Aggregate is the block in which subnets that belong together lie side by side.
type Aggregate struct {
	Network, Name string // the tier, or the zone where zones lie side by side
	Block         netip.Prefix
	Subnets       int
	Free          *big.Int // addresses of the block that are left
}

// Result is what carving comes to.
type Result struct {
	Networks   []Network
	Subnets    []Subnet // in the order of the plan, new ones after those that were there
	Held       []Held
	Addresses  []Address   // of workloads and NAT gateways that had none
	Aggregates []Aggregate // those that got a block
	Misfits    []diag.Finding
	Notes      []string       // what was given up, in sentences
	Renamed    []diag.Finding // rules and routes that mean somebody else from now on
	Changes    text.Changes   // what writes the new ranges into the plan, one for each thing that gets one
	Uneditable error          // why the changes cannot be made in the text; nil when they can
}

// New reports whether anything was carved.
func (r *Result) New() bool { return len(r.Changes) > 0 }

// Estate carves an estate. Taken are ranges in use that the plan does not know of; nothing is carved from them.
func Estate(e *estate.Estate, taken ...space.Taken) *Result {
	c := newCarver(e, taken)
	c.networks()
	expected := 0
	for _, n := range e.Networks {
		expected += len(n.Subnets)
		for _, t := range n.Tiers {
			expected += max(0, len(n.Places(t))-len(t.Subnets))
		}
	}
	c.Subnets = slices.Grow(c.Subnets, expected)
	c.Changes = slices.Grow(c.Changes, expected)
	for _, n := range e.Networks {
		c.network(n)
	}
	c.hosts()
	c.verify()
	c.meanings()
	return &c.Result
}

func newCarver(e *estate.Estate, taken []space.Taken) *carver {
	return &carver{e: e, survey: space.NewSurvey(e, taken), ranges: map[*estate.Network][]netip.Prefix{}, pools: map[poolKey]*address.Pool{}}
}

// carver collects the result, and what is taken so far.
type carver struct {
	Result
	e      *estate.Estate
	survey *space.Survey
	ranges map[*estate.Network][]netip.Prefix // what the rest is carved from
	pools  map[poolKey]*address.Pool          // free space of blocks
	// waiting is what awaiting gives; nil until it is asked for.
	waiting map[string]map[string][]netip.Addr
}

// poolKey names the free space of a block by its ranges, which two blocks may share, and a family.
type poolKey struct {
	ranges string
	family int
}

// The families of addresses, as indexes, and how wide their addresses are.
const (
	ipv4 = 0
	ipv6 = 1
)

var widths = [2]int{32, 128}

func familyOf(p netip.Prefix) int {
	if p.Addr().Is4() {
		return ipv4
	}
	return ipv6
}

// ofFamily picks the ranges of one family.
func ofFamily(ranges []netip.Prefix, family int) []netip.Prefix {
	var out []netip.Prefix
	for _, r := range ranges {
		if familyOf(r) == family {
			out = append(out, r)
		}
	}
	return out
}

// misfit reports something that got no range.
func (c *carver) misfit(at text.Pos, place text.Path, code diag.Code, fix, format string, args ...any) {
	c.Misfits = append(c.Misfits, diag.Finding{Code: code, At: at, Place: place, Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(fix)})
}

// request is a range that a network wants from its block of space.
type request struct {
	network *estate.Network
	family  int
	size    plan.Number
	key     string // of the plan, size or size6
	holds   string // where its size follows from what it is to hold: what that is
	got     netip.Prefix
	why     string
}

// networks gives a range to every network with a size and none: first those with a slot, then those that can only lie
// around the subnets they have, then the larger before the smaller.
func (c *carver) networks() {
	var requests []*request
	for _, n := range c.e.Networks {
		for _, r := range n.Plan.Ranges {
			c.ranges[n] = append(c.ranges[n], r.Prefix)
		}
		for _, q := range []*request{{network: n, family: ipv4, size: n.Plan.Size, key: "size"}, {network: n, family: ipv6, size: n.Plan.Size6, key: "size6"}} {
			if !q.size.Given() && q.family == ipv4 && !n.Plan.Size6.Given() {
				q.size, q.holds = c.sizeOf(n)
			}
			if q.size.Given() && n.From != nil && len(ofFamily(c.ranges[n], q.family)) == 0 {
				requests = append(requests, q)
			}
		}
	}
	rank := func(q *request) int {
		switch {
		case q.network.Plan.Slot.Given():
			return 0
		case len(c.subnetsOf(q.network, q.family)) > 0:
			return 1
		}
		return 2
	}
	ordered := slices.Clone(requests)
	slices.SortStableFunc(ordered, func(a, b *request) int { return cmp.Or(rank(a)-rank(b), a.size.Value-b.size.Value) })
	for _, q := range ordered {
		c.serve(q)
	}
	at := 0
	for _, n := range c.e.Networks {
		for _, r := range n.Plan.Ranges {
			c.Networks = append(c.Networks, Network{Name: n.Name, Range: r.Prefix, State: Kept})
		}
		var got []*request
		for ; at < len(requests) && requests[at].network == n; at++ {
			if q := requests[at]; q.got.IsValid() {
				got = append(got, q)
				c.Networks = append(c.Networks, Network{Name: n.Name, Range: q.got, Block: n.From.Name, State: New, Why: q.why, anchored: len(c.subnetsOf(n, q.family)) > 0})
			}
		}
		c.editNetwork(n, got)
	}
}

// editNetwork writes the new ranges of a network in the place of its sizes.
func (c *carver) editNetwork(n *estate.Network, got []*request) {
	if len(got) == 0 {
		return
	}
	words := rangeTexts(n.Plan.Ranges)
	var edits []text.Edit
	for _, q := range got {
		words = append(words, q.got.String())
		if q.holds == "" && (q != got[0] || len(n.Plan.Ranges) > 0) {
			edits = append(edits, text.Remove(n.Place(), q.key))
		}
	}
	value := text.WordOrWords(words...)
	if len(n.Plan.Ranges) == 0 && got[0].holds == "" {
		edits = append(edits, text.Replace(n.Place(), got[0].key, "range", value))
	} else {
		edits = append(edits, text.Set(n.Place(), "range", value))
	}
	c.Changes = append(c.Changes, text.Change{Edits: edits, Why: got[0].why})
}

func rangeTexts(ranges []plan.Range) []string {
	var words []string
	for _, r := range ranges {
		words = append(words, r.String())
	}
	return words
}

// serve gives one network a range of its block.
func (c *carver) serve(q *request) {
	n, size, block := q.network, q.size.Value, q.network.From
	place := n.Place().To(q.key)
	pool := c.pool(block, q.family)
	name := []string{"IPv4", "IPv6"}[q.family]
	switch {
	case block.Held:
		c.misfit(n.Plan.From.At, place, blockHeld, "carve from a block that is not held", "block %s is held (%s), so network %s gets nothing from it",
			block.Name, block.Plan.Held.Value, n.Name)
		return
	case pool == nil || size > widths[q.family]:
		c.misfit(q.size.At, place, noFamily, "give the block such a range, or write  size6:  for IPv6", "block %s has no %s range of which network %s could get a /%d",
			block.Name, name, n.Name, size)
		return
	}
	fail := func(fix, format string, args ...any) { c.misfit(q.size.At, place, noRoom, fix, format, args...) }
	own := c.subnetsOf(n, q.family)
	var found bool
	switch {
	case n.Plan.Slot.Given():
		slot := n.Plan.Slot.Value
		q.got, q.why = piece(ofFamily(block.Ranges, q.family), size, slot), fmt.Sprintf("piece number %d of /%d in block %s, as its slot says", slot, size, block.Name)
		if !q.got.IsValid() {
			fail("choose a smaller slot", "block %s has no piece number %d of /%d for network %s", block.Name, slot, size, n.Name)
			return
		}
		if at := slices.IndexFunc(own, func(r netip.Prefix) bool { return !address.Covers(q.got, r) }); at >= 0 {
			fail("take the slot out, or move what lies elsewhere", "slot %d of network %s is %s, and %s in it lies elsewhere", slot, n.Name, q.got, own[at])
			q.got = netip.Prefix{}
			return
		}
		if found = pool.Free().Union(address.SetOf(own...)).ContainsRange(q.got); !found {
			fail("choose another slot", "slot %d of network %s is %s, and that is not free in block %s", slot, n.Name, q.got, block.Name)
			q.got = netip.Prefix{}
			return
		}
		pool.Remove(q.got)
	case len(own) > 0:
		q.why = fmt.Sprintf("the /%d of block %s around what stands in it", size, block.Name)
		if q.got, found = around(own, size, pool); !found {
			fail("move what stands in it, or ask for another size", "no free /%d of block %s holds all subnets and addresses that network %s has (%s)%s",
				size, block.Name, n.Name, phrase.Few(strings.Split(phrase.List(own), ", "), 4), c.inTheWay(n, own[0].Addr(), size))
			q.got = netip.Prefix{}
			return
		}
		pool.Remove(q.got)
	default:
		q.why = fmt.Sprintf("the lowest free /%d of block %s (%s)", size, block.Name, phrase.List(ofFamily(block.Ranges, q.family)))
		if q.got, found = pool.Take(size); !found {
			fail("enlarge the block, carve from another, or ask for less", "block %s has no room for network %s: %s", block.Name, n.Name, missing(pool, size, q.family))
			return
		}
	}
	c.ranges[n] = append(c.ranges[n], q.got)
	if q.holds != "" {
		q.why += ": " + q.holds
	}
}

// SizeOf is the length of the IPv4 range that a network has, or that it would get of its block; false where that cannot be told.
func SizeOf(e *estate.Estate, n *estate.Network) (int, bool) {
	if n.Plan.Size.Given() {
		return n.Plan.Size.Value, true
	}
	size, _ := newCarver(e, nil).sizeOf(n)
	return size.Value, size.Given()
}

// sizeOf is the size of the IPv4 range that a network needs which says none: the smallest that has room for all that is to be carved in it, with
// the zones that its tiers leave room for and its own growth; pieces of such sizes always pack into it. It is not given where that cannot be
// told, as for a network that carves from its block itself.
func (c *carver) sizeOf(n *estate.Network) (size plan.Number, holds string) {
	if n.From == nil || !n.Profile.OwnRanges || len(c.ranges[n]) > 0 || len(ofFamily(n.From.Ranges, ipv4)) == 0 {
		return size, ""
	}
	aside := &carver{e: c.e, survey: c.survey, ranges: c.ranges, pools: c.pools} // so that what does not fit is told once, when it is carved
	needs, sizes := aside.needs(n, [2]bool{true, false})
	if len(aside.Misfits) > 0 {
		return size, ""
	}
	total := new(big.Int)
	var words []string
	all := layout(n, needs, sizes)
	if zones, length, spare := zonesOf(all, ipv4); len(zones) > 0 {
		length = address.BitsFor(new(big.Int).Lsh(big.NewInt(int64(len(zones)+spare)), uint(widths[ipv4]-length)), widths[ipv4])
		total.Lsh(big.NewInt(1), uint(widths[ipv4]-length))
		words = append(words, fmt.Sprintf("zones (/%d)", length))
	}
	for _, b := range all {
		if b.zone {
			continue
		}
		length := b.length(ipv4, b.spare)
		total.Add(total, new(big.Int).Lsh(big.NewInt(1), uint(widths[ipv4]-length)))
		words = append(words, fmt.Sprintf("%s (/%d)", b.name, length))
	}
	if total.Sign() == 0 {
		return size, ""
	}
	holds = "it holds " + phrase.Few(words, 6)
	if percent := n.Plan.Growth; percent.Given() {
		total.Mul(total, big.NewInt(int64(100+percent.Value)))
		total.Add(total, big.NewInt(99)).Div(total, big.NewInt(100))
		holds += fmt.Sprintf(", and %d%% more", percent.Value)
	}
	return plan.Number{Value: max(0, address.BitsFor(total, widths[ipv4])), At: n.At()}, holds
}

// piece is a piece of the first range that has so many; the zero Prefix when none has.
func piece(ranges []netip.Prefix, length, number int) netip.Prefix {
	for _, r := range ranges {
		if p, found := address.Piece(r, length, uint64(number)); found {
			return p
		}
	}
	return netip.Prefix{}
}

// subnetsOf are the ranges of a family that the subnets and held parts of a network have already, and of subnets that have
// none, the addresses that stand in them.
func (c *carver) subnetsOf(n *estate.Network, family int) []netip.Prefix {
	var own []netip.Prefix
	for _, name := range slices.Sorted(maps.Keys(c.awaiting()[n.Name])) {
		for _, a := range ofWidth(c.waiting[n.Name][name], family) {
			own = append(own, address.Single(a))
		}
	}
	for _, s := range n.Subnets {
		ranges := ofFamily(s.Ranges, family)
		if len(ranges) == 0 {
			for _, a := range addressesIn(s, family) {
				ranges = append(ranges, address.Single(a))
			}
		}
		own = append(own, ranges...)
	}
	for _, h := range n.Held {
		own = append(own, ofFamily(h.Ranges, family)...)
	}
	return own
}

// around is the block of a length that holds all the given subnets, when the rest of it is free.
func around(own []netip.Prefix, length int, pool *address.Pool) (netip.Prefix, bool) {
	p, err := own[0].Addr().Prefix(length)
	if err != nil || slices.ContainsFunc(own, func(r netip.Prefix) bool { return !address.Covers(p, r) }) {
		return netip.Prefix{}, false
	}
	return p, pool.Free().Union(address.SetOf(own...)).ContainsRange(p)
}

// inTheWay says who has a part of the block around an address that a network would take; empty when nobody has.
func (c *carver) inTheWay(n *estate.Network, a netip.Addr, length int) string {
	p, err := a.Prefix(length)
	if err != nil {
		return ""
	}
	return c.whose(p, func(by estate.Object) bool {
		switch by := by.(type) {
		case *estate.Subnet:
			return by.Network == n
		case *estate.Held:
			return by.Network == n
		}
		return false
	})
}

// whose says who has a part of a range, but for some who may; empty when nobody has.
func (c *carver) whose(p netip.Prefix, may func(by estate.Object) bool) string {
	for _, t := range c.survey.Who(p) {
		switch {
		case t.By == nil:
			return fmt.Sprintf("; %s is in use outside the plan", t.Range)
		case !may(t.By):
			return fmt.Sprintf("; %s %s has %s", t.By.Kind(), t.By.ID(), t.Range)
		}
	}
	return ""
}

// missing says how much more free space in one block a piece of a size would take.
func missing(pool *address.Pool, length, family int) string {
	width := widths[family]
	need := new(big.Int).Lsh(big.NewInt(1), uint(width-length))
	largest, any := pool.Largest()
	if !any {
		return fmt.Sprintf("it needs a /%d (%s addresses), and nothing is free: %s addresses are missing", length, need, need)
	}
	have := new(big.Int).Lsh(big.NewInt(1), uint(width-largest))
	return fmt.Sprintf("it needs a /%d (%s addresses), and the largest free block is a /%d (%s): %s addresses are missing",
		length, need, largest, have, new(big.Int).Sub(need, have))
}

// pool is the free space of a block: what nothing takes, and no block inside it has for its own. It is nil when the
// block has no range of the family.
func (c *carver) pool(b *estate.Block, family int) *address.Pool {
	own := ofFamily(b.Ranges, family)
	key := poolKey{phrase.List(own), family}
	if p, known := c.pools[key]; known {
		return p
	}
	if len(own) == 0 {
		return nil
	}
	// The survey finds nothing free in a held block, and then this pool only tells of the family.
	c.pools[key] = address.NewPool(c.survey.FreeIn(b), widths[family])
	return c.pools[key]
}
