package golden

import (
	"cmp"
	"fmt"
	"math/big"
	"reflect"
	"slices"
	"strings"
)

// place is a place in a text.
type place interface {
	Known() bool
	Line() int
	Column() int
}

// object is a thing of an estate, which is told by its name.
type object interface{ ID() string }

// line is something of a plan that is one line there.
type line interface{ Line() string }

// Tell tells a value with all that it exports, each on a line of its own by its field, without what is zero: places as
// line:column, things of an estate by their names, and what has a String by that. Estates and functions are left out.
func Tell(v any) string {
	var b strings.Builder
	t := teller{b: &b}
	t.tell(0, "", reflect.ValueOf(v))
	return b.String()
}

type teller struct {
	b    *strings.Builder
	open []reflect.Value // the pointers that lead here
}

func (t *teller) line(depth int, name, said string) {
	if name != "" {
		said = name + ": " + said
	}
	for i, part := range strings.Split(strings.TrimRight(said, "\n"), "\n") {
		if i > 0 {
			part = "    " + part
		}
		t.b.WriteString(strings.Repeat("  ", depth) + part + "\n")
	}
}

func (t *teller) tell(depth int, name string, v reflect.Value) {
	for v.IsValid() && v.Kind() == reflect.Interface {
		v = v.Elem()
	}
	if !v.IsValid() || v.IsZero() || v.Kind() == reflect.Func || v.Kind() == reflect.Chan {
		return
	}
	if said, is := word(v); is {
		if said != "" {
			t.line(depth, name, said)
		}
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		if slices.ContainsFunc(t.open, func(o reflect.Value) bool { return o.Pointer() == v.Pointer() && o.Type() == v.Type() }) {
			t.line(depth, name, "that again")
			return
		}
		t.open = append(t.open, v)
		t.tell(depth, name, v.Elem())
		t.open = t.open[:len(t.open)-1]
	case reflect.Slice, reflect.Array:
		t.list(depth, name, v)
	case reflect.Map:
		keys := v.MapKeys()
		slices.SortFunc(keys, func(a, b reflect.Value) int { return cmp.Compare(key(a), key(b)) })
		for _, k := range keys {
			if x := v.MapIndex(k); x.IsZero() && x.Kind() != reflect.Struct {
				t.line(depth, name, key(k)+": "+fmt.Sprint(x.Interface()))
			} else {
				t.tell(depth, name+" "+key(k), x)
			}
		}
	case reflect.Struct:
		if name != "" {
			t.line(depth, "", name+":")
			depth++
		}
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				t.tell(depth, f.Name, v.Field(i))
			}
		}
	default:
		t.line(depth, name, fmt.Sprint(v.Interface()))
	}
}

// list tells elements one by one, or on one line where each is a word.
func (t *teller) list(depth int, name string, v reflect.Value) {
	var words []string
	for i := range v.Len() {
		x := v.Index(i)
		for x.Kind() == reflect.Interface {
			x = x.Elem()
		}
		said, is := "", true
		if x.IsValid() {
			said, is = word(x)
		}
		if !is || strings.Contains(said, "\n") || len(said) > 60 {
			words = nil
			break
		}
		words = append(words, said)
	}
	if words != nil {
		t.line(depth, name, "["+strings.Join(words, ", ")+"]")
		return
	}
	for i := range v.Len() {
		if x := v.Index(i); x.IsZero() {
			t.line(depth, fmt.Sprint(name, " ", i+1), "nothing")
		} else {
			t.tell(depth, fmt.Sprint(name, " ", i+1), x)
		}
	}
}

func key(v reflect.Value) string {
	if said, is := word(v); is {
		return said
	}
	return fmt.Sprint(v.Interface())
}

// word is what a value is told as in one word or sentence, where it is.
func word(v reflect.Value) (string, bool) {
	if !v.CanInterface() {
		return "", true
	}
	if v.Kind() == reflect.Pointer && v.IsNil() {
		return "", true
	}
	t := v.Type()
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t.Name() == "Estate" || t.Name() == "Files" || t.Name() == "File" {
		return "", true
	}
	x := v.Interface()
	if v.Kind() == reflect.Struct { // methods may be those of the pointer
		p := reflect.New(v.Type())
		p.Elem().Set(v)
		if o, is := p.Interface().(object); is {
			return o.ID(), true
		}
		if l, is := p.Interface().(line); is {
			return l.Line(), true
		}
	}
	switch x := x.(type) {
	case place:
		if !x.Known() {
			return "", true
		}
		return fmt.Sprintf("%d:%d", x.Line(), x.Column()), true
	case object:
		return x.ID(), true
	case line:
		return x.Line(), true
	case *big.Int:
		return x.String(), true
	case error:
		return x.Error(), true
	case fmt.Stringer:
		return x.String(), true
	}
	switch v.Kind() {
	case reflect.String:
		return v.String(), true
	case reflect.Bool, reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64, reflect.Float64:
		return fmt.Sprint(x), true
	case reflect.Func:
		return "", true
	}
	return "", false
}

// Line is what Tell tells, on one line.
func Line(v any) string {
	return strings.Join(strings.FieldsFunc(Tell(v), func(r rune) bool { return r == '\n' }), ";")
}
