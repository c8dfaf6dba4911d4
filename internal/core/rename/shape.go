package rename

import (
	"fmt"
	"reflect"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// shape tells an estate by what is bound to what, and not by names: each thing is a number from where it is met first. Of two estates that are
// alike but for names both are told alike.
type shape struct {
	out  strings.Builder
	seen map[uintptr]int
	say  func(string) string // how words are told
}

func (s *shape) of(e *estate.Estate) string {
	s.seen = map[uintptr]int{}
	s.value(reflect.ValueOf(*e))
	for _, n := range e.Networks { // by the order of the plan, so that what nobody names is told, too
		s.value(reflect.ValueOf(n))
	}
	for i := range e.Plan.Expect {
		s.spokenOf(e, &e.Plan.Expect[i])
	}
	return s.out.String()
}

// spokenOf tells what the names in a line of expect are those of, which nothing in the estate is bound to.
func (s *shape) spokenOf(e *estate.Estate, x *plan.Expectation) {
	for _, word := range append([]string{x.From, x.To}, x.Except...) {
		ends, err := reach.FindEnds(e, word)
		if ends.One != nil {
			s.value(reflect.ValueOf(*ends.One))
		}
		s.value(reflect.ValueOf([]any{err != nil, ends.Objects(), ends.Many, ends.Unsettled}))
	}
	s.value(reflect.ValueOf([]any{expect.Passers(e, x.Through), expect.Failing(e, x)}))
}

// left out are what the text says, which is told by what it is bound to, and where it stands.
var leftOut = map[reflect.Type]bool{reflect.TypeFor[text.Pos](): true, reflect.TypeFor[text.Path](): true}

func (s *shape) value(v reflect.Value) {
	if !v.IsValid() || leftOut[v.Type()] {
		return
	}
	if r, is := v.Interface().(*plan.Rule); is && r != nil { // whose names have become ranges
		fmt.Fprint(&s.out, r.Peer.Range)
		return
	}
	if t := v.Type(); t.Kind() == reflect.Pointer && strings.HasSuffix(t.Elem().PkgPath(), "core/plan") {
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			s.out.WriteString("-")
			return
		}
		if n, known := s.seen[v.Pointer()]; known {
			fmt.Fprintf(&s.out, "#%d", n)
			return
		}
		s.seen[v.Pointer()] = len(s.seen)
		s.value(v.Elem())
	case reflect.Interface:
		if !v.IsNil() {
			s.out.WriteString(v.Elem().Type().String())
			s.value(v.Elem())
		}
	case reflect.Struct:
		if word, is := v.Interface().(fmt.Stringer); is && !strings.Contains(v.Type().PkgPath(), "wendrik") { // addresses and ranges
			s.out.WriteString(word.String())
			return
		}
		s.out.WriteString("{")
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				s.out.WriteString(" ")
				s.value(v.Field(i))
			}
		}
		s.out.WriteString("}")
	case reflect.Slice, reflect.Array:
		s.out.WriteString("[")
		for i := range v.Len() {
			s.out.WriteString(" ")
			s.value(v.Index(i))
		}
		s.out.WriteString("]")
	case reflect.String:
		s.out.WriteString(s.say(v.String()))
	case reflect.Bool, reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		fmt.Fprint(&s.out, v)
	}
}
