package plan

import (
	"fmt"
	"slices"

	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

// This file has the forms of values: each is read, and written again, in one way wherever it stands.

// Affects is whom it touches that a key says something else: whose packets may pass otherwise. Where nobody has said it, it may be
// anybody, so that a key about which that was forgotten makes questions slower, and no answer wrong.
type Affects int

// Whom a key affects, from the most to the fewest.
const (
	Everybody  Affects = iota // many share it
	Neighbours                // those of the network it is in or between, and those that meet it or speak of its ranges
	Members                   // those of the network it is in or between
	Nobody                    // what is planned, or known of a thing; no packet is another's
)

// field is one key of a mapping of the plan. The same table reads and writes the text, names the keys in messages, makes the JSON
// Schema, and says what is to be known of a thing and whom it touches that it is another.
type field[T any] struct {
	key      string
	doc      string
	affects  Affects
	shape    shape
	required bool
	apart    bool     // whether what it holds are things that are told one by one
	set      bool     // whether the order of its words says nothing
	usual    string   // what is so unless it is written
	names    []string // the kinds of things that its words name
	read     func(d *decoder, n text.Node, into *T)
	write    func(from *T) (text.Value, bool) // and whether it is written at all
}

// form is how values of one type are read and written.
type form[V any] struct {
	shape shape
	apart bool
	set   bool
	usual string
	read  func(*decoder, text.Node) V
	write func(V) (text.Value, bool)
}

// key is a field that fills one part of T.
func key[T, V any](name, doc string, affects Affects, f form[V], part func(*T) *V) field[T] {
	return field[T]{key: name, doc: doc, affects: affects, shape: f.shape, apart: f.apart, set: f.set, usual: f.usual,
		read:  func(d *decoder, n text.Node, into *T) { *part(into) = f.read(d, n) },
		write: func(from *T) (text.Value, bool) { return f.write(*part(from)) }}
}

// must is the field, which cannot be left out.
func (f field[T]) must() field[T] {
	f.required = true
	return f
}

// of is the field, with the kinds of things that its words name.
func (f field[T]) of(kinds ...string) field[T] {
	f.names = kinds
	return f
}

// things is a field that holds things with names.
func things[T, V any](name, doc string, affects Affects, kind string, table []field[V], part func(*T) *[]*V, called func(*V) *Text) field[T] {
	return field[T]{key: name, doc: doc, affects: affects, shape: mapOf(ref(kind)), apart: true, read: named(part, table, called), write: func(from *T) (text.Value, bool) {
		var all []text.Field
		for _, x := range *part(from) {
			all = append(all, text.Field{Key: called(x).Value, Value: text.Map(written(table, x)...)})
		}
		return text.Map(all...), len(all) > 0
	}}
}

// written are the keys of a thing that a plan would write, in the order of their table.
func written[T any](table []field[T], from *T) []text.Field {
	var all []text.Field
	for i := range table {
		if f := &table[i]; f.write != nil {
			if v, given := f.write(from); given {
				all = append(all, text.Field{Key: f.key, Value: v})
			}
		}
	}
	return all
}

// numbers is a form of whole numbers, with what stands before and behind them.
func numbers(s shape, before, after string, read func(*decoder, text.Node) Number) form[Number] {
	return form[Number]{shape: s, read: read, write: func(n Number) (text.Value, bool) {
		return text.Word(fmt.Sprint(before, n.Value, after)), n.Given()
	}}
}

func words(s shape, read func(*decoder, text.Node) Text) form[Text] {
	return form[Text]{shape: s, read: read, write: func(t Text) (text.Value, bool) { return text.Word(t.Value), t.Given() }}
}

// several is a form of lists, of which each element is written as one word.
func several[V any](s shape, read func(*decoder, text.Node) []V, word func(V) string) form[[]V] {
	return form[[]V]{shape: listOf(s), read: read, write: func(all []V) (text.Value, bool) {
		words := make([]string, len(all))
		for i, x := range all {
			words[i] = word(x)
		}
		return text.WordOrWords(words...), len(words) > 0
	}}
}

// lines is a form of lists that are written with a line for each.
func lines[V any](s shape, read func(*decoder, text.Node) []V, line func(V) text.Value) form[[]V] {
	return form[[]V]{shape: listOf(s), apart: true, read: read, write: func(all []V) (text.Value, bool) {
		out := make([]text.Value, len(all))
		for i, x := range all {
			out[i] = line(x)
		}
		return text.List(out...), len(out) > 0
	}}
}

// unordered is a form of lists whose order says nothing.
func unordered[V any](f form[V]) form[V] {
	f.set = true
	return f
}

func wordOf(t Text) string { return t.Value }

func flags(usual string) form[Flag] {
	return form[Flag]{shape: aFlag, usual: usual, read: (*decoder).flag, write: func(f Flag) (text.Value, bool) { return text.Word(fmt.Sprint(f.Value)), f.Given() }}
}

// choice is a form of one word of a few.
func choice(some ...string) form[Text] { return words(enum(some...), oneOf(some...)) }

// The forms that many keys have.
var (
	aText      = words(aWord, (*decoder).text)
	aReference = words(aName, (*decoder).text)
	aDay       = words(aDate, (*decoder).date)
	aNaming    = words(aWord, (*decoder).pattern)
	aNumber    = numbers(aCount, "", "", (*decoder).count)
	someOfIt   = numbers(aPositive, "", "", (*decoder).positive)
	aSize4     = numbers(aSize, "/", "", (*decoder).size4)
	anySize    = numbers(aSize, "/", "", (*decoder).size)
	aGrowth    = numbers(aPercentage, "", "%", (*decoder).growth)
	ranges     = several(aRange, (*decoder).ranges, func(r Range) string { return r.String() })
	addresses  = several(anAddress, (*decoder).addrs, func(a Addr) string { return a.String() })
	flowWords  = several(aWord, (*decoder).flows, func(f Flows) string { return f.String() })
	names      = several(aName, (*decoder).fewTexts, wordOf)  // few of which one thing has
	manyNames  = several(aName, (*decoder).texts, wordOf)     // of which a thing may have as many as one likes
	twoNames   = several(aName, (*decoder).someTexts, wordOf) // that must be there
	fewWords   = several(aWord, (*decoder).fewTexts, wordOf)
	manyWords  = several(aWord, (*decoder).texts, wordOf)
)

// rulesOf is the form of the rules of groups or lists in one direction.
func rulesOf(kind ruleKind, dir direction) form[[]Rule] {
	return lines(aWord, rules(kind, dir), func(r Rule) text.Value { return text.Word(r.Text) })
}

// routesOf is the form of routes with the keys of a table.
func routesOf(kind string, table []field[Route]) form[[]Route] {
	return lines(ref(kind), routesWith(table), func(r Route) text.Value { return text.Map(written(table, &r)...) })
}

// pairs is the form of a mapping from things to tables.
func pairs(s shape, what string, apart bool) form[[]Attachment] {
	return form[[]Attachment]{shape: mapOf(s), apart: apart, read: func(d *decoder, n text.Node) []Attachment { return d.attachments(n, what) }, write: func(all []Attachment) (text.Value, bool) {
		var out []text.Field
		for _, a := range all {
			v := text.Word(a.Table.Value)
			if a.Arrives.Given() || len(a.Only) > 0 {
				v = text.Map(written(attachmentFields, &a)...)
			}
			out = append(out, text.Field{Key: a.Who.Value, Value: v})
		}
		return text.Map(out...), len(out) > 0
	}}
}

// expectForm is the form of lines of expect.
var expectForm = lines(aWord, (*decoder).expectations, func(x Expectation) text.Value { return text.Word(x.Text) })

// publicKey is the field of public addresses, or of the word for one that the cloud gives.
func publicKey[T any](doc string, addrs func(*T) *[]Addr, assigned func(*T) *Text) field[T] {
	return field[T]{key: "public", doc: doc, affects: Members, shape: publicAddress,
		read: func(d *decoder, n text.Node, x *T) { *addrs(x), *assigned(x) = d.public(n) },
		write: func(x *T) (text.Value, bool) {
			if t := *assigned(x); t.Given() {
				return text.Word(t.Value), true
			}
			return addresses.write(*addrs(x))
		}}
}

// profileForm is the form of what a plan or a network says of its profile.
var profileForm = form[ProfileSetting]{shape: aProfile, read: (*decoder).profile, write: func(s ProfileSetting) (text.Value, bool) {
	if len(s.knobs) == 0 {
		return text.Word(s.Like.Value), s.Like.Given()
	}
	return text.Map(written(profileFields, &s)...), true
}}

// setting is one knob that a plan sets.
type setting struct {
	key   string
	value text.Value
	set   func(*profile.Profile)
}

// knob is a field that sets one knob of a profile where its value can be read; say writes that of a profile as the plan would.
func knob[V any](name, doc string, f form[V], set func(*profile.Profile, V), have func(*profile.Profile) V) field[ProfileSetting] {
	knobs = append(knobs, knobOf{name, func(p *profile.Profile) text.Value {
		v, _ := f.write(have(p))
		return v
	}})
	return field[ProfileSetting]{key: name, doc: doc, shape: f.shape,
		read: func(d *decoder, n text.Node, into *ProfileSetting) {
			v := f.read(d, n)
			if as, given := f.write(v); given {
				into.knobs = append(into.knobs, setting{name, as, func(p *profile.Profile) { set(p, v) }})
			}
		},
		write: func(s *ProfileSetting) (text.Value, bool) {
			for _, k := range slices.Backward(s.knobs) {
				if k.key == name {
					return k.value, true
				}
			}
			return text.Value{}, false
		}}
}

func countKnob(name, doc string, f form[Number], part func(*profile.Profile) *int) field[ProfileSetting] {
	return knob(name, doc, f, func(p *profile.Profile, v Number) { *part(p) = v.Value }, func(p *profile.Profile) Number { return Number{*part(p), somewhere} })
}

func flagKnob(name, doc string, part func(*profile.Profile) *bool) field[ProfileSetting] {
	return knob(name, doc, flags(""), func(p *profile.Profile, v Flag) { *part(p) = v.Value }, func(p *profile.Profile) Flag { return Flag{*part(p), somewhere} })
}

// somewhere is the place of what is to be written and stands nowhere yet.
const somewhere text.Pos = 1

// knobOf is a knob of profiles, and how the plan writes that of one.
type knobOf struct {
	key string
	say func(*profile.Profile) text.Value
}

var knobs []knobOf

// Knobs are the built-in profile that one is like, and the knobs in which it differs from that, by their keys, as a plan writes them.
func Knobs(p profile.Profile) map[string]string {
	base, _ := profile.Named(p.Name)
	all := map[string]string{"like": p.Name}
	for _, k := range knobs {
		is, was := k.say(&p).String(), k.say(&base).String()
		if is != was {
			all[k.key] = is
		}
	}
	return all
}
