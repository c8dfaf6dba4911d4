package stock

import (
	"maps"
	"slices"
	"strings"
)

// Rule is one line of a group or a list. Its far end is a range or a group, or all when it has neither.
type Rule struct {
	Action string `json:"action,omitempty"` // of a list: allow or deny
	Flows  string `json:"flows"`
	Range  string `json:"range,omitempty"`
	Group  string `json:"group,omitempty"`
}

// Props are the properties of a thing by their names, each in the Go type of its shape. What is empty is left out. What names another
// thing does it by that thing's Key.
type Props map[string]any

// Thing is one thing that is made at a cloud.
type Thing struct {
	Kind   Kind
	Name   string // as the plan calls it: booking/web-a
	Owner  string // whose it is, in the plan's word; empty where nobody is named
	Labels map[string]string
	Props  Props
}

// Key is the thing in one word that no other has.
func (t *Thing) Key() string { return KeyOf(t.Kind, t.Name) }

// Kept reports whether it is to be removed only by name.
func (t *Thing) Kept() bool { return t.Labels[KeepLabel] == "true" }

// KeyOf is the key of a thing by its kind and name.
func KeyOf(k Kind, name string) string { return string(k) + ":" + name }

// SplitKey is the kind and the name that a key was made of.
func SplitKey(key string) (Kind, string) {
	k, name, _ := strings.Cut(key, ":")
	return Kind(k), name
}

// NameIn is the name that a key was made of.
func NameIn(key string) string {
	_, name := SplitKey(key)
	return name
}

// Word, Words, Flag, Pairs and Rules are properties by their shapes; the empty value for one that is not there.
func (p Props) Word(name string) string             { s, _ := p[name].(string); return s }
func (p Props) Words(name string) []string          { s, _ := p[name].([]string); return s }
func (p Props) Flag(name string) bool               { s, _ := p[name].(bool); return s }
func (p Props) Pairs(name string) map[string]string { s, _ := p[name].(map[string]string); return s }
func (p Props) Rules(name string) []Rule            { s, _ := p[name].([]Rule); return s }

// Set writes a property, and leaves out what is empty.
func (p Props) Set(name string, v any) {
	switch v := v.(type) {
	case string:
		if v == "" {
			return
		}
	case bool:
		if !v {
			return
		}
	case []string:
		if len(v) == 0 {
			return
		}
	case map[string]string:
		if len(v) == 0 {
			return
		}
	case []Rule:
		if len(v) == 0 {
			return
		}
	}
	p[name] = v
}

// Equal reports whether two values of a property say the same.
func (p *Prop) Equal(a, b any) bool {
	switch p.Shape {
	case Words:
		x, _ := a.([]string)
		y, _ := b.([]string)
		if p.Ordered {
			return slices.Equal(x, y)
		}
		return slices.Equal(sorted(x, strings.Compare), sorted(y, strings.Compare))
	case Pairs:
		x, _ := a.(map[string]string)
		y, _ := b.(map[string]string)
		return maps.Equal(x, y)
	case Rules:
		x, _ := a.([]Rule)
		y, _ := b.([]Rule)
		if p.Ordered {
			return slices.Equal(x, y)
		}
		return slices.Equal(sorted(x, compareRules), sorted(y, compareRules))
	case Flag:
		x, _ := a.(bool)
		y, _ := b.(bool)
		return x == y
	}
	x, _ := a.(string)
	y, _ := b.(string)
	return x == y
}

// sorted are the elements of a list in order, each once.
func sorted[T comparable](all []T, compare func(a, b T) int) []T {
	out := slices.SortedFunc(slices.Values(all), compare)
	return slices.Compact(out)
}

func compareRules(a, b Rule) int {
	return strings.Compare(a.Action+"\x00"+a.Flows+"\x00"+a.Range+"\x00"+a.Group, b.Action+"\x00"+b.Flows+"\x00"+b.Range+"\x00"+b.Group)
}

// Named gives another word in the place of each word of a property that names a thing; ok is false when there is none for one of
// them. The value is not changed; what comes back shares nothing with it where anything was replaced.
func (p *Prop) Named(v any, other func(key string) (string, bool)) (named any, ok bool) {
	if len(p.Of) == 0 && len(p.KeysOf) == 0 {
		return v, true
	}
	ok = true
	swap := func(key string, is []Kind) string {
		if key == "" || len(is) == 0 || key == Blackhole && slices.Contains(is, Gateway) {
			return key
		}
		word, found := other(key)
		ok = ok && found
		return word
	}
	switch v := v.(type) {
	case string:
		return swap(v, p.Of), ok
	case []string:
		out := make([]string, len(v))
		for i, s := range v {
			out[i] = swap(s, p.Of)
		}
		return out, ok
	case map[string]string:
		out := map[string]string{}
		for k, s := range v {
			out[swap(k, p.KeysOf)] = swap(s, p.Of)
		}
		return out, ok
	case []Rule:
		out := slices.Clone(v)
		for i := range out {
			out[i].Group = swap(out[i].Group, p.Of)
		}
		return out, ok
	}
	return v, true
}

// Sides are the keys of the two that a thing joins, each of which must accept it; none for a thing that joins nothing.
func (t *Thing) Sides() []string {
	switch t.Kind {
	case Peering:
		return t.Props.Words("networks")
	case HubLink:
		return t.Props.Words("hubs")
	case Attachment:
		return []string{t.Props.Word("hub"), t.Props.Word("to")}
	}
	return nil
}

// Refs are the keys of the things that a thing names.
func (t *Thing) Refs() []string {
	var all []string
	for i := range SpecOf(t.Kind).Props {
		p := &SpecOf(t.Kind).Props[i]
		if v, found := t.Props[p.Name]; found {
			p.Named(v, func(key string) (string, bool) { all = append(all, key); return key, true })
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// Difference is a thing that is there and wanted otherwise.
type Difference struct {
	Was, Is *Thing   // nil where it was not there, or is not any longer
	Props   []string // the properties that are otherwise, where both are
	Labels  bool     // whether labels or the owner are otherwise; the tier of a subnet is no difference at a cloud
}

// Key is the key of the thing that differs.
func (d *Difference) Key() string {
	if d.Is != nil {
		return d.Is.Key()
	}
	return d.Was.Key()
}

// Thing is the thing as it is, or as it was where it is no longer.
func (d *Difference) Thing() *Thing {
	if d.Is != nil {
		return d.Is
	}
	return d.Was
}

// Fixed reports whether what differs cannot be changed in place.
func (d *Difference) Fixed() bool {
	return d.Was != nil && d.Is != nil && slices.ContainsFunc(d.Props, func(name string) bool { return SpecOf(d.Is.Kind).Prop(name).Fixed })
}

// Between are the differences from one stock to another: first what changes or is new, in the order of the second, then what goes.
func Between(was, is []Thing) []Difference {
	old := map[string]*Thing{}
	for i := range was {
		old[was[i].Key()] = &was[i]
	}
	var all []Difference
	there := map[string]bool{}
	for i := range is {
		t := &is[i]
		there[t.Key()] = true
		if d := different(old[t.Key()], t); d != nil {
			all = append(all, *d)
		}
	}
	for i := range was {
		if !there[was[i].Key()] {
			all = append(all, Difference{Was: &was[i]})
		}
	}
	return all
}

func different(was, is *Thing) *Difference {
	d := &Difference{Was: was, Is: is}
	if was == nil {
		return d
	}
	spec := SpecOf(is.Kind)
	for i := range spec.Props {
		if p := &spec.Props[i]; !p.Equal(was.Props[p.Name], is.Props[p.Name]) {
			d.Props = append(d.Props, p.Name)
		}
	}
	d.Labels = was.Owner != is.Owner || !maps.Equal(own(was.Labels), own(is.Labels))
	if len(d.Props) == 0 && !d.Labels {
		return nil
	}
	return d
}
