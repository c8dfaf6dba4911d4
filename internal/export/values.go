package export

import (
	"encoding/csv"
	"fmt"
	"strings"

	"wendrik/internal/core/estate"
)

// Value is a name and what it came to: the path of the thing in the plan, and one or more words.
type Value struct {
	Path  []string
	Words []string
}

// Name is the path in one word, with dots between.
func (v Value) Name() string { return strings.Join(v.Path, ".") }

// Values are all names of an estate and what they came to: ranges, addresses, tables, zones.
func Values(e *estate.Estate) []Value {
	var all []Value
	add := func(words []string, path ...string) {
		if len(words) > 0 {
			all = append(all, Value{path, words})
		}
	}
	one := func(word string, path ...string) {
		if word != "" {
			add([]string{word}, path...)
		}
	}
	for _, b := range e.Blocks {
		add(texts(b.Ranges), "space", b.Name, "range")
	}
	for _, n := range e.Networks {
		at := func(path ...string) []string { return append([]string{"networks", n.Name}, path...) }
		add(texts(n.Ranges), at("range")...)
		for _, h := range n.Held {
			add(texts(h.Ranges), at("held", h.Name, "range")...)
		}
		for _, s := range n.Subnets {
			add(texts(s.Ranges), at("subnets", s.Name, "range")...)
			one(s.Zone, at("subnets", s.Name, "zone")...)
			if s.Tier != nil {
				one(s.Tier.Name, at("subnets", s.Name, "tier")...)
			}
			one(s.Table.Name, at("subnets", s.Name, "table")...)
			for _, p := range s.Ranges {
				if r := router(s, p); r.IsValid() && p.Addr().Is4() {
					one(r.String(), at("subnets", s.Name, "router")...)
				}
			}
		}
		for _, g := range n.Gateways {
			one(string(g.Type), at("gateways", g.Name, "kind")...)
			add(texts(g.Addrs), at("gateways", g.Name, "address")...)
			add(assigned(g.Public), at("gateways", g.Name, "public")...)
		}
		for _, t := range n.Tables {
			var of []string
			for _, s := range t.Subnets {
				of = append(of, s.Name)
			}
			add(of, at("tables", t.Name, "subnets")...)
		}
	}
	for _, w := range e.Workloads {
		add(texts(w.Addrs), "workloads", w.Name, "address")
		add(assigned(w.Public), "workloads", w.Name, "public")
		if w.Subnet != nil {
			one(w.Subnet.ID(), "workloads", w.Name, "in")
		}
	}
	for _, s := range e.Sites {
		add(texts(s.Ranges), "sites", s.Name, "ranges")
	}
	for _, c := range e.Clusters {
		add(texts(c.Pods), "clusters", c.Name, "pods")
		add(texts(c.Services), "clusters", c.Name, "services")
	}
	return all
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
