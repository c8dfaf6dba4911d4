package plan

import (
	"strings"

	"wendrik/internal/core/text"
)

// This file says what is to be known of a thing, and writes a network out, from the tables that read them.

// Fact is something that the plan says of a thing, by the key that it has for it.
type Fact struct {
	Key     string
	Words   []string
	Affects Affects  // whom it touches that this is another
	Names   []string // the kinds of things that its words name
	Set     bool     // whether the order of its words says nothing
}

// String is all its words in one.
func (f Fact) String() string { return strings.Join(f.Words, ", ") }

// Facts are what the plan says of one of its things, in the order of the format; but for what it holds that is told for itself: things
// that have names, rules and routes. What is so anyway is no fact, and each entry of a mapping is one,
// whose key is that of the mapping and its own with a blank between.
func Facts(x any) []Fact {
	if b := bind(x); b != nil {
		return b.facts()
	}
	return nil
}

// Same reports whether a plan would write two things alike, but for their names: then all that is said of them is the same, wherever they stand.
func Same(x, y any) bool {
	a := bind(x)
	return a != nil && a.same(bind(y))
}

// bound is a thing and the table of its keys.
type bound[T any] struct {
	table []field[T]
	of    *T
}

func (b bound[T]) facts() []Fact { return facts(b.table, b.of) }

func (b bound[T]) same(other any) bool {
	o, is := other.(bound[T])
	for i := range b.table {
		f := &b.table[i]
		if !is || f.write == nil {
			continue
		}
		x, has := f.write(b.of)
		y, had := f.write(o.of)
		if has != had || has && !x.Equal(y) {
			return false
		}
	}
	return is
}

// bind finds the table of a thing; nil for what is none of a plan.
func bind(x any) interface {
	facts() []Fact
	same(other any) bool
} {
	switch x := x.(type) {
	case *Plan:
		return bound[Plan]{planFields, x}
	case *DHCP:
		return bound[DHCP]{dhcpFields, x}
	case *Block:
		return bound[Block]{blockFields, x}
	case *Network:
		return bound[Network]{networkFields, x}
	case *Tier:
		return bound[Tier]{tierFields, x}
	case *Held:
		return bound[Held]{heldFields, x}
	case *Subnet:
		return bound[Subnet]{subnetFields, x}
	case *Gateway:
		return bound[Gateway]{gatewayFields, x}
	case *Table:
		return bound[Table]{tableFields, x}
	case *Route:
		return bound[Route]{routeFields, x}
	case *Group:
		return bound[Group]{groupFields, x}
	case *List:
		return bound[List]{listFields, x}
	case *Workload:
		return bound[Workload]{workloadFields, x}
	case *Peering:
		return bound[Peering]{peeringFields, x}
	case *Hub:
		return bound[Hub]{hubFields, x}
	case *HubLink:
		return bound[HubLink]{hubLinkFields, x}
	case *HubTable:
		return bound[HubTable]{hubTableFields, x}
	case *Attachment:
		return bound[Attachment]{attachmentFields, x}
	case *Site:
		return bound[Site]{siteFields, x}
	case *Cluster:
		return bound[Cluster]{clusterFields, x}
	case *Waiver:
		return bound[Waiver]{waiverFields, x}
	}
	return nil
}

// Facts of a region are its zones.
func (r *Region) Facts() []Fact {
	v, _ := manyNames.write(r.Zones)
	return []Fact{{Key: "zones", Words: wordsIn(v), Affects: Nobody}}
}

func facts[T any](table []field[T], x *T) []Fact {
	var all []Fact
	for i := range table {
		f := &table[i]
		if f.apart || f.write == nil {
			continue
		}
		v, given := f.write(x)
		if !given {
			continue
		}
		for _, entry := range v.Fields() {
			all = append(all, Fact{f.key + " " + entry.Key, wordsIn(entry.Value), f.affects, f.names, false})
		}
		if len(v.Fields()) > 0 {
			continue
		}
		words := wordsIn(v)
		if f.usual != "" && len(words) == 1 && words[0] == f.usual {
			continue
		}
		all = append(all, Fact{f.key, words, f.affects, f.names, f.set})
	}
	return all
}

// wordsIn are the words of a value: those of a list, with those of a list in it in one.
func wordsIn(v text.Value) []string {
	if word, single := v.Single(); single {
		return []string{word}
	}
	var all []string
	for _, x := range v.Items() {
		all = append(all, strings.Join(wordsIn(x), ", "))
	}
	return all
}

// AffectsAt is whom it touches that a thing comes, or goes, which stands at a place of a plan, such as networks.booking.tiers.web.
func AffectsAt(place text.Path) Affects {
	at, known := At(place)
	if !known {
		return Everybody
	}
	return at.Key.affects
}

// Whole is the network as a plan would spell it out, under the key networks.
func (n *Network) Whole() string {
	return text.Lines(text.Field{Key: "networks", Value: text.Map(text.Field{Key: n.Name.Value, Value: text.Map(written(networkFields, n)...)})})
}
