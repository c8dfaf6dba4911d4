package sim

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/cloud"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/stock"
)

// This file is what the cloud refuses.

// Sizes that are refused when they are exceeded.
const (
	maxWord  = 256
	maxItems = 1000
)

// safely makes a check, which changes nothing, and takes a mistake of its own for a fault of the cloud, so that no caller can end that.
func safely[T any](check func() (T, error)) (got T, err error) {
	defer func() {
		if wrong := recover(); wrong != nil {
			err = cloud.Refused(cloud.Fault, "the cloud cannot judge what was asked: %v", wrong)
		}
	}()
	return check()
}

// checkedOrder are the properties of a thing that is to be made, or why it is not.
func (c *Cloud) checkedOrder(me Caller, o *cloud.Order) (stock.Props, error) {
	spec := stock.SpecOf(o.Kind)
	if spec == nil {
		return nil, cloud.Refused(cloud.Invalid, "there is no kind %.60q", o.Kind)
	}
	if o.Name == "" || len(o.Name) > maxWord {
		return nil, cloud.Refused(cloud.Invalid, "a %s needs a name of up to %d bytes", o.Kind, maxWord)
	}
	if err := checkLabels(o.Labels); err != nil {
		return nil, err
	}
	raw, err := rawOf(o.Props)
	if err != nil {
		return nil, err
	}
	props, err := cloud.Decode(o.Kind, raw)
	if err != nil {
		return nil, err
	}
	if most, limited := c.o.Quotas[o.Kind]; limited && c.counts[me.Owner+" "+string(o.Kind)] >= most {
		return nil, cloud.Refused(cloud.Quota, "owner %s has %d things of kind %s, as many as it may have", me.Owner, most, o.Kind)
	}
	if o.Kind == stock.Network && props["profile"] == nil {
		props.Set("profile", maps.Clone(c.o.Profile))
	}
	return props, c.check(me, &record{Thing: cloud.Thing{Kind: o.Kind, Owner: me.Owner, Name: o.Name}, props: props}, nil)
}

func rawOf(props map[string]any) (map[string]json.RawMessage, error) {
	out := map[string]json.RawMessage{}
	for name, v := range props {
		raw, err := json.Marshal(v)
		if err != nil {
			return nil, cloud.Refused(cloud.Invalid, "property %.60q cannot be read", name)
		}
		if string(raw) != "null" {
			out[name] = raw
		}
	}
	return out, nil
}

func checkLabels(all map[string]string) error {
	if len(all) > 64 {
		return cloud.Refused(cloud.Invalid, "a thing has at most 64 labels, not %d", len(all))
	}
	for k, v := range all {
		if k == "" || len(k) > maxWord || len(v) > 4*maxWord || strings.HasPrefix(k, "cloud-") {
			return cloud.Refused(cloud.Invalid, "label %.60q cannot be taken: it needs a key of up to %d bytes that does not begin with cloud-, and a value of up to %d", k, maxWord, 4*maxWord)
		}
	}
	return nil
}

// altered is a thing with a change made in it, or why that is not done.
func (c *Cloud) altered(me Caller, old *record, a *cloud.Alteration) (*record, error) {
	spec := stock.SpecOf(old.Kind)
	r := old.copied()
	for name, v := range a.Props {
		p := spec.Prop(name)
		if p == nil {
			return nil, cloud.Refused(cloud.Invalid, "a %s has no property %.60q", old.Kind, name)
		}
		delete(r.props, name)
		if v != nil {
			raw, _ := rawOf(map[string]any{name: v})
			one, err := cloud.Decode(old.Kind, raw)
			if err != nil {
				return nil, err
			}
			maps.Copy(r.props, one)
		}
		if p.Fixed && !p.Equal(old.props[name], r.props[name]) {
			return nil, cloud.Refused(cloud.Invalid, "%s of a %s cannot be changed; make another in its place", name, old.Kind)
		}
	}
	for key, v := range a.Labels {
		word, is := v.(string)
		if v != nil && !is {
			return nil, cloud.Refused(cloud.Invalid, "label %.60q must be a string, or null to take it away", key)
		}
		if strings.HasPrefix(key, "cloud-") {
			return nil, cloud.Refused(cloud.Invalid, "label %.60q is the cloud's own", key)
		}
		if v == nil {
			delete(r.Labels, key)
			continue
		}
		if r.Labels == nil {
			r.Labels = map[string]string{}
		}
		r.Labels[key] = word
	}
	own := maps.Clone(r.Labels)
	delete(own, givenLabel)
	if err := checkLabels(own); err != nil {
		return nil, err
	}
	return r, c.check(me, r, old)
}

// checkAccept says why a side cannot be accepted by a caller.
func (c *Cloud) checkAccept(me Caller, r *record, side string) error {
	sides := sidesOf(r)
	switch s := c.things[side]; {
	case len(sides) == 0:
		return cloud.Refused(cloud.Invalid, "a %s needs nobody to accept it", r.Kind)
	case !slices.Contains(sides, side):
		return cloud.Refused(cloud.Invalid, "%.60q is no side of %s %s", side, r.Kind, r.Name)
	case s == nil || s.Owner != me.Owner:
		return cloud.Refused(cloud.Denied, "only the owner of %.60q accepts for it", side)
	}
	return nil
}

// check says why a thing cannot be so, that is new or was something else.
func (c *Cloud) check(me Caller, r, old *record) error {
	spec := stock.SpecOf(r.Kind)
	for i := range spec.Props {
		if err := c.checkProp(me, r, old, &spec.Props[i]); err != nil {
			return err
		}
	}
	if old != nil && old.Owner != me.Owner { // the other side of what joins two
		for i := range spec.Props {
			p := &spec.Props[i]
			if p.Name != "accepted" && !p.Equal(old.props[p.Name], r.props[p.Name]) {
				return cloud.Refused(cloud.Denied, "only %s may change %s of %s %s", old.Owner, p.Name, r.Kind, r.Name)
			}
		}
	}
	switch r.Kind {
	case stock.Network:
		return c.checkNetwork(r, old)
	case stock.Subnet:
		return c.checkSubnet(r, old)
	case stock.Gateway:
		return c.checkGateway(r, old)
	case stock.Workload:
		return c.checkWorkload(r, old)
	case stock.Site:
		return c.checkSite(r)
	case stock.Hub:
		return c.knownRegion(r)
	case stock.Table:
		return c.checkTable(r, old)
	case stock.Route:
		return c.checkRoute(r, old)
	case stock.Group, stock.List:
		return c.checkRules(r)
	case stock.Peering, stock.HubLink:
		return c.checkJoin(me, r, old)
	case stock.Attachment:
		return c.checkAttachment(me, r, old)
	}
	return nil
}

// checkProp says why a property cannot be what it is.
func (c *Cloud) checkProp(me Caller, r, old *record, p *stock.Prop) error {
	v, found := r.props[p.Name]
	if !found {
		if p.Required {
			return cloud.Refused(cloud.Invalid, "a %s needs %s: %s", r.Kind, p.Name, p.Doc)
		}
		return nil
	}
	bad := func(word string) error {
		return cloud.Refused(cloud.Invalid, "%s of a %s cannot be %.60q: it is %s", p.Name, r.Kind, word, p.Doc)
	}
	var words []string
	switch v := v.(type) {
	case string:
		words = []string{v}
	case []string:
		words = v
	case map[string]string:
		for k, s := range v {
			words = append(words, k, s)
		}
	case []stock.Rule:
		for _, rule := range v {
			words = append(words, rule.Action, rule.Flows, rule.Range)
		}
	}
	if len(words) > 3*maxItems {
		return cloud.Refused(cloud.Invalid, "%s of a %s has more than %d entries", p.Name, r.Kind, maxItems)
	}
	for _, w := range words {
		if len(w) > 4*maxWord {
			return bad(w)
		}
		if w == "" && p.Shape != stock.Rules && (len(p.Of) > 0 || p.Format != "") || p.Shape != stock.Rules && !formed(p.Format, w) || len(p.Enum) > 0 && !slices.Contains(p.Enum, w) {
			return bad(w)
		}
	}
	var refused error
	_, ok := p.Named(v, func(id string) (string, bool) {
		if err := c.checkRef(me, r, old, p, id); err != nil && refused == nil {
			refused = err
		}
		return id, true
	})
	if !ok {
		return bad(fmt.Sprint(v))
	}
	return refused
}

// formed reports whether a word has a format.
func formed(f stock.Format, w string) bool {
	switch f {
	case stock.Ranges:
		r, err := netip.ParsePrefix(w)
		return err == nil && r == r.Masked() && r.String() == w
	case stock.Addresses:
		a, err := netip.ParseAddr(w)
		return err == nil && a.Zone() == "" && a.String() == w
	case stock.Flows:
		_, err := flow.Parse(w)
		return err == nil
	}
	return true
}

// checkRef says why a thing cannot name another.
func (c *Cloud) checkRef(me Caller, r, old *record, p *stock.Prop, id string) error {
	x := c.things[id]
	kinds := slices.Concat(p.Of, p.KeysOf)
	// What joins owners names things of both; that a route's next hop is joined to its table is judged with the route.
	joins := stock.SpecOf(r.Kind).Prop("accepted") != nil || r.Kind == stock.Site
	foreign := joins || p.Shape == stock.Rules || p.Name == "via" || p.Name == "targets"
	switch {
	case x == nil || x.Owner != r.Owner && x.Owner != me.Owner && !foreign:
		return cloud.Refused(cloud.NotFound, "%s of the %s names %.60q, and there is no such thing", p.Name, r.Kind, id)
	case !slices.Contains(kinds, x.Kind):
		return cloud.Refused(cloud.Invalid, "%s of a %s is %s, and %s is a %s", p.Name, r.Kind, p.Doc, id, x.Kind)
	case id == r.ID:
		return nil
	case old != nil && c.usedBy[id][old.ID]: // it was named before
		return nil
	}
	if s := c.stateOf(x); s == cloud.Pending || s == cloud.Failed {
		return cloud.Refused(cloud.NotReady, "%s %s (%s), which %s of the %s names, is %s", x.Kind, x.Name, id, p.Name, r.Kind, s)
	}
	return nil
}

// among is the first thing that names another, of those that are so; nil for none.
func (c *Cloud) among(id string, so func(*record) bool) *record {
	var first *record
	for user := range c.usedBy[id] {
		if x := c.things[user]; x != nil && (first == nil || x.Seq < first.Seq) && so(x) {
			first = x
		}
	}
	return first
}

// within says when a part that a property names is not of the network or hub that it should be.
func (c *Cloud) within(r *record, name, of, should string) error {
	x := c.things[r.props.Word(name)]
	if x != nil && x.props.Word(of) != should {
		return cloud.Refused(cloud.Invalid, "%s of %s %s is %s, which is of another %s", name, r.Kind, r.Name, x.ID, of)
	}
	return nil
}

// profileOf is how the cloud behaves for a network.
func (c *Cloud) profileOf(network *record) profile.Profile {
	knobs := network.props.Pairs("profile")
	word := fmt.Sprint(knobs)
	p, found := c.profiles[word]
	if !found {
		p, _ = stock.ProfileOf(knobs)
		c.profiles[word] = p
	}
	return p
}

func inside(outer, inner netip.Prefix) bool {
	return outer.Contains(inner.Addr()) && outer.Bits() <= inner.Bits()
}

func rangesOf(r *record) []netip.Prefix {
	var all []netip.Prefix
	for _, w := range r.props.Words("ranges") {
		if p, err := netip.ParsePrefix(w); err == nil {
			all = append(all, p)
		}
	}
	return all
}

// overlap are the first two ranges of two lists that overlap.
func overlap(a, b []netip.Prefix) (x, y netip.Prefix, found bool) {
	for _, p := range a {
		for _, q := range b {
			if p.Overlaps(q) {
				return p, q, true
			}
		}
	}
	return x, y, false
}
