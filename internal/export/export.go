// Package export writes an estate in open formats, for other programs.
package export

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
)

// File is a file of an export.
type File struct {
	Name    string
	Content string
}

// asJSON is a value as indented JSON, with a line end.
func asJSON(v any) string {
	raw, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("an export has what JSON cannot say: %v", err)) // all of them are made of texts and numbers
	}
	return string(raw) + "\n"
}

func texts[T fmt.Stringer](all []T) []string {
	out := make([]string, 0, len(all))
	for _, x := range all {
		out = append(out, x.String())
	}
	return out
}

// assigned are public addresses as the plan has them: where the cloud gives one, a word says so.
func assigned(all []netip.Addr) []string {
	out := make([]string, 0, len(all))
	for _, a := range all {
		out = append(out, address.Word(a))
	}
	return out
}

// router is the address of a subnet's router in a range of it; not valid where the profile has none.
func router(s *estate.Subnet, p netip.Prefix) netip.Addr { return nth(p, s.Network.Profile.Router) }

// nth is an address of a range, counted from its first; not valid for 0.
func nth(p netip.Prefix, n int) netip.Addr {
	if n == 0 {
		return netip.Addr{}
	}
	a := p.Masked().Addr()
	for range n {
		a = a.Next()
	}
	if !p.Contains(a) {
		return netip.Addr{}
	}
	return a
}

// label is a name as one label of a host name (RFC 1123): letters, digits and hyphens, at most 63.
func label(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			b.WriteRune(r)
		} else {
			b.WriteByte('-')
		}
	}
	s := strings.Trim(b.String(), "-")
	if len(s) > 63 {
		s = strings.TrimRight(s[:63], "-")
	}
	if s == "" {
		return "x"
	}
	return s
}

// labels are the labels of all workloads, by number; no two are the same.
func labels(e *estate.Estate) []string {
	all := make([]string, len(e.Workloads))
	taken := map[string]bool{}
	for i, w := range e.Workloads {
		name := label(w.Name)
		for n := 2; taken[name]; n++ {
			end := fmt.Sprintf("-%d", n)
			base := label(w.Name)
			name = base[:min(len(base), 63-len(end))] + end
		}
		taken[name] = true
		all[i] = name
	}
	return all
}
