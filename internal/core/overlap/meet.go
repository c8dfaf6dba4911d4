package overlap

import (
	"fmt"

	"wendrik/internal/core/estate"
)

// meetings knows which networks and sites can be led to which others, so that two of them meet when one is led to the
// other, or a third to both: then one address would stand for two things.
type meetings struct {
	// reach lists, for each network and site, what it is joined to, and by what.
	reach map[any]map[any]string
}

func newMeetings(e *estate.Estate) *meetings {
	m := &meetings{reach: map[any]map[any]string{}}
	for _, p := range e.Peerings {
		how := "peering " + p.Name
		m.join(p.Between[0], p.Between[1], how)
		m.join(p.Between[1], p.Between[0], how)
	}
	for _, s := range e.Sites {
		if s.Link != nil {
			how := "the link of site " + s.Name
			m.join(s, s.Link, how)
			m.join(s.Link, s, how)
		}
	}
	for _, h := range e.Hubs {
		for _, a := range h.Attachments {
			if a.Table == nil {
				continue
			}
			for _, r := range a.Table.Routes {
				if !r.Via.Blackhole {
					m.join(end(a.Network, a.Site), end(r.Via.Network, r.Via.Site), "hub "+h.Name)
				}
			}
		}
	}
	return m
}

// end is the network or the site, whichever is set, as a key.
func end(n *estate.Network, s *estate.Site) any {
	if n != nil {
		return n
	}
	return s
}

func (m *meetings) join(a, b any, how string) {
	if a == b {
		return
	}
	if m.reach[a] == nil {
		m.reach[a] = map[any]string{}
	}
	if m.reach[a][b] == "" {
		m.reach[a][b] = how
	}
}

// between says by what two things meet; empty when they do not.
func (m *meetings) between(a, b Thing) string {
	x, y := end(a.network, a.site), end(b.network, b.site)
	if how := m.reach[x][y]; how != "" {
		return "they meet by " + how
	}
	if how := m.reach[y][x]; how != "" {
		return "they meet by " + how
	}
	best := ""
	for third, joined := range m.reach {
		byX, byY := joined[x], joined[y]
		if byX == "" || byY == "" {
			continue
		}
		how := fmt.Sprintf("%s is joined to both, by %s and by %s", nameOf(third), byX, byY)
		if byX == byY {
			how = fmt.Sprintf("%s is joined to both, by %s", nameOf(third), byX)
		}
		if best == "" || how < best {
			best = how
		}
	}
	return best
}

func nameOf(end any) string {
	switch end := end.(type) {
	case *estate.Network:
		return "network " + end.Name
	case *estate.Site:
		return "site " + end.Name
	}
	return ""
}
