package overlap

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/space"
)

// judge gives verdicts, and finds where one of two things in conflict could go.
type judge struct {
	meetings *meetings
	survey   *space.Survey
	free     map[any]address.Set // by block or network, once asked for
}

// judge says whether a pair matters.
func (j *judge) judge(p *Pair) {
	a, b := p.A, p.B
	if b.block != nil && a.block == nil {
		a, b = b, a
	}
	switch {
	case a.block != nil:
		p.Verdict, p.Why = held(a.block, a.Range, b)
	case a.cluster != nil || b.cluster != nil:
		j.clusters(p)
	case a.site != nil && a.site == b.site:
		p.Verdict, p.Why = Harmless, "both are ranges of one site"
	case a.network != nil && a.network == b.network:
		p.Verdict, p.Why, p.Chain = Conflict, fmt.Sprintf("both are in network %s", a.network.Name), []string{"network " + a.network.Name}
		if a.isNetwork() && b.isNetwork() {
			p.Why = fmt.Sprintf("both are ranges of network %s", a.network.Name)
		}
	default:
		j.meet(p, a, b)
	}
}

// meet gives the verdict on two things by whether they meet.
func (j *judge) meet(p *Pair, a, b Thing) {
	if chain := j.meetings.chain(end(a.network, a.site), end(b.network, b.site)); len(chain) > 0 {
		p.Verdict, p.Why, p.Chain = Conflict, chainText(chain), chain
		return
	}
	p.Verdict, p.Why = Latent, fmt.Sprintf("nothing joins %s and %s today, and nothing ever could", a.owner(), b.owner())
}

// clusters gives the verdict on the ranges of a cluster: their addresses are known only around its network, so other
// clusters may have the same, and what that network can talk to may not.
func (j *judge) clusters(p *Pair) {
	a, b := p.A, p.B
	if a.cluster == nil {
		a, b = b, a
	}
	switch {
	case b.cluster == a.cluster:
		p.Verdict, p.Why, p.Chain = Conflict, fmt.Sprintf("pods and services of cluster %s meet inside it", a.Name), []string{"cluster " + a.Name}
	case b.cluster != nil:
		p.Verdict, p.Why = Harmless, "each cluster knows only its own pods and services, so others may have the same ranges"
	case b.network == a.network && a.network != nil:
		p.Verdict, p.Why, p.Chain = Conflict, fmt.Sprintf("cluster %s lives in network %s", a.Name, a.network.Name), []string{"cluster " + a.Name, "network " + a.network.Name}
	default:
		chain := j.meetings.chain(end(a.network, nil), end(b.network, b.site))
		if len(chain) == 0 {
			p.Verdict, p.Why = Latent, fmt.Sprintf("nothing joins network %s, in which cluster %s lives, and %s today, and nothing ever could", a.network.Name, a.Name, b.owner())
			return
		}
		chain = append([]string{"cluster " + a.Name}, chain...)
		p.Verdict, p.Why, p.Chain = Conflict, fmt.Sprintf("cluster %s lives in network %s, and %s", a.Name, a.network.Name, chainText(chain[1:])), chain
	}
}

// held gives the verdict on an overlap with a block of space.
func held(b *estate.Block, held netip.Prefix, other Thing) (Verdict, string) {
	why := fmt.Sprintf("block %s is held (%s)", b.Name, b.Plan.Held.Value)
	switch {
	case !b.Held:
		return Conflict, "both blocks are the same space, and each hands it out"
	case other.block != nil && (other.block.Within == b || b.Within == other.block):
		return Harmless, "one held block lies within the other"
	case other.block != nil:
		return Latent, "both are held, for two things that could never be joined"
	case other.site != nil && address.Covers(held, other.Range):
		return Harmless, fmt.Sprintf("%s, and site %s lies in it", why, other.site.Name)
	case other.cluster != nil && address.Covers(held, other.Range):
		return Harmless, fmt.Sprintf("%s, and %s lie in it", why, other)
	case other.cluster == nil && other.network != nil && other.network.From == b:
		return Harmless, fmt.Sprintf("%s, and network %s is carved from it", why, other.network.Name)
	case other.isNetwork() && inOwnRange(other.network, held):
		return Harmless, fmt.Sprintf("%s inside network %s, and carve leaves it free", why, other.network.Name)
	case other.Kind == "held" && inOwnRange(other.network, held):
		return Harmless, fmt.Sprintf("%s inside network %s, and so is held part %s", why, other.network.Name, other.Name)
	case other.part && inOwnRange(other.network, held):
		return Conflict, fmt.Sprintf("%s inside network %s, and the subnet takes its addresses", why, other.network.Name)
	}
	return Latent, fmt.Sprintf("%s, and what it is held for could never be joined to %s", why, other.owner())
}

// A Move is where one of two things in conflict could go.
type Move struct {
	What  Thing
	To    netip.Prefix // the nearest free range of its size; the zero Prefix when none is free
	Where string       // in which block, network or private range: block west
}

// String says the move in a sentence without its full stop.
func (m *Move) String() string {
	if !m.To.IsValid() {
		return fmt.Sprintf("no /%d is free for %s in %s", m.What.Range.Bits(), m.What, m.Where)
	}
	return fmt.Sprintf("the nearest free /%d for %s is %s, in %s", m.To.Bits(), m.What, m.To, m.Where)
}

// move finds where one of two things in conflict could go: the one that is easier to move, to the nearest free range of
// its size in the block or network that it comes from. It gives nil when that is not known.
func (j *judge) move(a, b Thing) *Move {
	mover := a
	if ease(b) > ease(a) || ease(b) == ease(a) && b.Range.Bits() >= a.Range.Bits() {
		mover = b
	}
	if ease(mover) == 0 {
		return nil
	}
	free, where, found := j.room(mover)
	if !found {
		return nil
	}
	to, near := address.Nearest(free, mover.Range)
	if !near {
		to = netip.Prefix{}
	}
	return &Move{mover, to, where}
}

// ease ranks what is easier to move; a site is not ours to move.
func ease(t Thing) int {
	switch t.Kind {
	case "pods", "services":
		return 4
	case "subnet", "held":
		return 3
	case "network":
		return 2
	case "block":
		return 1
	}
	return 0
}

// room is the free space that a thing could move to: a part's in its network, all else's in the smallest block that
// holds it, or in the private range that it lies in.
func (j *judge) room(t Thing) (free address.Set, where string, found bool) {
	if t.represented() {
		if _, known := j.free[t.network]; !known {
			var ranges []netip.Prefix
			for _, r := range t.network.Plan.Ranges {
				ranges = append(ranges, r.Prefix)
			}
			j.free[t.network] = j.survey.FreeInNetwork(t.network, ranges)
		}
		return j.free[t.network], "network " + t.network.Name, true
	}
	var smallest *estate.Block
	bits := -1
	for _, b := range j.survey.Estate.Blocks {
		for _, r := range b.Ranges {
			if !b.Held && b != t.block && address.Covers(r, t.Range) && r.Bits() > bits {
				smallest, bits = b, r.Bits()
			}
		}
	}
	if smallest != nil {
		if _, known := j.free[smallest]; !known {
			j.free[smallest] = j.survey.FreeIn(smallest)
		}
		return j.free[smallest], "block " + smallest.Name, true
	}
	special, is := address.SpecialOf(t.Range)
	if !is {
		return free, "", false
	}
	return address.SetOf(special.Range).Minus(j.survey.Occupied), special.Range.String(), true
}
