// Package meet says which networks and sites of an estate can meet, whatever their tables and rules say today: by a
// peering, a link, and through the tables of hubs and the links between hubs. What reaches, meets.
package meet

import (
	"slices"
	"strings"

	"wendrik/internal/core/estate"
)

// Map knows who is joined to whom.
type Map struct {
	nodes map[estate.Object]int // networks, sites, hub tables, and tables of networks that are passed through
	all   []estate.Object
	out   []map[int]string // by node: to which nodes a packet can be led from it, and past what, as names between commas
	in    []map[int]string // the same the other way round

	tables, users [][]int // by node: the hub tables that can be come to from it, or from which it can be come to; itself first
}

// Of makes the map of an estate: time and memory follow the size of what joins its networks.
func Of(e *estate.Estate) *Map {
	m := &Map{nodes: map[estate.Object]int{}}
	for _, p := range e.Peerings {
		for i, n := range p.Between {
			far := p.Between[1-i]
			m.join(n, far, p)
			if door := p.Door(far); door != nil {
				m.join(n, door.Table, p, far)
			}
			if p.Carries(far) {
				m.imports(n, far, p)
			}
		}
	}
	for _, s := range e.Sites {
		if s.Link == nil {
			continue
		}
		how := linkOf{s}
		m.join(s, s.Link, how)
		m.join(s.Link, s, how)
		if s.Door != nil {
			m.join(s, s.Door.Table, how, s.Link)
		}
		for _, p := range s.Link.Peerings {
			if p.Carries(s.Link) {
				m.join(s, p.Far(s.Link), how, s.Link, p)
			}
		}
	}
	for _, h := range e.Hubs {
		for _, a := range h.Attachments {
			if a.Table != nil {
				m.join(a.To(), a.Table, h)
			}
		}
		for _, t := range h.Tables {
			m.table(t)
		}
	}
	for _, n := range e.Networks {
		if len(n.Doors()) > 0 {
			for _, t := range n.Tables {
				m.passes(n, t)
			}
		}
	}
	out, in := m.onward(m.out), m.onward(m.in)
	for i := range m.all {
		m.tables, m.users = append(m.tables, through(i, out)), append(m.users, through(i, in))
	}
	return m
}

// imports joins a network to what its peer exports to it: the sites and hubs to which the peer's routes lead.
func (m *Map) imports(n, far *estate.Network, p *estate.Peering) {
	for _, r := range far.Custom {
		switch via := r.Via.(type) {
		case *estate.Site:
			m.join(n, via, p, far)
		case *estate.Hub:
			if a := far.Attachment(via); a != nil {
				m.join(n, a.Table, p, far, via)
			}
		}
	}
}

// passes joins a table of a network that is passed through to what its routes lead to.
func (m *Map) passes(n *estate.Network, t *estate.Table) {
	m.join(t, n)
	for _, r := range t.Routes {
		switch via := r.Via.(type) {
		case *estate.Hub:
			if a := n.Attachment(via); a != nil {
				m.join(t, a.Table, via)
			}
		case *estate.Peering:
			m.join(t, via.Far(n), via)
			if door := via.Door(via.Far(n)); door != nil {
				m.join(t, door.Table, via, via.Far(n))
			}
		case *estate.Site:
			m.join(t, via, linkOf{via})
		case *estate.Workload:
			m.join(t, via.Subnet.Table)
		case *estate.Gateway:
			if via.In != nil {
				m.join(t, via.In.Table)
			}
		}
	}
}

// table joins a hub table to what its routes lead to.
func (m *Map) table(t *estate.HubTable) {
	for _, r := range t.Routes {
		switch via := r.Via.(type) {
		case *estate.Network:
			m.join(t, via)
			if a := via.Attachment(t.Hub); a != nil && a.Door != nil {
				m.join(t, a.Door.Table, via)
			}
			for _, p := range via.Peerings {
				if p.Carries(via) && via.ExportsTo(t.Hub) {
					m.join(t, p.Far(via), via, p)
				}
			}
		case *estate.Site:
			m.join(t, via)
		case *estate.HubLink:
			if far, table := via.Far(t.Hub); table != nil {
				m.join(t, table, via, far)
			}
		}
	}
}

// linkOf is the link of a site, which has no name of its own.
type linkOf struct{ *estate.Site }

func nameOf(x estate.Object) string {
	if l, is := x.(linkOf); is {
		return "the link of site " + l.Name
	}
	return string(x.Kind()) + " " + x.ID()
}

func (m *Map) node(x estate.Object) int {
	i, known := m.nodes[x]
	if !known {
		i = len(m.all)
		m.nodes[x] = i
		m.all, m.out, m.in = append(m.all, x), append(m.out, map[int]string{}), append(m.in, map[int]string{})
	}
	return i
}

// join notes that a packet can be led from a to b, past some others.
func (m *Map) join(a, b estate.Object, past ...estate.Object) {
	i, j := m.node(a), m.node(b)
	if i == j {
		return
	}
	names := make([]string, len(past))
	for k, x := range past {
		names[k] = nameOf(x)
	}
	how := strings.Join(names, ",")
	if was, known := m.out[i][j]; !known || less(how, was) {
		m.out[i][j], m.in[j][i] = how, how
	}
}

// less puts the shorter of two ways first, and of the same length, the first by name.
func less(a, b string) bool {
	if x, y := strings.Count(a, ","), strings.Count(b, ","); x != y {
		return x < y
	}
	return a < b
}

// onward are, by node, the tables that edges lead to: a hub's table leads to thousands of networks, and to few tables.
func (m *Map) onward(edges []map[int]string) [][]int {
	all := make([][]int, len(edges))
	for i, of := range edges {
		for next := range of {
			if m.isTable(next) {
				all[i] = append(all[i], next)
			}
		}
	}
	return all
}

// through finds the hub tables that a packet can come to from a node by way of tables; the node itself is the first.
func through(from int, onward [][]int) []int {
	found, seen := []int{from}, map[int]bool{from: true}
	for i := 0; i < len(found); i++ {
		for _, next := range onward[found[i]] {
			if !seen[next] {
				seen[next] = true
				found = append(found, next)
			}
		}
	}
	return found
}

func (m *Map) isTable(node int) bool {
	switch m.all[node].(type) {
	case *estate.HubTable, *estate.Table:
		return true
	}
	return false
}

// leads reports whether a packet can be led from one end to another.
func (m *Map) leads(from, to int) bool {
	return slices.ContainsFunc(m.tables[from], func(t int) bool { _, is := m.out[t][to]; return is })
}

// Meet reports whether two networks or sites can meet: a packet can be led from one to the other, or from a third to
// either, so that they cannot have the same addresses.
func (m *Map) Meet(x, y estate.Object) bool {
	_, _, meet := m.how(x, y)
	return meet
}

// how finds whether two ends meet, and the nodes of a third to which both are joined where they do not meet without.
func (m *Map) how(x, y estate.Object) (thirds []int, apart, meet bool) {
	i, known := m.nodes[x]
	j, alsoKnown := m.nodes[y]
	if !known || !alsoKnown {
		return nil, true, false
	}
	if m.leads(i, j) || m.leads(j, i) {
		return nil, false, true
	}
	for _, third := range m.from(i) {
		if m.leads(third, j) {
			thirds = append(thirds, third)
		}
	}
	return thirds, len(thirds) == 0, len(thirds) > 0
}

// from are the ends from which a packet can be led to one.
func (m *Map) from(end int) []int {
	var ends []int
	for _, t := range m.users[end] {
		for x := range m.in[t] {
			if !m.isTable(x) {
				ends = append(ends, x)
			}
		}
	}
	slices.Sort(ends)
	return slices.Compact(ends)
}

// Chain says by what two networks or sites meet, as names from one to the other: network a, peering p, network b. It is
// empty when they do not meet. Where both are joined to a third, Third is its place in the chain; else 0.
func (m *Map) Chain(x, y estate.Object) (chain []string, third int) {
	thirds, apart, _ := m.how(x, y)
	switch {
	case apart:
		return nil, 0
	case len(thirds) == 0:
		i, j := m.nodes[x], m.nodes[y]
		way, led := m.way(i, j)
		if !led {
			way, _ = m.way(j, i)
			way = backwards(way)
		}
		return m.named(x, way, y), 0
	}
	best := ""
	for _, t := range thirds {
		toX, _ := m.way(t, m.nodes[x])
		toY, _ := m.way(t, m.nodes[y])
		way := join(backwards(toX), nameOf(m.all[t]), toY)
		if best == "" || less(way, best) {
			best, third = way, 2+strings.Count(toX, ",")
		}
	}
	return m.named(x, best, y), third
}

func (m *Map) named(x estate.Object, way string, y estate.Object) []string {
	return strings.Split(join(nameOf(x), way, nameOf(y)), ",")
}

// join puts names and ways behind each other; an empty one is of two ends with nothing between.
func join(parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(p string) bool { return p == "" }), ",")
}

func backwards(way string) string {
	names := strings.Split(way, ",")
	slices.Reverse(names)
	return strings.Join(names, ",")
}

// way is the shortest way from one end to another, as names between commas, and whether there is one.
func (m *Map) way(from, to int) (best string, led bool) {
	ways := map[int]string{from: ""}
	for level := []int{from}; len(level) > 0; {
		next := map[int]string{}
		for _, t := range level {
			if how, is := m.out[t][to]; is {
				if way := join(ways[t], how); !led || less(way, best) {
					best, led = way, true
				}
			}
			for table, how := range m.out[t] {
				if !m.isTable(table) {
					continue
				}
				_, known := ways[table]
				if way := join(ways[t], how); !known && (next[table] == "" || less(way, next[table])) {
					next[table] = way
				}
			}
		}
		level = level[:0]
		for t, way := range next {
			ways[t] = way
			level = append(level, t)
		}
	}
	return best, led
}
