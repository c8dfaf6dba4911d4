// Package flow holds exact sets of flows: which protocols, and of those that have ports, which destination ports.
package flow

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"wendrik/internal/core/wrong"
)

// A Set is a set of flows. It is kept as sorted, disjoint intervals of protocol and port, so that union, difference
// and intersection are exact and need no port to be tried. The zero Set is empty; a Set is never changed once made.
type Set struct{ spans []span }

// span is an interval of keys, both ends included. A key is protocol<<16 | port; a protocol without ports has the
// one key that ends in zero.
type span struct{ first, last uint32 }

// protocol is one of the kinds of traffic that rules can tell apart.
type protocol struct {
	name  string
	ports bool // whether flows of it are told apart by destination port
}

// protocols is in the order in which sets are printed. ICMP is one protocol for both families (RFC 792, RFC 4443).
// The last stands for every protocol that no rule can name.
var protocols = []protocol{{"tcp", true}, {"udp", true}, {"icmp", false}, {"other protocols", false}}

const maxPort = 1<<16 - 1

// of is every flow of protocol number i of the table.
func of(i int) span {
	first := uint32(i) << 16
	if protocols[i].ports {
		return span{first, first | maxPort}
	}
	return span{first, first}
}

// Any is every flow of every protocol.
func Any() Set {
	var s Set
	for i := range protocols {
		s.spans = append(s.spans, of(i))
	}
	return s
}

// Ports is the flows of TCP and UDP to destination ports from first to last.
func Ports(first, last uint16) Set {
	var s Set
	for i, p := range protocols {
		if p.ports {
			s.spans = append(s.spans, span{of(i).first + uint32(first), of(i).first + uint32(last)})
		}
	}
	return s
}

// TCP is all of TCP.
func TCP() Set { return Set{[]span{of(0)}} }

// WithoutPorts is every flow of the protocols that have no ports.
func WithoutPorts() Set { return Any().Minus(Ports(0, maxPort)) }

// Parse reads a set of flows as rules and flags write it: "tcp/443", "tcp/8000-8100", "udp", "icmp", "any", or
// several of these with commas between them.
func Parse(text string) (Set, error) {
	var s Set
	for word := range strings.SplitSeq(text, ",") {
		part, err := parseOne(strings.TrimSpace(word))
		if err != nil {
			return Set{}, err
		}
		s = s.Union(part)
	}
	return s, nil
}

func parseOne(word string) (Set, error) {
	name, ports, hasPorts := strings.Cut(word, "/")
	if word == "any" {
		return Any(), nil
	}
	i := slices.IndexFunc(protocols[:len(protocols)-1], func(p protocol) bool { return p.name == name })
	switch {
	case word == "":
		return Set{}, wrong.Value("write tcp/443, udp/53, icmp or any", "a flow is missing")
	case name == "any":
		return Set{}, fmt.Errorf("%q gives ports to any protocol; name the protocol: tcp/%s, udp/%s", word, ports, ports)
	case i < 0:
		return Set{}, fmt.Errorf("%q is not a flow: it starts with tcp, udp, icmp or any, as in tcp/443", word)
	case !hasPorts:
		return Set{[]span{of(i)}}, nil
	case !protocols[i].ports:
		return Set{}, wrong.Value(fmt.Sprintf("write %s alone", name), "%s has no ports", name)
	}
	first, last, err := ParsePorts(ports)
	if err != nil {
		return Set{}, err
	}
	base := of(i).first
	return Set{[]span{{base + uint32(first), base + uint32(last)}}}, nil
}

// ParsePorts reads one port or a run of ports: "443", "8000-8100".
func ParsePorts(text string) (first, last uint16, err error) {
	firstText, lastText, isRange := strings.Cut(text, "-")
	if !isRange {
		lastText = firstText
	}
	if first, err = parsePort(firstText); err != nil {
		return 0, 0, err
	}
	if last, err = parsePort(lastText); err != nil {
		return 0, 0, err
	}
	if last < first {
		return 0, 0, wrong.Value(fmt.Sprintf("write %d-%d", last, first), "the ports %s run backwards", text)
	}
	return first, last, nil
}

func parsePort(s string) (uint16, error) {
	n, err := strconv.ParseUint(s, 10, 16)
	if err != nil {
		return 0, fmt.Errorf("%q is not a port: ports are whole numbers from 0 to %d", s, maxPort)
	}
	return uint16(n), nil
}

// String writes the set in the words that Parse reads, "any" for all of it and "nothing" when it is empty. What no
// rule can name is written "other protocols".
func (s Set) String() string {
	if s.Empty() {
		return "nothing"
	}
	if s.Equal(Any()) {
		return "any"
	}
	return strings.Join(s.Words(), ", ")
}

// Rule is the set as a rule would write it: any, where it holds protocols that no rule can name.
func (s Set) Rule() string {
	if nameless := of(len(protocols) - 1); !s.Intersect(Set{[]span{nameless}}).Empty() {
		return "any"
	}
	return s.String()
}

// Word is the set as one word of a command line, like Rule.
func (s Set) Word() string { return strings.ReplaceAll(s.Rule(), ", ", ",") }

// Words are the parts of String: one word for each run of ports or whole protocol, none for the empty set.
func (s Set) Words() []string {
	words := make([]string, 0, len(s.spans))
	for _, x := range s.spans {
		i := int(x.first >> 16)
		p, first, last := protocols[i], x.first&maxPort, x.last&maxPort
		switch {
		case x == of(i):
			words = append(words, p.name)
		case first == last:
			words = append(words, fmt.Sprintf("%s/%d", p.name, first))
		default:
			words = append(words, fmt.Sprintf("%s/%d-%d", p.name, first, last))
		}
	}
	return words
}

// Empty reports whether no flow is in s.
func (s Set) Empty() bool { return len(s.spans) == 0 }

// Equal reports whether s and t hold the same flows.
func (s Set) Equal(t Set) bool { return slices.Equal(s.spans, t.spans) }

// Covers reports whether every flow of t is in s.
func (s Set) Covers(t Set) bool { return t.Minus(s).Empty() }

// Union is every flow in s or in t.
func (s Set) Union(t Set) Set {
	if s.Empty() {
		return t
	}
	if t.Empty() {
		return s
	}
	all := slices.Concat(s.spans, t.spans)
	slices.SortFunc(all, func(a, b span) int { return int(a.first) - int(b.first) })
	out := all[:1]
	for _, x := range all[1:] {
		top := &out[len(out)-1]
		// Runs join only within one protocol, so that a printed word never spans two.
		if x.first <= top.last+1 && x.first>>16 == top.last>>16 {
			top.last = max(top.last, x.last)
			continue
		}
		out = append(out, x)
	}
	return Set{out}
}

// Intersect is every flow in both s and t.
func (s Set) Intersect(t Set) Set {
	var out []span
	a, b := s.spans, t.spans
	for len(a) > 0 && len(b) > 0 {
		if x := (span{max(a[0].first, b[0].first), min(a[0].last, b[0].last)}); x.first <= x.last {
			out = append(out, x)
		}
		if a[0].last < b[0].last {
			a = a[1:]
		} else {
			b = b[1:]
		}
	}
	return Set{out}
}

// Minus is every flow in s and not in t.
func (s Set) Minus(t Set) Set {
	var out []span
	for _, x := range s.spans {
		for _, cut := range t.spans {
			if cut.last < x.first {
				continue
			}
			if cut.first > x.last {
				break
			}
			if cut.first > x.first {
				out = append(out, span{x.first, cut.first - 1})
			}
			x.first = cut.last + 1
			if x.first > x.last {
				break
			}
		}
		if x.first <= x.last {
			out = append(out, x)
		}
	}
	return Set{out}
}

// Protocols splits s by protocol, in the order of printing: one Set for each protocol of which s has some flow.
func (s Set) Protocols() []Set {
	var out []Set
	for _, x := range s.spans {
		if n := len(out); n > 0 && out[n-1].spans[0].first>>16 == x.first>>16 {
			out[n-1].spans = append(out[n-1].spans, x)
			continue
		}
		out = append(out, Set{[]span{x}})
	}
	return out
}

// WholeProtocols is every flow of each protocol of which s has some flow.
func (s Set) WholeProtocols() Set {
	var out Set
	for _, part := range s.Protocols() {
		out.spans = append(out.spans, of(int(part.spans[0].first>>16)))
	}
	return out
}

// Span is a run of flows of one protocol: ports from First to Last, or all of a protocol that has none.
type Span struct {
	Protocol    string // tcp, udp or icmp
	First, Last uint16
	Whole       bool // whether it is all of the protocol
}

// Spans are the parts of a set, without those protocols that no rule can name.
func (s Set) Spans() []Span {
	var out []Span
	for _, x := range s.spans {
		if i := int(x.first >> 16); i < len(protocols)-1 {
			out = append(out, Span{protocols[i].name, uint16(x.first), uint16(x.last), x == of(i)})
		}
	}
	return out
}

// Key is a text that only equal sets share, to look sets up by.
func (s Set) Key() string {
	b := make([]byte, 0, 8*len(s.spans))
	for _, x := range s.spans {
		b = append(b, byte(x.first>>24), byte(x.first>>16), byte(x.first>>8), byte(x.first), byte(x.last>>24), byte(x.last>>16), byte(x.last>>8), byte(x.last))
	}
	return string(b)
}
