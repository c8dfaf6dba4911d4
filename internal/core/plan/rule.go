package plan

import (
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// ruleKind tells the rules of groups from those of lists.
type ruleKind bool

const (
	groupRule ruleKind = false
	listRule  ruleKind = true
)

// direction is the word that stands between the flows and the far end of a rule.
type direction string

const (
	inward  direction = "from"
	outward direction = "to"
)

// rules makes the read function of a list of rules.
func rules(kind ruleKind, dir direction) func(*decoder, text.Node) []Rule {
	return func(d *decoder, n text.Node) []Rule {
		var all []Rule
		d.elements(n, func(n text.Node) {
			t := d.text(n)
			if !t.Given() {
				return
			}
			r, err := parseRule(t.Value, kind, dir)
			if err != nil {
				d.reportValue(t.At, "bad-rule", err)
				return
			}
			r.At = t.At
			all = append(all, r)
		})
		return all
	}
}

// parseRule reads "tcp/443 from any", and for lists "allow tcp/443 from any".
func parseRule(text string, kind ruleKind, dir direction) (Rule, error) {
	r := Rule{Text: text, Allow: true}
	words := strings.Fields(text)
	example := fmt.Sprintf("tcp/443 %s any", dir)
	if kind == listRule {
		example = "allow " + example
		switch {
		case len(words) > 0 && (words[0] == "allow" || words[0] == "deny"):
			r.Allow = words[0] == "allow"
			words = words[1:]
		default:
			return r, wrong.Value("write it like  "+example, "the rule %q of a list starts with neither allow nor deny", phrase.Clip(text))
		}
	} else if len(words) > 0 && (words[0] == "allow" || words[0] == "deny") {
		return r, wrong.Value("write it like  "+example, "a group only allows, so the rule %q needs no %s; lists can deny", phrase.Clip(text), words[0])
	}
	quoted := phrase.Clip(text)
	at := -1
	for i, w := range words {
		if w == "from" || w == "to" {
			at = i
			break
		}
	}
	switch {
	case at < 0:
		return r, wrong.Value("write it like  "+example, "the rule %q does not say %s whom", quoted, dir)
	case words[at] != string(dir):
		return r, wrong.Value("write it like  "+example, "the rule %q says %q where this direction has %q", quoted, words[at], dir)
	}
	flows, err := flow.Parse(strings.Join(words[:at], " "))
	if err != nil {
		return r, wrong.Value(cmp.Or(wrong.Right(err), "write it like  "+example), "in the rule %q, %s", quoted, err)
	}
	r.Flows = flows
	r.Peer, err = parsePeer(words[at+1:])
	if err != nil {
		return r, wrong.Value(cmp.Or(wrong.Right(err), "write it like  "+example), "in the rule %q, %s", quoted, err)
	}
	return r, nil
}

// parsePeer reads "any", a range, or "group" and a name.
func parsePeer(words []string) (Peer, error) {
	switch {
	case len(words) == 1 && words[0] == "any":
		return Peer{Any: true}, nil
	case len(words) == 1 && words[0] == "group":
		return Peer{}, wrong.Value("write  group NAME", "the word group has no name behind it")
	case len(words) == 2 && words[0] == "group":
		return Peer{Group: words[1]}, nil
	case len(words) != 1:
		return Peer{}, errors.New("the far end is not one of: any, a range, or group and its name")
	}
	p, err := address.ParseRange(words[0])
	if err == nil {
		return Peer{Range: p}, nil
	}
	if a, addrErr := netip.ParseAddr(words[0]); addrErr == nil {
		return Peer{}, wrong.Value(fmt.Sprintf("write %s", address.Single(a)), "%s lacks its length", a)
	}
	if isRangeName(words[0]) {
		return Peer{Name: words[0]}, nil
	}
	return Peer{}, err
}

// String writes the far end as a rule does.
func (p Peer) String() string {
	switch {
	case p.Any:
		return "any"
	case p.Range.IsValid():
		return p.Range.String()
	case p.Name != "":
		return p.Name
	}
	return "group " + p.Group
}

// expectations reads the lines of expect.
func (d *decoder) expectations(n text.Node) []Expectation {
	var all []Expectation
	d.elements(n, func(n text.Node) {
		t := d.text(n)
		if !t.Given() {
			return
		}
		e, err := ParseExpectation(t.Value)
		if err != nil {
			d.reportValue(t.At, "bad-expectation", err)
			return
		}
		e.At = t.At
		all = append(all, e)
	})
	return all
}

// ParseExpectation reads "A reaches B on F", "A never reaches B", "A never reaches B on F", each perhaps with "except C, D"
// at its end, perhaps "without any zone" or "without peering NAME" behind that, and "A leaves as ADDRESS".
func ParseExpectation(text string) (Expectation, error) {
	e := Expectation{Text: text}
	words := strings.Fields(text)
	bad := wrong.Value("write  A reaches B on tcp/443, A never reaches B, only A reaches B on tcp/443, or  A leaves as ADDRESS", "%q is no expectation", text)
	if len(words) > 3 && words[0] == "only" && words[2] == "reaches" {
		e.Only, words = true, words[1:]
	}
	if len(words) < 3 {
		return e, bad
	}
	e.From = words[0]
	words = words[1:]
	if words[0] == "leaves" {
		if len(words) != 3 || words[1] != "as" {
			return e, bad
		}
		e.To, e.LeavesAs, e.Flows = Internet, words[2], flow.Any()
		if a, err := netip.ParseAddr(words[2]); words[2] != Assigned && (err != nil || !address.IsPublic(a)) {
			return e, wrong.Value("write an address that the internet carries, or "+Assigned, "%q is no public address", words[2])
		}
		return e, nil
	}
	if words[0] == "never" {
		e.Never = true
		words = words[1:]
	}
	if len(words) < 2 || words[0] != "reaches" {
		return e, bad
	}
	e.To = words[1]
	words = words[2:]
	if i := slices.Index(words, "without"); i >= 0 {
		if e.Without = strings.Join(words[i+1:], " "); e.Without == "" || e.Never {
			return e, wrong.Value("write  A reaches B on tcp/443 without any zone,  or  without peering NAME", "%q does not say without what it reaches", text)
		}
		words = words[:i]
	}
	if i := slices.Index(words, "through"); i >= 0 {
		if i+1 >= len(words) || e.Never {
			return e, wrong.Value("write  A reaches B on tcp/443 through GATEWAY,  or another thing that passes packets on", "%q does not say through what it reaches", text)
		}
		e.Through = words[i+1]
		words = slices.Delete(words, i, i+2)
	}
	if i := slices.Index(words, "except"); i >= 0 {
		for _, w := range words[i+1:] {
			for one := range strings.SplitSeq(w, ",") {
				if one != "" {
					e.Except = append(e.Except, one)
				}
			}
		}
		if len(e.Except) == 0 {
			return e, wrong.Value("name what is not meant behind it", "%q says except, and not whom", text)
		}
		words = words[:i]
	}
	switch {
	case len(words) == 0 && (e.Never || e.Through != "" && !e.Only):
		e.Flows = flow.Any()
		return e, nil
	case len(words) == 0:
		return e, wrong.Value(fmt.Sprintf("write %s reaches %s on tcp/443", e.From, e.To), "%q does not say on what", text)
	case words[0] != "on" || len(words) == 1:
		return e, bad
	}
	flows, err := flow.Parse(strings.Join(words[1:], " "))
	if err != nil {
		return e, fmt.Errorf("in %q, %w", text, err)
	}
	e.Flows, e.HasFlows = flows, true
	return e, nil
}

// Line is the line that says the expectation.
func (e *Expectation) Line() string {
	if e.LeavesAs != "" {
		return e.From + " leaves as " + e.LeavesAs
	}
	line := e.From
	if e.Only {
		line = "only " + line
	}
	if e.Never {
		line += " never"
	}
	line += " reaches " + e.To
	if e.HasFlows {
		line += " on " + e.Flows.String()
	}
	if e.Through != "" {
		line += " through " + e.Through
	}
	if len(e.Except) > 0 {
		line += " except " + strings.Join(e.Except, ", ")
	}
	if e.Without != "" {
		line += " without " + e.Without
	}
	return line
}
