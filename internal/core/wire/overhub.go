package wire

import (
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// This file leads by way of something over a hub.

// freshHub is a table of a hub that is not there yet: what another one says, and more.
type freshHub struct {
	of     *estate.HubTable
	name   string
	routes []leads
	whose  []*estate.Attachment // that look into it in the place of the other
}

// overHub leads a range that comes from one attachment to another one, and gives the table into which it looks there.
func (t *turning) overHub(from, to *estate.Attachment, p netip.Prefix) *freshTable {
	if from.Table == nil || to.Table == nil {
		t.fail("an attachment of hub %s has no table", from.Hub.Name)
		return nil
	}
	t.inHub(from, p, to.To().ID())
	return t.door(to.Network, "hub "+to.Hub.Name, to.Door, "from-"+to.Hub.Name, func(name string) []text.Edit { return t.attach(to, text.Field{Key: "arrives", Value: text.Word(name)}) })
}

// attach writes more of an attachment, and the table that it has from now on.
func (t *turning) attach(a *estate.Attachment, more ...text.Field) []text.Edit {
	f := t.hubs[a.Table]
	moved := f != nil && slices.Contains(f.whose, a)
	path := a.Hub.Place().To("attach")
	if a.Door == nil && len(a.Meant.Words) == 0 { // a word
		switch {
		case moved && len(more) == 0:
			return []text.Edit{text.Set(path, a.To().ID(), text.Word(f.name))}
		case moved:
			more = append([]text.Field{{Key: "table", Value: text.Word(f.name)}}, more...)
		default:
			more = append([]text.Field{{Key: "table", Value: text.Word(a.Table.Name)}}, more...)
		}
		return []text.Edit{text.Set(path, a.To().ID(), text.Map(more...))}
	}
	var edits []text.Edit
	if moved {
		edits = append(edits, text.Set(path.To(a.To().ID()), "table", text.Word(f.name)))
	}
	for _, x := range more {
		edits = append(edits, text.Set(path.To(a.To().ID()), x.Key, x.Value))
	}
	return edits
}

// inHub has what comes from an attachment be led to another one: in the table that it has, where nobody has that but the ends of the line, or in one of
// their own that says the same otherwise.
func (t *turning) inHub(from *estate.Attachment, to netip.Prefix, via string) {
	h := from.Table
	if leadsBy(h.Routes, h.Lookup(to.Addr()), to, via) {
		return
	}
	if r := byHand(h.Routes, to); r != nil {
		t.fail("table %s of hub %s leads %s to %s, not to %s", h.Name, h.Hub.Name, to, r.ViaName(), via)
		return
	}
	if !t.shared(h) {
		t.once(text.Add(h.Place().To("routes"), route(to.String(), via)))
		return
	}
	f := t.hubs[h]
	if f == nil {
		f = &freshHub{of: h, name: phrase.Free("by-"+strings.ReplaceAll(t.line.Through, "/", "-"), func(name string) bool {
			return slices.ContainsFunc(h.Hub.Tables, func(h *estate.HubTable) bool { return h.Name == name })
		})}
		t.hubs[h] = f
	}
	if !slices.Contains(f.whose, from) {
		f.whose = append(f.whose, from)
	}
	if r := (leads{to, via}); !slices.Contains(f.routes, r) {
		f.routes = append(f.routes, r)
	}
}

// shared reports whether others than the ends of the line look into a table of a hub.
func (t *turning) shared(h *estate.HubTable) bool {
	return slices.ContainsFunc(h.Hub.Attachments, func(a *estate.Attachment) bool { return a.Table == h && !slices.Contains(t.ends, a.To().ID()) }) ||
		slices.ContainsFunc(h.Hub.Links, func(l *estate.HubLink) bool { return slices.Contains(l.Tables[:], h) })
}

// writeHubs makes edits of the tables of hubs that are new.
func (t *turning) writeHubs() {
	for _, h := range t.e.Hubs {
		for _, of := range h.Tables {
			f := t.hubs[of]
			if f == nil {
				continue
			}
			edits := []text.Edit{f.table()}
			for _, a := range f.whose {
				if t.doors[a.To().ID()+" hub "+h.Name] == nil || a.Door != nil { // whose door writes that, too
					edits = append(edits, t.attach(a)...)
				}
			}
			t.edits = append(t.edits, edits)
		}
	}
}

// table writes the table.
func (f *freshHub) table() text.Edit {
	var fields []text.Field
	if len(f.of.Plan.Learns) > 0 {
		var learns []string
		for _, l := range f.of.Plan.Learns {
			learns = append(learns, l.Value)
		}
		fields = append(fields, text.Field{Key: "learns", Value: text.Words(learns...)})
	}
	var routes []text.Value
	for _, r := range f.of.Plan.Routes {
		routes = append(routes, again(r))
	}
	for _, r := range f.routes {
		routes = append(routes, route(r.to.String(), r.via))
	}
	return text.Set(f.of.Hub.Place().To("tables"), f.name, text.Map(append(fields, text.Field{Key: "routes", Value: text.List(routes...)})...))
}
