package overlap

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/space"
)

// judge gives verdicts, and finds where one of two things in conflict could go.
type judge struct {
	meetings *meet.Map
	survey   *space.Survey
	free     map[any]address.Set              // by block or network, once asked for
	blocks   map[netip.Prefix][]*estate.Block // those that are not held, by range
}

func newJudge(e *estate.Estate) *judge {
	j := &judge{meetings: meet.Of(e), survey: space.NewSurvey(e, nil), free: map[any]address.Set{}, blocks: map[netip.Prefix][]*estate.Block{}}
	for _, b := range e.Blocks {
		for _, r := range b.Ranges {
			if !b.Held {
				j.blocks[r] = append(j.blocks[r], b)
			}
		}
	}
	return j
}

// reason is why a pair has its verdict. Its words are made for those pairs alone that are told.
type reason int

const (
	sameSpace     reason = iota // two blocks that hand out the same
	heldInHeld                  // a held block within another
	heldTwice                   // two held blocks
	siteInHeld                  // a site in the block that is held for it
	clusterInHeld               // the same for a cluster
	carvedFrom                  // a network from a held block
	heldInside                  // a held block inside a network
	heldBoth                    // a held block and a held part inside a network
	takesHeld                   // a subnet on a held block inside its network
	onHeld                      // anything else on a held block
	oneSite                     // two ranges of one site
	oneNetwork                  // two things in one network
	oneCluster                  // pods and services of one cluster
	twoClusters                 // of two
	ownCluster                  // a cluster and its own network
	clusterMeets                // a cluster and what its network meets
	clusterApart                // and what it does not
	joined                      // two ends that meet
	strangers                   // that do not
)

// judge says whether a pair matters, and why. Of a block and something else, the block comes first; of a cluster and
// something else, the cluster.
func (j *judge) judge(a, b *Thing) (Verdict, reason) {
	switch {
	case a.block != nil:
		return held(a.block, a.Range, b)
	case a.cluster != nil:
		return j.cluster(a, b)
	case a.site != nil && a.site == b.site:
		return Harmless, oneSite
	case a.network != nil && a.network == b.network:
		return Conflict, oneNetwork
	case j.meetings.Meet(a.end(), b.end()):
		return Conflict, joined
	}
	return Latent, strangers
}

// inOrder puts a block, or else a cluster, before what it overlaps with.
func inOrder(a, b *Thing) (first, second *Thing) {
	if b.block != nil && a.block == nil || b.cluster != nil && a.cluster == nil && a.block == nil {
		return b, a
	}
	return a, b
}

// end is the network or site of a thing, by which it meets others.
func (t *Thing) end() estate.Object {
	if t.network != nil {
		return t.network
	}
	return t.site
}

// cluster gives the verdict on the ranges of a cluster: their addresses are known only around its network, so other
// clusters may have the same, and what that network can talk to may not.
func (j *judge) cluster(a, b *Thing) (Verdict, reason) {
	switch {
	case b.cluster == a.cluster:
		return Conflict, oneCluster
	case b.cluster != nil:
		return Harmless, twoClusters
	case b.network == a.network && a.network != nil:
		return Conflict, ownCluster
	case a.network != nil && j.meetings.Meet(a.network, b.end()):
		return Conflict, clusterMeets
	}
	return Latent, clusterApart
}

// held gives the verdict on an overlap with a block of space.
func held(b *estate.Block, held netip.Prefix, other *Thing) (Verdict, reason) {
	switch {
	case !b.Held:
		return Conflict, sameSpace
	case other.block != nil && (other.block.Within == b || b.Within == other.block):
		return Harmless, heldInHeld
	case other.block != nil:
		return Latent, heldTwice
	case other.site != nil && address.Covers(held, other.Range):
		return Harmless, siteInHeld
	case other.cluster != nil && address.Covers(held, other.Range):
		return Harmless, clusterInHeld
	case other.cluster == nil && other.network != nil && other.network.From == b:
		return Harmless, carvedFrom
	case other.isNetwork() && inOwnRange(other.network, held):
		return Harmless, heldInside
	case other.Kind == "held" && inOwnRange(other.network, held):
		return Harmless, heldBoth
	case other.part && inOwnRange(other.network, held):
		return Conflict, takesHeld
	}
	return Latent, onHeld
}

// words are why a pair has its verdict, in a sentence, and by what the two of a conflict meet.
func (j *judge) words(r reason, a, b *Thing) (why string, chain []string) {
	isHeld := func(rest string) (string, []string) {
		return fmt.Sprintf("block %s is held (%s)%s", a.Name, a.block.Plan.Held.Value, rest), nil
	}
	lives := func() string { return fmt.Sprintf("cluster %s lives in network %s", a.Name, a.network.Name) }
	switch r {
	case sameSpace:
		return "both blocks are the same space, and each hands it out", nil
	case heldInHeld:
		return "one held block lies within the other", nil
	case heldTwice:
		return "both are held, for two things that could never be joined", nil
	case siteInHeld:
		return isHeld(fmt.Sprintf(", and site %s lies in it", b.Name))
	case clusterInHeld:
		return isHeld(fmt.Sprintf(", and %s lie in it", b))
	case carvedFrom:
		return isHeld(fmt.Sprintf(", and network %s is carved from it", b.network.Name))
	case heldInside:
		return isHeld(fmt.Sprintf(" inside network %s, and carve leaves it free", b.Name))
	case heldBoth:
		return isHeld(fmt.Sprintf(" inside network %s, and so is held part %s", b.network.Name, b.Name))
	case takesHeld:
		return isHeld(fmt.Sprintf(" inside network %s, and the subnet takes its addresses", b.network.Name))
	case onHeld:
		return isHeld(fmt.Sprintf(", and what it is held for could never be joined to %s", b.owner()))
	case oneSite:
		return "both are ranges of one site", nil
	case oneNetwork:
		why = "both are in network " + a.network.Name
		if a.isNetwork() && b.isNetwork() {
			why = "both are ranges of network " + a.network.Name
		}
		return why, []string{"network " + a.network.Name}
	case oneCluster:
		return fmt.Sprintf("pods and services of cluster %s meet inside it", a.Name), []string{"cluster " + a.Name}
	case twoClusters:
		return "each cluster knows only its own pods and services, so others may have the same ranges", nil
	case ownCluster:
		return lives(), []string{"cluster " + a.Name, "network " + a.network.Name}
	case clusterMeets:
		chain, third := j.meetings.Chain(a.network, b.end())
		return lives() + ", and " + chainText(chain, third), append([]string{"cluster " + a.Name}, chain...)
	case clusterApart:
		if a.network == nil {
			return fmt.Sprintf("the plan does not say in which network cluster %s lives, so nothing joins it and %s", a.Name, b.owner()), nil
		}
		return fmt.Sprintf("nothing joins network %s, in which cluster %s lives, and %s today, and nothing ever could", a.network.Name, a.Name, b.owner()), nil
	case joined:
		chain, third := j.meetings.Chain(a.end(), b.end())
		return chainText(chain, third), chain
	}
	return fmt.Sprintf("nothing joins %s and %s today, and nothing ever could", a.owner(), b.owner()), nil
}

// chainText puts a chain into a sentence.
func chainText(chain []string, third int) string {
	if third == 0 {
		return "they meet by " + phrase.And(chain[1:len(chain)-1])
	}
	first, second := slices.Clone(chain[1:third]), chain[third+1:len(chain)-1]
	slices.Reverse(first)
	if slices.Equal(first, second) {
		return fmt.Sprintf("%s is joined to both, by %s", chain[third], phrase.And(first))
	}
	return fmt.Sprintf("%s is joined to both, by %s and by %s", chain[third], phrase.And(first), phrase.And(second))
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
	words := fmt.Sprintf("the nearest free /%d for %s is %s, in %s", m.To.Bits(), m.What, m.To, m.Where)
	if name := m.Name(); name != "" {
		words += fmt.Sprintf("; renumber %s -to %s  moves it", name, m.To)
	}
	return words
}

// Name is the name by which what moves can be renumbered; empty for a block, which is nobody's alone.
func (m *Move) Name() string {
	switch t := m.What; t.Kind {
	case "pods", "services":
		return t.Name + "/" + t.Kind
	case "network", "subnet", "held":
		return t.Name
	}
	return ""
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
	// Where one of the two is now is no place to move to, whatever else that is free for.
	to, near := address.Nearest(free.Minus(address.SetOf(a.Range, b.Range)), mover.Range)
	if !near {
		to = netip.Prefix{}
	}
	return &Move{mover, to, where}
}

// ease ranks what is easier to move; a site is not ours to move, and neither is what is fixed.
func ease(t Thing) int {
	if t.Fixed() {
		return 0
	}
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
			j.free[t.network] = j.survey.FreeInNetwork(ranges)
		}
		return j.free[t.network], "network " + t.network.Name, true
	}
	smallest := j.smallestAround(t)
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

// smallestAround is the smallest block, other than itself, that a thing lies in and that is not held; nil when there is
// none.
func (j *judge) smallestAround(t Thing) *estate.Block {
	for bits := t.Range.Bits(); bits >= 0; bits-- {
		for _, b := range j.blocks[netip.PrefixFrom(t.Range.Addr(), bits).Masked()] {
			if b != t.block {
				return b
			}
		}
	}
	return nil
}
