package editor

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
)

// This file offers what may stand at a cursor. It never waits for the plan to be read again: the words around the cursor are those of now, and
// the names those that were there when it was read last.

// Kinds of what is offered, by the protocol.
const (
	kindKey     = 10
	kindName    = 6
	kindWord    = 12
	kindValue   = 11
	kindSnippet = 15
	kindVerb    = 14
)

// mostOffered is how many things are offered at once; more typing makes them fewer.
const mostOffered = 300

// offer is what may stand at a cursor.
type offer struct {
	word, says, doc string
	kind            int
	insert          string        // in the place of the word
	of              estate.Object // what the word names, which is told where it is offered; nil for a word that says itself
	snippet         bool
}

func (s *server) completion(_ context.Context, p positionParams) (*completionList, error) {
	list := &completionList{Items: []completionItem{}}
	d, k, c, ok := s.cursor(p)
	if !ok || c.comment {
		return list, nil
	}
	x := k.now()
	typed, start, end := c.word()
	typed = typed[:min(max(c.byte-start, 0), len(typed))]
	if c.key && !c.element() {
		start, end = min(c.start, c.byte), max(c.end, c.byte)
		typed = c.before()
	}
	offers := offersAt(x, c, s.can.TextDocument.Completion.CompletionItem.SnippetSupport)
	where := extent{d.lines.positionOf(spot{c.line, start}, s.encoding), d.lines.positionOf(spot{c.line, max(end, c.byte)}, s.encoding)}
	for _, o := range offers {
		if !strings.HasPrefix(o.word, typed) && !strings.Contains(o.word, typed) {
			continue
		}
		if len(list.Items) == mostOffered {
			list.IsIncomplete = true
			break
		}
		if o.of != nil {
			o.says = detailOf(o.of)
		}
		item := completionItem{Label: o.word, Kind: o.kind, Detail: o.says, SortText: fmt.Sprintf("%04d", len(list.Items)), FilterText: o.word, TextEdit: &textEdit{Range: where, NewText: o.word}}
		if o.insert != "" {
			item.TextEdit.NewText = o.insert
		}
		if o.snippet {
			item.InsertTextFormat = 2
		}
		if o.doc != "" {
			item.Documentation = new(markdown(o.doc))
		}
		list.Items = append(list.Items, item)
	}
	return list, nil
}

// offersAt is what may stand at a cursor, by what is known of the plan; nothing of it where that is nil.
func offersAt(x *state, c *cursor, snippets bool) []offer {
	at, ok := plan.At(c.path)
	if !ok {
		return nil
	}
	var all []offer
	if c.key && len(at.Keys) > 0 {
		all = keyOffers(c, at)
		if at.Key.Choices == nil || c.flow {
			return all
		}
	}
	if c.key && at.Named && x != nil && (at.Key.Name == "attach" || at.Key.Name == "arrives") {
		return x.nameOffers(&cursor{path: c.path[:1]}, map[string][]string{"attach": {"network", "site"}, "arrives": {"network"}}[at.Key.Name]...)
	}
	if c.key && at.Named {
		if snippets && !c.flow {
			return snippetsOf(at, c)
		}
		return all
	}
	if c.key && !c.element() && len(at.Keys) == 0 {
		return all
	}
	for _, word := range at.Key.Choices {
		all = append(all, offer{word: word, kind: kindWord, says: at.Key.Doc})
	}
	if x == nil {
		return all
	}
	return append(all, x.valueOffers(c, at)...)
}

// keyOffers are the keys that may stand there, without those that do.
func keyOffers(c *cursor, at plan.Spot) []offer {
	var all []offer
	for _, key := range at.Keys {
		if slices.Contains(c.have, key.Name) {
			continue
		}
		insert := key.Name + ": "
		if next, ok := plan.At(c.path.To(key.Name)); ok && next.Named && !c.flow {
			insert = key.Name + ":\n" + strings.Repeat(" ", c.indent+2)
		}
		all = append(all, offer{word: key.Name, says: key.Takes, doc: keySaid(append(slices.Clip(at.Format), key.Name), key), kind: kindKey, insert: insert})
	}
	return all
}

// snippetsOf are pieces of a plan for what has a name of its own.
func snippetsOf(at plan.Spot, c *cursor) []offer {
	in := "\n" + strings.Repeat(" ", 2)
	var body string
	switch strings.Join(at.Format, ".") {
	case "networks":
		body = "${1:name}:" + in + "region: ${2:region}" + in + "from: ${3:block}" + in + "size: /${4:20}" + in + "tiers:" + in + "  ${5:web}: {access: ${6|public,outbound,closed|}, hosts: ${7:100}}"
	case "networks.tiers":
		body = "${1:name}: {access: ${2|public,outbound,closed|}, hosts: ${3:100}}"
	case "networks.groups":
		body = "${1:name}:" + in + "in: [${2:tcp/443 from any}]" + in + "out: [${3:any to any}]"
	case "networks.gateways":
		body = "${1:front}: {kind: ${2|internet,egress,nat|}}"
	case "networks.tables":
		body = "${1:name}:" + in + "subnets: [${2:web}]" + in + "routes:" + in + "  - {to: ${3:0.0.0.0/0}, via: ${4:front}}"
	case "peerings":
		body = "${1:name}: {between: [${2:one}, ${3:other}], accepted: [${2:one}, ${3:other}]}"
	case "workloads":
		body = "${1:name}: {in: ${2:network/tier}, groups: [${3:group}], listens: [${4:tcp/443}]}"
	case "sites":
		body = "${1:name}: {ranges: ${2:10.212.0.0/16}}"
	case "space":
		body = "${1:name}: {block: ${2:10.144.0.0/14}}"
	default:
		return nil
	}
	what := at.Key.Name
	what = strings.TrimSuffix(what, "s")
	return []offer{{word: "new " + what, says: "a whole " + what, kind: kindSnippet, insert: body, snippet: true}}
}

// valueOffers are the values that may stand there, from the plan itself.
func (x *state) valueOffers(c *cursor, at plan.Spot) []offer {
	switch key := strings.Join(at.Format, "."); {
	case key == "expect", key == "networks.expect", key == "patterns.expect":
		return x.statementOffers(c.before())
	case strings.HasPrefix(key, "networks.groups."), strings.HasPrefix(key, "networks.lists.in"), strings.HasPrefix(key, "networks.lists.out"):
		return x.ruleOffers(c, at.Key.Name, strings.HasPrefix(key, "networks.lists."))
	case key == "networks.region", key == "space.region", key == "hubs.region", key == "networks.subnets.region":
		var all []offer
		for _, r := range x.estate.Plan.Regions {
			all = append(all, offer{word: r.Name.Value, kind: kindName, says: "region with " + phrase.Names(r.Zones, func(t plan.Text) string { return t.Value })})
		}
		return all
	case key == "networks.subnets.zone", key == "networks.tiers.zones":
		return x.zoneOffers(c)
	case key == "networks.range", key == "networks.subnets.range", key == "networks.held.range", key == "space.block":
		return x.rangeOffers(c, at)
	case key == "workloads.address", key == "workloads.addresses":
		return x.addressOffers(c)
	case key == "networks.tables.routes.to", key == "hubs.tables.routes.to", key == "sites.knows":
		all := []offer{{word: "0.0.0.0/0", kind: kindValue, says: "everywhere, IPv4"}, {word: `"::/0"`, kind: kindValue, says: "everywhere, IPv6"}}
		return append(all, x.nameOffers(c, "network", "site", "cluster", "block", "tier", "subnet")...)
	case key == "networks.tables.routes.via":
		all := x.nameOffers(c, slices.DeleteFunc(slices.Clone(at.Key.Names), func(k string) bool { return k == "network" || k == "hub link" })...)
		return append(all, offer{word: plan.Blackhole, kind: kindWord, says: "drops it on purpose"})
	case key == "networks.tables.routes.only":
		return x.nameOffers(c, "group")
	case key == "networks.tables.subnets", key == "networks.lists.subnets":
		return x.nameOffers(c, "tier", "subnet")
	case key == "workloads.listens", key == "workloads.target-ports":
		return x.flowOffers()
	case key == "waive.rule":
		var all []offer
		found := x.findings()
		for _, rule := range check.Rules { // what is found comes first
			o := offer{word: string(rule.Code), kind: kindWord, says: rule.Doc}
			if slices.ContainsFunc(found, func(f diag.Finding) bool { return f.Code == rule.Code }) {
				all = slices.Insert(all, 0, o)
			} else {
				all = append(all, o)
			}
		}
		return all
	case key == "hubs.attach":
		return x.nameOffers(c, "hub table")
	case key == "waive.at":
		return x.nameOffers(c, "network", "workload", "site", "peering", "hub", "group", "subnet", "tier", "gateway")
	case key == "hubs.tables.learns":
		return x.nameOffers(c, "network", "site")
	case len(at.Key.Names) > 0:
		return x.nameOffers(c, at.Key.Names...)
	}
	return nil
}

// nameOffers are the names of things of some kinds: those of the network or hub around first, without its name before them.
func (x *state) nameOffers(c *cursor, kinds ...string) []offer {
	var near, far []offer
	around := x.around(c)
	set := map[estate.Kind]bool{}
	for _, k := range kinds {
		set[estate.Kind(k)] = true
	}
	set[estate.SetKind] = set[estate.WorkloadKind]
	qualified := len(c.path) > 0 && (c.path[0] == "workloads" && slices.Contains(c.path, "in") || c.path[len(c.path)-1] == "to" || c.path[0] == "sites" || c.path[0] == "peerings" && !slices.Contains(c.path, "arrives") || c.path[0] == "waive")
	for _, o := range x.objects() {
		if !set[o.Kind()] {
			continue
		}
		head, tail, isLocal := strings.Cut(o.ID(), "/")
		if isLocal && !qualified {
			if slices.Contains(around, head) {
				near = append(near, offer{word: tail, kind: kindName, of: o})
			}
			continue
		}
		far = append(far, offer{word: o.ID(), kind: kindName, of: o})
	}
	return append(near, far...)
}

// detailOf is what kind of thing something is, and what tells it from others of that kind.
func detailOf(o estate.Object) string {
	says := string(o.Kind())
	for _, f := range o.Facts() {
		if f.Key == "range" || f.Key == "kind" || f.Key == "in" || f.Key == "block" || f.Key == "between" {
			says += ", " + f.String()
		}
	}
	return clip(says, 80)
}

func (x *state) zoneOffers(c *cursor) []offer {
	var all []offer
	var regions []*plan.Region
	if n := x.estate.Network(c.path[1]); n != nil && len(n.Regions) > 0 {
		regions = n.Regions
	} else {
		regions = x.estate.Plan.Regions
	}
	for _, r := range regions {
		for _, z := range r.Zones {
			all = append(all, offer{word: z.Value, kind: kindName, says: "zone of region " + r.Name.Value})
		}
	}
	return all
}

// mostRanges is how many free ranges or addresses are offered.
const mostRanges = 5

// rangeOffers are ranges that are free and fit: of the block of a network, or of the network of a subnet.
func (x *state) rangeOffers(c *cursor, at plan.Spot) []offer {
	var all []offer
	take := func(free address.Set, bits int, says string) {
		for _, p := range free.Ranges() {
			if !p.Addr().Is4() || p.Bits() > bits {
				continue
			}
			for i := uint64(0); len(all) < mostRanges; i++ {
				piece, ok := address.Piece(p, bits, i)
				if !ok {
					break
				}
				all = append(all, offer{word: piece.String(), kind: kindValue, says: says})
			}
		}
	}
	if len(at.Format) < 2 || len(c.path) < 3 {
		return nil
	}
	n := x.estate.Network(c.path[1])
	switch {
	case at.Format[0] == "space":
		for _, b := range x.estate.Blocks {
			if b.Within == nil && !b.Held && b.Name != c.path[1] {
				take(x.survey().FreeIn(b), 16, "free in block "+b.Name)
			}
		}
	case n == nil:
	case len(at.Format) == 2:
		bits, ok := carve.SizeOf(x.estate, n)
		if !ok {
			bits = 20
		}
		for _, b := range x.estate.Blocks {
			if n.From == b || n.From == nil && !b.Held && (b.Region == "" || slices.Contains(n.RegionNames(), b.Region)) {
				take(x.survey().FreeIn(b), bits, "free in block "+b.Name)
			}
		}
	default:
		bits := 24
		for _, t := range n.Subnets {
			if len(t.Ranges) > 0 && t.Ranges[0].Addr().Is4() {
				bits = t.Ranges[0].Bits()
			}
		}
		if s := n.Subnet(c.path[3]); s != nil && len(s.Ranges) > 0 && s.Ranges[0].Addr().Is4() {
			bits = s.Ranges[0].Bits()
		}
		take(space.FreeOf(n), bits, "free in network "+n.Name)
	}
	return all
}

// addressOffers are the next free addresses of the subnets that a workload may be in.
func (x *state) addressOffers(c *cursor) []offer {
	var all []offer
	for _, w := range x.estate.Plan.Workloads {
		if w.Name.Value != c.path[1] {
			continue
		}
		for _, o := range x.estate.Named(w.In.Value) {
			var subnets []*estate.Subnet
			switch o := o.(type) {
			case *estate.Subnet:
				subnets = []*estate.Subnet{o}
			case *estate.Tier:
				subnets = o.Subnets
			}
			for _, s := range subnets {
				all = append(all, freeAddresses(s)...)
			}
		}
	}
	return all
}

// freeAddresses are the first addresses of a subnet's IPv4 range that nobody has.
func freeAddresses(s *estate.Subnet) []offer {
	var all []offer
	for _, p := range s.Ranges {
		if !p.Addr().Is4() {
			continue
		}
		for a, n := p.Addr(), 0; p.Contains(a) && len(all) < mostRanges && n < 70_000; a, n = a.Next(), n+1 {
			if !s.Network.Reserved(p, a) && s.Network.Host(a).Nobody() {
				all = append(all, offer{word: a.String(), kind: kindValue, says: "free in subnet " + s.ID()})
			}
		}
	}
	return all
}

// flowOffers are the flows that somebody listens on.
func (x *state) flowOffers(of ...*estate.Workload) []offer {
	var all []offer
	if of == nil {
		of = x.estate.Workloads
	}
	count, by := map[string]int{}, map[string]string{}
	var order []string
	for _, w := range of {
		for _, f := range w.Plan.Listens {
			for _, word := range f.Words() {
				if count[word]++; count[word] == 1 {
					order = append(order, word)
					by[word] = w.Name
				}
			}
		}
	}
	for _, word := range order {
		says := by[word] + " listens on it"
		if count[word] > 1 {
			says = fmt.Sprintf("%d workloads listen on it", count[word])
		}
		all = append(all, offer{word: word, kind: kindValue, says: says})
	}
	return all
}

// statementOffers are the words that may go on a line of expect.
func (x *state) statementOffers(before string) []offer {
	words := strings.Fields(before)
	if len(words) > 0 && !strings.HasSuffix(before, " ") {
		words = words[:len(words)-1] // which is being typed
	}
	verbs := func(all ...string) []offer {
		var out []offer
		for _, w := range all {
			out = append(out, offer{word: w, kind: kindVerb})
		}
		return out
	}
	last := ""
	if len(words) > 0 {
		last = words[len(words)-1]
	}
	flat := " " + strings.Join(words, " ") + " "
	has := func(s string) bool { return strings.Contains(flat, " "+s+" ") }
	switch {
	case len(words) == 0:
		return append(x.endOffers(), verbs("only")...)
	case last == "only" && len(words) == 1, last == "reaches", last == "except", last == "through":
		return x.endOffers()
	case last == "never":
		return verbs("reaches")
	case last == "leaves":
		return verbs("as")
	case last == "as":
		var all []offer
		for _, o := range x.estate.Networks {
			for _, g := range o.Gateways {
				for _, a := range g.Public {
					all = append(all, offer{word: a.String(), kind: kindValue, says: "NAT gateway " + g.ID()})
				}
			}
		}
		return append(all, offer{word: plan.Assigned, kind: kindWord, says: "an address that the cloud gives"})
	case last == "on":
		var of []*estate.Workload
		for i, w := range words {
			if w == "reaches" && i+1 < len(words) {
				of = x.members(words[i+1])
			}
		}
		return append(x.flowOffers(of...), verbs("tcp", "udp", "icmp", "any")...)
	case last == "without":
		return verbs("any zone", "any peering", "peering")
	case last == "peering" && has("without"):
		return x.nameOffers(&cursor{}, "peering")
	case !has("reaches") && !has("leaves"):
		return verbs("reaches", "never reaches", "leaves as")
	case has("reaches") && !has("on"):
		return verbs("on", "except", "through", "without")
	}
	return verbs("except", "through", "without")
}

// endOffers are all that can be an end of a line of expect.
func (x *state) endOffers() []offer {
	var kinds []string
	for _, k := range estate.EndKinds {
		kinds = append(kinds, string(k))
	}
	var all []offer
	for _, o := range x.objects() {
		if slices.Contains(kinds, string(o.Kind())) {
			all = append(all, offer{word: o.ID(), kind: kindName, says: string(o.Kind())})
		}
	}
	return append(all, offer{word: plan.Internet, kind: kindName, says: "all that is outside"})
}

// members are the workloads that a word means.
func (x *state) members(word string) []*estate.Workload {
	var all []*estate.Workload
	for _, o := range x.estate.Named(word) {
		switch o := o.(type) {
		case *estate.Workload:
			all = append(all, o)
		case *estate.Set:
			all = append(all, o.Members...)
		case *estate.Network:
			all = append(all, o.Workloads()...)
		case *estate.Tier:
			for _, s := range o.Subnets {
				all = append(all, s.Workloads...)
			}
		case *estate.Subnet:
			all = append(all, o.Workloads...)
		}
	}
	return all
}

// ruleOffers are the words that may go on a rule of a group or a list.
func (x *state) ruleOffers(c *cursor, dir string, list bool) []offer {
	before := c.before()
	words := strings.Fields(before)
	if len(words) > 0 && !strings.HasSuffix(before, " ") {
		words = words[:len(words)-1]
	}
	side := "from"
	if dir == "out" {
		side = "to"
	}
	if list && len(words) == 0 {
		return []offer{{word: "allow", kind: kindVerb}, {word: "deny", kind: kindVerb}}
	}
	if list {
		words = words[1:]
	}
	switch {
	case len(words) == 0:
		var of []*estate.Workload
		if o, is := x.places()[text.Path(c.path[:min(4, len(c.path))]).String()].(*estate.Group); is && dir == "in" {
			of = o.Members
		}
		all := []offer{}
		if of != nil {
			all = x.flowOffers(of...)
		}
		for _, o := range x.flowOffers() {
			if !slices.ContainsFunc(all, func(p offer) bool { return p.word == o.word }) {
				all = append(all, o)
			}
		}
		for _, w := range []string{"any", "tcp", "udp", "icmp", "tcp/443", "tcp/22"} {
			if _, err := flow.Parse(w); err == nil && !slices.ContainsFunc(all, func(p offer) bool { return p.word == w }) {
				all = append(all, offer{word: w, kind: kindWord})
			}
		}
		return all
	case words[len(words)-1] == "group":
		return x.nameOffers(c, "group")
	case words[len(words)-1] == side:
		all := []offer{{word: "any", kind: kindWord, says: "everybody"}, {word: "group", kind: kindVerb, says: "the members of a group"}}
		if list {
			all = all[:1]
		}
		for _, o := range x.objects() {
			switch o.Kind() {
			case estate.NetworkKind, estate.TierKind, estate.SiteKind, estate.SubnetKind, estate.ClusterKind:
				all = append(all, offer{word: o.ID(), kind: kindName, says: string(o.Kind())})
			}
		}
		var seen []netip.Prefix
		for _, n := range x.estate.Networks {
			for _, p := range n.Ranges {
				if !slices.Contains(seen, p) && len(seen) < 40 {
					seen = append(seen, p)
					all = append(all, offer{word: p.String(), kind: kindValue, says: "network " + n.Name})
				}
			}
		}
		return all
	case slices.Contains(words, side):
		return nil
	}
	return []offer{{word: side, kind: kindVerb}}
}
