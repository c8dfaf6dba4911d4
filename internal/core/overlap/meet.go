package overlap

import (
	"fmt"
	"strings"

	"wendrik/internal/core/estate"
)

// meetings knows which networks and sites can be led to which others, so that two of them meet when one is led to the
// other, or a third to both: then one address would stand for two things.
type meetings struct {
	// reach lists, for each network and site, what it can be led to, and by what; from is the same the other way.
	reach, from map[estate.Object]map[estate.Object]string
}

func newMeetings(e *estate.Estate) *meetings {
	m := &meetings{reach: map[estate.Object]map[estate.Object]string{}, from: map[estate.Object]map[estate.Object]string{}}
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
				switch r.Via.(type) {
				case *estate.Network, *estate.Site:
					m.join(a.To(), r.Via, "hub "+h.Name)
				}
			}
		}
	}
	return m
}

// end is the network or the site, whichever is set.
func end(n *estate.Network, s *estate.Site) estate.Object {
	if n != nil {
		return n
	}
	return s
}

func (m *meetings) join(a, b estate.Object, how string) {
	if a == b {
		return
	}
	if m.reach[a] == nil {
		m.reach[a] = map[estate.Object]string{}
	}
	if m.from[b] == nil {
		m.from[b] = map[estate.Object]string{}
	}
	if m.reach[a][b] == "" {
		m.reach[a][b], m.from[b][a] = how, how
	}
}

// chain says by what two ends meet, as names from one to the other; empty when they do not.
func (m *meetings) chain(x, y estate.Object) []string {
	if how := m.reach[x][y]; how != "" {
		return []string{nameOf(x), how, nameOf(y)}
	}
	if how := m.reach[y][x]; how != "" {
		return []string{nameOf(x), how, nameOf(y)}
	}
	var best []string
	for third, byX := range m.from[x] {
		byY := m.reach[third][y]
		if byY == "" {
			continue
		}
		if c := []string{nameOf(x), byX, nameOf(third), byY, nameOf(y)}; best == nil || strings.Join(c, " ") < strings.Join(best, " ") {
			best = c
		}
	}
	return best
}

// chainText puts a chain into a sentence.
func chainText(chain []string) string {
	switch {
	case len(chain) == 3:
		return "they meet by " + chain[1]
	case chain[1] == chain[3]:
		return fmt.Sprintf("%s is joined to both, by %s", chain[2], chain[1])
	}
	return fmt.Sprintf("%s is joined to both, by %s and by %s", chain[2], chain[1], chain[3])
}

func nameOf(end estate.Object) string { return string(end.Kind()) + " " + end.ID() }
