package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"wendrik/internal/core/check"
	"wendrik/internal/core/plan"
)

// This file finds what somebody needs who does not know what it is called.

// A hit is something that help found, and how well it fits.
type hit struct {
	name, says string
	score      int
}

// weights of where a word was found: in a name, in the line that says what it is, in an example, in all else.
const (
	inName    = 12
	inLine    = 6
	inExample = 4
	inText    = 2
)

// mostHits is how many of each kind are told.
const mostHits = 7

// searchable are the words of a thing, by what finding one of them is worth.
type searchable struct {
	name, says string
	words      map[string]int // by stem
}

func newSearchable(name, says string) *searchable {
	s := &searchable{name, says, map[string]int{}}
	s.add(inName, name)
	s.add(inLine, says)
	return s
}

func (s *searchable) add(weight int, text string) {
	for _, w := range stems(text) {
		s.words[w] = max(s.words[w], weight)
	}
}

// empty words are in every question, and say nothing of what is needed.
var emptyWords = []string{"a", "an", "and", "are", "can", "do", "does", "for", "from", "get", "have", "how", "i", "in", "is", "it", "me", "my", "of", "on", "or", "show", "that", "the", "there", "to", "we", "what", "where", "which", "who", "with"}

// otherWords are words of the trade for what has another one here.
var otherWords = map[string]string{
	"acl": "list", "allocate": "claim", "allocation": "claim", "cidr": "range", "cost": "price", "deploy": "build", "diagram": "picture", "failure": "fail", "failover": "outage", "firewall": "forward", "growth": "grow", "import": "adopt", "ip": "address",
	"migrate": "steps", "resolver": "dns", "subnetting": "carve", "vpn": "site", "visualise": "draw", "visualize": "draw",
}

// stems are the words of a text without what only their grammar adds.
func stems(text string) []string {
	var all []string
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		all = append(all, stem(w))
	}
	return all
}

func stem(w string) string {
	for _, end := range []string{"ings", "ing", "ies", "es", "ed", "s", "e"} {
		least := 3
		if end == "e" || end == "es" {
			least = 4 // a site is not what something sits in
		}
		if short, cut := strings.CutSuffix(w, end); cut && len(short) >= least {
			if end == "ies" {
				return short + "y"
			}
			return short
		}
	}
	return w
}

// score is how well a thing fits a question, of which every word must be found; 0 where one is not.
func (s *searchable) score(asked [][]string) int {
	total := 0
	for _, one := range asked {
		best := 0
		for _, w := range one {
			best = max(best, s.words[w])
		}
		if best == 0 {
			return 0
		}
		total += best
	}
	return total
}

// askedFor are the words of a question that say something, each as its stem and that of the word for it here.
func askedFor(question []string) (asked [][]string) {
	for _, w := range strings.Fields(strings.ToLower(strings.Join(question, " "))) {
		if slices.Contains(emptyWords, w) {
			continue
		}
		if of := stems(w); len(of) > 0 {
			if other := otherWords[w]; other != "" {
				of = append(of, stem(other))
			}
			asked = append(asked, of)
		}
	}
	return asked
}

// best are the things that fit a question, the best first.
func best(all []*searchable, asked [][]string) []hit {
	var hits []hit
	for _, s := range all {
		if n := s.score(asked); n > 0 {
			hits = append(hits, hit{s.name, s.says, n})
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int { return -cmp.Compare(a.score, b.score) })
	return hits
}

// helpSearch tells the commands, keys and rules that have to do with some words.
func (c *call) helpSearch(question []string) (found bool) {
	asked := askedFor(question)
	if len(asked) == 0 {
		return false
	}
	var named, keys, rules []*searchable
	for _, x := range commands() {
		if x.name == "help" {
			continue
		}
		s := newSearchable(x.name, x.short)
		s.add(inText, x.long)
		for _, o := range optionsOf(x) {
			s.add(inText, o.name+" "+o.about)
		}
		for _, e := range x.examples {
			s.add(inExample, e.line+" "+e.what)
		}
		named = append(named, s)
	}
	for _, k := range plan.AllKeys() {
		s := &searchable{k.Path, k.Doc, map[string]int{}}
		s.add(inName, k.Name)
		s.add(inLine, k.Doc)
		s.add(inText, k.Path)
		keys = append(keys, s)
	}
	for _, r := range check.Rules {
		rules = append(rules, newSearchable(string(r.Code), r.Doc))
	}
	for _, part := range []struct {
		title, more string
		all         []*searchable
	}{
		{"commands", "wendrik help COMMAND  says more", named},
		{"keys of a plan", "wendrik help plan KEY  says more", keys},
		{"rules of check", "wendrik help rules CODE  says more", rules},
	} {
		hits := best(part.all, asked)
		if len(hits) == 0 {
			continue
		}
		if found {
			c.say("")
		}
		found = true
		c.say("%s", strong.Sprint(part.title))
		wide := 0
		for _, h := range hits[:min(mostHits, len(hits))] {
			wide = max(wide, len(h.name))
		}
		for i, h := range hits {
			if i == mostHits {
				c.say("  %s", dim.Sprintf("%d more", len(hits)-i))
				break
			}
			c.say("  %s  %s", strong.Sprint(fmt.Sprintf("%-*s", wide, h.name)), c.wrap(wide+4, h.says))
			if e := exampleFor(h.name, asked); e != nil {
				c.say("  %*s  %s", wide, "", c.wrap(wide+4, e.line+"   # "+e.what))
			}
		}
		c.say("  %s", dim.Sprint(part.more))
	}
	return found
}

// exampleFor is the example of a command that has to do with the most of what is asked; nil for none.
func exampleFor(name string, asked [][]string) *example {
	x := commandNamed(name)
	if x == nil {
		return nil
	}
	var most *example
	least := 0
	for i := range x.examples {
		s := newSearchable(x.examples[i].line, x.examples[i].what)
		n := 0
		for _, one := range asked {
			n += s.score([][]string{one})
		}
		if n > least {
			most, least = &x.examples[i], n
		}
	}
	return most
}
