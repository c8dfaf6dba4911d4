package export

import (
	"encoding/csv"
	"fmt"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// Value is a name and what it came to: the path of the thing in the plan, and one or more words.
type Value struct {
	Path  text.Path
	Words []string
}

// Name is the path in one word, with dots between.
func (v Value) Name() string { return strings.Join(v.Path, ".") }

// Values are all names of an estate and what they came to: what is to be known of each thing, with the tables of its subnets, their routers,
// and the addresses of each of a count.
func Values(e *estate.Estate) []Value {
	var all []Value
	for _, o := range e.Objects() {
		add := func(key string, words ...string) {
			if len(words) > 0 {
				all = append(all, Value{place(o).To(strings.Fields(key)...), words})
			}
		}
		for _, f := range o.Facts() {
			key, words := f.Key, f.Words
			switch w, lives := o.(*estate.Workload); {
			case f.Key == "block":
				key = "range" // as that of everything else
			case f.Key == "in" && lives && w.Subnet != nil:
				words = []string{w.Subnet.ID()} // which carve chose, where the plan names a tier
			case strings.HasPrefix(f.Key, "order "): // of rules, which are no names
				continue
			}
			add(key, words...)
		}
		switch o := o.(type) {
		case *estate.Subnet:
			for _, p := range o.Ranges {
				if r := router(o, p); r.IsValid() && p.Addr().Is4() {
					add("router", r.String())
				}
			}
		case *estate.Table:
			var of []string
			for _, s := range o.Subnets {
				of = append(of, s.Name)
			}
			add("subnets", of...)
		}
	}
	return all
}

// place is where an object stands in the plan; each of a count has one of its own.
func place(o estate.Object) text.Path {
	if w, is := o.(*estate.Workload); is {
		return text.Path{"workloads", w.Name}
	}
	return o.Place()
}

// ValuesJSON are values as one object, nested as the plan is; several words are a list.
func ValuesJSON(all []Value) string {
	root := map[string]any{}
	for _, v := range all {
		at := root
		for _, key := range v.Path[:len(v.Path)-1] {
			next, is := at[key].(map[string]any)
			if !is {
				next = map[string]any{}
				at[key] = next
			}
			at = next
		}
		if last := v.Path[len(v.Path)-1]; len(v.Words) == 1 {
			at[last] = v.Words[0]
		} else {
			at[last] = v.Words
		}
	}
	return asJSON(root)
}

// ValuesCSV are values as lines of a name and a word (RFC 4180).
func ValuesCSV(all []Value) string {
	var b strings.Builder
	w := csv.NewWriter(&b)
	_ = w.Write([]string{"name", "value"})
	for _, v := range all {
		for _, word := range v.Words {
			_ = w.Write([]string{v.Name(), word})
		}
	}
	w.Flush()
	return b.String()
}

// ValuesShell are values as variables of a POSIX shell: several words are one value with spaces between. Names that would be the
// same variable have a number at their end from the second on.
func ValuesShell(all []Value) string {
	var b strings.Builder
	b.WriteString("# what the names of the estate came to\n")
	taken := map[string]bool{}
	for _, v := range all {
		var name strings.Builder
		for _, r := range strings.ToUpper(strings.Join(v.Path, "_")) {
			if r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
				name.WriteRune(r)
			} else {
				name.WriteByte('_')
			}
		}
		variable := name.String()
		for n := 2; taken[variable]; n++ {
			variable = fmt.Sprintf("%s_%d", name.String(), n)
		}
		taken[variable] = true
		fmt.Fprintf(&b, "%s='%s'\n", variable, strings.ReplaceAll(strings.Join(v.Words, " "), "'", `'\''`))
	}
	return b.String()
}
