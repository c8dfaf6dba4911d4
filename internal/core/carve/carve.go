// Package carve gives ranges to every network and subnet of an estate that has none, without touching any that is
// there: networks from their blocks of space, subnets from their networks.
//
// All choices follow three rules, so that the same plan gives the same ranges everywhere: larger pieces come before
// smaller ones, and among equals the order of the plan decides; every piece goes to the lowest free place where it is
// aligned; a tier's subnets lie side by side in one block with room for more zones. Sizes are powers of two, for which
// placing the larger first finds room whenever there is any.
package carve

import (
	"cmp"
	"fmt"
	"math/big"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// State tells ranges that were there from those that were carved.
type State string

// The states of a range.
const (
	Kept State = "kept"
	New  State = "new"
)

// Network is a network with its range.
type Network struct {
	Name  string
	Range netip.Prefix
	Block string // the block of space it was carved from; empty for a range that was there
	State State
	Why   string
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
	State         State
	Why           string
}

// Tier is the block in which the subnets of a tier lie side by side.
type Tier struct {
	Network, Name string
	Block         netip.Prefix
	Slots, Used   int // subnets of the tier's size that the block has room for, and how many there are
}

// Result is what carving comes to.
type Result struct {
	Networks []Network
	Subnets  []Subnet // in the order of the plan, new ones after those that were there
	Tiers    []Tier   // of the tiers that got a range
	Misfits  []plan.Finding
	Edits    []plan.Edit // what writes the new ranges into the plan
}

// New reports whether anything was carved.
func (r *Result) New() bool { return len(r.Edits) > 0 }

// Estate carves an estate.
func Estate(e *estate.Estate) *Result {
	c := &carver{e: e, ranges: map[*estate.Network][]netip.Prefix{}, pools: map[string]*address.Pool{}}
	c.survey()
	c.networks()
	for _, n := range e.Networks {
		c.network(n)
	}
	return &c.Result
}

// carver collects the result, and what is taken so far.
type carver struct {
	Result
	e        *estate.Estate
	leaves   address.Set                        // subnets, held blocks and sites
	occupied address.Set                        // leaves and all ranges of networks
	foreign  map[*estate.Network][]netip.Prefix // ranges of other networks that overlap this one's
	ranges   map[*estate.Network][]netip.Prefix // what subnets of the network are carved from
	pools    map[string]*address.Pool           // free space of blocks, by their ranges
}

// misfit reports something that got no range.
func (c *carver) misfit(at plan.Pos, place, code, mend, format string, args ...any) {
	c.Misfits = append(c.Misfits, plan.Finding{Code: code, At: at, Place: place, Message: fmt.Sprintf(format, args...), Mend: mend})
}

// survey notes all that is there already.
func (c *carver) survey() {
	var leaves, all []netip.Prefix
	for _, b := range c.e.Blocks {
		if b.Held {
			leaves = append(leaves, b.Ranges...)
		}
	}
	for _, s := range c.e.Sites {
		leaves = append(leaves, s.Ranges...)
	}
	var owned []netip.Prefix
	var owners []*estate.Network
	for _, n := range c.e.Networks {
		for _, s := range n.Subnets {
			leaves = append(leaves, s.Ranges...)
		}
		for _, r := range n.Plan.Ranges {
			owned = append(owned, r.Prefix)
			owners = append(owners, n)
		}
	}
	all = slices.Concat(leaves, owned)
	c.leaves, c.occupied = address.SetOf(leaves...), address.SetOf(all...)
	c.foreign = map[*estate.Network][]netip.Prefix{}
	address.Pairs(owned, func(outer, inner int) bool {
		if a, b := owners[outer], owners[inner]; a != b {
			shared := address.Shared(owned[outer], owned[inner])
			c.foreign[a] = append(c.foreign[a], shared)
			c.foreign[b] = append(c.foreign[b], shared)
		}
		return true
	})
}

// networks gives a range to every network with a size and none, the larger before the smaller.
func (c *carver) networks() {
	var wanting []*estate.Network
	for _, n := range c.e.Networks {
		for _, r := range n.Plan.Ranges {
			c.ranges[n] = append(c.ranges[n], r.Prefix)
			c.Networks = append(c.Networks, Network{Name: n.Name, Range: r.Prefix, State: Kept})
		}
		if len(n.Plan.Ranges) == 0 && n.Plan.Size.Given() && n.From != nil {
			wanting = append(wanting, n)
		}
	}
	// A network that has subnets already can only lie around them, so it comes before those that may lie anywhere.
	anchored := func(n *estate.Network) int { return min(1, len(subnetsOf(n))) }
	slices.SortStableFunc(wanting, func(a, b *estate.Network) int {
		return cmp.Or(anchored(b)-anchored(a), a.Plan.Size.Value-b.Plan.Size.Value)
	})
	for _, n := range wanting {
		c.networkRange(n)
	}
}

func (c *carver) networkRange(n *estate.Network) {
	size, block := n.Plan.Size.Value, n.From
	place := "networks." + n.Name + ".size"
	pool := c.pool(block)
	switch {
	case block.Held:
		c.misfit(n.Plan.From.At, place, "block-held", "carve from a block that is not held", "block %s is held (%s), so network %s gets nothing from it",
			block.Name, block.Plan.Held.Value, n.Name)
		return
	case pool == nil || size > 32:
		c.misfit(n.Plan.Size.At, place, "no-family", "give the block an IPv4 range and the network a size up to /32", "block %s has no IPv4 range of which network %s could get a /%d",
			block.Name, n.Name, size)
		return
	}
	why := fmt.Sprintf("the lowest free /%d of block %s (%s)", size, block.Name, join(block.Ranges))
	var p netip.Prefix
	var found bool
	if own := subnetsOf(n); len(own) > 0 {
		why = fmt.Sprintf("the /%d of block %s around the subnets it has", size, block.Name)
		if p, found = around(own, size, pool); !found {
			c.misfit(n.Plan.Size.At, place, "no-room", "move the subnets, or ask for another size", "no free /%d of block %s holds all subnets that network %s has (%s)",
				size, block.Name, n.Name, join(own))
			return
		}
		pool.Remove(p)
	} else if p, found = pool.Take(size); !found {
		c.misfit(n.Plan.Size.At, place, "no-room", "enlarge the block, carve from another, or ask for less", "block %s has no room for network %s: %s",
			block.Name, n.Name, missing(pool, size, 32))
		return
	}
	c.ranges[n] = []netip.Prefix{p}
	c.Networks = append(c.Networks, Network{Name: n.Name, Range: p, Block: block.Name, State: New, Why: why})
	c.Edits = append(c.Edits, plan.Edit{Path: []string{"networks", n.Name}, Was: "size", Key: "range", Value: plan.Word(p.String())})
}

// subnetsOf are the IPv4 ranges of the subnets that a network has already.
func subnetsOf(n *estate.Network) []netip.Prefix {
	var own []netip.Prefix
	for _, s := range n.Subnets {
		for _, r := range s.Ranges {
			if r.Addr().Is4() {
				own = append(own, r)
			}
		}
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

// missing says how much more free space in one block a piece of a size would take.
func missing(pool *address.Pool, length, width int) string {
	need := new(big.Int).Lsh(big.NewInt(1), uint(width-length))
	largest, any := pool.Largest()
	if !any {
		return fmt.Sprintf("it needs a /%d (%s addresses), and nothing is free: %s addresses are missing", length, need, need)
	}
	have := new(big.Int).Lsh(big.NewInt(1), uint(width-largest))
	return fmt.Sprintf("it needs a /%d (%s addresses), and the largest free block is a /%d (%s): %s addresses are missing",
		length, need, largest, have, new(big.Int).Sub(need, have))
}

// pool is the free IPv4 space of a block: what no network, subnet, site or held block takes, and no block inside it
// has for its own. It is nil when the block has no IPv4 range.
func (c *carver) pool(b *estate.Block) *address.Pool {
	key := join(b.Ranges)
	if p, known := c.pools[key]; known {
		return p
	}
	var own, inner []netip.Prefix
	for _, r := range b.Ranges {
		if r.Addr().Is4() {
			own = append(own, r)
		}
	}
	if len(own) == 0 {
		return nil
	}
	for _, other := range c.e.Blocks {
		for _, r := range other.Ranges {
			for _, o := range own {
				if address.Covers(o, r) && (o != r || other.Within == b) {
					inner = append(inner, r)
				}
			}
		}
	}
	free := address.SetOf(own...).Minus(c.occupied).Minus(address.SetOf(inner...))
	c.pools[key] = address.NewPool(free, 32)
	return c.pools[key]
}

func join(ranges []netip.Prefix) string {
	var words []string
	for _, p := range ranges {
		words = append(words, p.String())
	}
	return strings.Join(words, ", ")
}
