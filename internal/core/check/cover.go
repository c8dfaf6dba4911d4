package check

import (
	"iter"
	"net/netip"

	"wendrik/internal/core/estate"
)

// coverers finds, among rules, those that may cover another: by what they name, so that not each is looked at for each.
type coverers struct {
	any    []int
	groups map[*estate.Group][]int
	ranges map[netip.Prefix][]int
}

func newCoverers() *coverers {
	return &coverers{groups: map[*estate.Group][]int{}, ranges: map[netip.Prefix][]int{}}
}

// add adds a rule by its number.
func (c *coverers) add(i int, x estate.Rule) {
	switch {
	case x.Peer.Any:
		c.any = append(c.any, i)
	case x.Peer.Range.IsValid():
		c.ranges[x.Peer.Range] = append(c.ranges[x.Peer.Range], i)
	case x.Group != nil:
		c.groups[x.Group] = append(c.groups[x.Group], i)
	}
}

// of gives the numbers of those that name all that a rule names.
func (c *coverers) of(x estate.Rule) iter.Seq[int] {
	return func(yield func(int) bool) {
		give := func(all []int) bool {
			for _, i := range all {
				if !yield(i) {
					return false
				}
			}
			return true
		}
		if !give(c.any) || x.Peer.Any {
			return
		}
		if !x.Peer.Range.IsValid() {
			give(c.groups[x.Group])
			return
		}
		for bits := range x.Peer.Range.Bits() + 1 {
			if !give(c.ranges[netip.PrefixFrom(x.Peer.Range.Addr(), bits).Masked()]) {
				return
			}
		}
	}
}

// decided is for each rule of a list the number of the first before it that covers it; -1 for none.
func decided(rules []estate.Rule) []int {
	out := make([]int, len(rules))
	before := newCoverers()
	for i, x := range rules {
		out[i] = -1
		for j := range before.of(x) {
			if (out[i] < 0 || j < out[i]) && covers(rules[j], x) {
				out[i] = j
			}
		}
		before.add(i, x)
	}
	return out
}
