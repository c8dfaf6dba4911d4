package plan

import (
	"slices"
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
	switch x := x.(type) {
	case *Plan:
		return facts(planFields, x)
	case *DHCP:
		return facts(dhcpFields, x)
	case *Block:
		return facts(blockFields, x)
	case *Network:
		return facts(networkFields, x)
	case *Tier:
		return facts(tierFields, x)
	case *Held:
		return facts(heldFields, x)
	case *Subnet:
		return facts(subnetFields, x)
	case *Gateway:
		return facts(gatewayFields, x)
	case *Table:
		return facts(tableFields, x)
	case *Route:
		return facts(routeFields, x)
	case *Group:
		return facts(groupFields, x)
	case *List:
		return facts(listFields, x)
	case *Workload:
		return facts(workloadFields, x)
	case *Peering:
		return facts(peeringFields, x)
	case *Hub:
		return facts(hubFields, x)
	case *HubLink:
		return facts(hubLinkFields, x)
	case *HubTable:
		return facts(hubTableFields, x)
	case *Attachment:
		return facts(attachmentFields, x)
	case *Site:
		return facts(siteFields, x)
	case *Cluster:
		return facts(clusterFields, x)
	case *Waiver:
		return facts(waiverFields, x)
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
	all, least := tell(planFields), Everybody
	for i := 0; i < len(place); i += 2 {
		at := slices.IndexFunc(all, func(k Key) bool { return k.Name == place[i] })
		if at < 0 {
			return Everybody
		}
		least = all[at].affects
		if all[at].inside != "" {
			all = kinds[all[at].inside]()
		}
	}
	return least
}

// Whole is the network as a plan would spell it out, under the key networks.
func (n *Network) Whole() string {
	return text.Lines(text.Field{Key: "networks", Value: text.Map(text.Field{Key: n.Name.Value, Value: text.Map(written(networkFields, n)...)})})
}
