package plan

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// text reads a single value of any kind of word.
func (d *decoder) text(n text.Node) Text {
	n, entered := d.follow(n)
	defer d.leave(entered)
	switch {
	case n.Kind() == 0:
		return Text{}
	case d.tagged(n):
		return Text{}
	case n.Kind() != text.ScalarKind || n.IsNull():
		d.report(n.At(), wrongKind, fmt.Sprintf("a single value belongs here, not %s", kindName(n)), "write it, or leave the key out")
		return Text{}
	}
	return Text{d.filled(n.Value()), n.At()}
}

// filled is a word of a pattern, with the name of the network that takes it.
func (d *decoder) filled(word string) string {
	if d.filling == "" {
		return word
	}
	return strings.ReplaceAll(word, "{network}", d.filling)
}

func (d *decoder) texts(n text.Node) []Text {
	d.textSlab.begin()
	d.elements(n, d.addText)
	return d.textSlab.end()
}

// fewTexts are those of a list of which one thing has a few.
func (d *decoder) fewTexts(n text.Node) []Text {
	d.textSlab.begin()
	d.few(n, d.addText)
	return d.textSlab.end()
}

// someTexts are those of a list that must have one.
func (d *decoder) someTexts(n text.Node) []Text {
	d.textSlab.begin()
	d.some(n, "a name", d.addText)
	return d.textSlab.end()
}

// date reads a full-date of RFC 3339.
func (d *decoder) date(n text.Node) Text {
	t, at := parsed(d, n, badDate, func(s string) (string, error) {
		if _, err := time.Parse(time.DateOnly, s); err != nil {
			return "", wrong.Value("write the year, the month and the day: 2031-03-31", "%q is no date", phrase.Clip(s))
		}
		return s, nil
	})
	return Text{t, at}
}

func (d *decoder) addText(n text.Node) {
	if t := d.text(n); t.Given() {
		d.textSlab.add(t)
	}
}

// parsed reads a single value through a parse function, and reports what that function says.
func parsed[V any](d *decoder, n text.Node, code diag.Code, parse func(string) (V, error)) (v V, at text.Pos) {
	t := d.text(n)
	if !t.Given() {
		return v, 0
	}
	v, err := parse(t.Value)
	if err != nil {
		d.reportValue(t.At, code, err)
		return v, 0
	}
	return v, t.At
}

// reportValue reports an error of reading one value.
func (d *decoder) reportValue(at text.Pos, code diag.Code, err error) {
	if _, is := errors.AsType[*address.HostBitsError](err); is {
		code = hostBits
	}
	d.report(at, code, err.Error(), wrong.Right(err))
}

func (d *decoder) ranges(n text.Node) []Range {
	d.rangeSlab.begin()
	d.some(n, "a range", func(n text.Node) {
		if r := d.oneRange(n); r.IsValid() {
			d.rangeSlab.add(r)
		}
	})
	return d.rangeSlab.end()
}

// destination reads the range of a route, or the name of what has it, and knows the words that people have for all of them.
func (d *decoder) destination(n text.Node) (Range, Text) {
	target, entered := d.follow(n)
	d.leave(entered)
	if target.Kind() == text.ScalarKind && slices.Contains([]string{"default", "any", "all", Internet}, target.Value()) {
		d.report(target.At(), badRange, fmt.Sprintf("a route leads to a range, and %q is none", target.Value()), "write 0.0.0.0/0, or ::/0 for IPv6")
		return Range{}, Text{}
	}
	return d.rangeOrName(n)
}

// rangeOrName reads a range, or the name of what has some: name, or network/part.
func (d *decoder) rangeOrName(n text.Node) (Range, Text) {
	target, entered := d.follow(n)
	d.leave(entered)
	if target.Kind() == text.ScalarKind && target.Tag() == "" && isRangeName(d.filled(target.Value())) {
		return Range{}, d.text(n)
	}
	return d.oneRange(n), Text{}
}

// isRangeName reports whether a word has the form of a name, or of two with a slash between.
func isRangeName(word string) bool {
	first, second, both := strings.Cut(word, "/")
	return isName(first) && (!both || isName(second)) && len(word) <= 2*maxName
}

// rangesOrNames reads a list of ranges and names.
func (d *decoder) rangesOrNames(n text.Node) ([]Range, []Text) {
	var ranges []Range
	var names []Text
	d.some(n, "a range", func(n text.Node) {
		switch r, name := d.rangeOrName(n); {
		case name.Given():
			names = append(names, name)
		case r.IsValid():
			ranges = append(ranges, r)
		}
	})
	return ranges, names
}

// oneRange reads a range. One with host bits is reported and taken for the block that was meant, so that what lies in
// it is still judged.
func (d *decoder) oneRange(n text.Node) Range {
	t := d.text(n)
	if !t.Given() {
		return Range{}
	}
	p, err := address.ParseRange(t.Value)
	if err != nil {
		d.reportValue(t.At, badRange, err)
		host, is := errors.AsType[*address.HostBitsError](err)
		if !is {
			return Range{}
		}
		p = host.Meant
	}
	return Range{p, t.At}
}

func (d *decoder) addrs(n text.Node) []Addr {
	d.addrSlab.begin()
	d.some(n, "an address", func(n text.Node) {
		if a, at := parsed(d, n, badAddress, address.ParseAddr); at.Known() {
			d.addrSlab.add(Addr{a, at})
		}
	})
	return d.addrSlab.end()
}

// public reads public addresses, or the word for one that the cloud gives.
func (d *decoder) public(n text.Node) ([]Addr, Text) {
	target, entered := d.follow(n)
	d.leave(entered)
	if target.Kind() == text.ScalarKind && target.Value() == Assigned {
		return nil, d.text(n)
	}
	return d.addrs(n), Text{}
}

// each reads the addresses of each of a count.
func (d *decoder) each(n text.Node) [][]Addr {
	var all [][]Addr
	d.elements(n, func(n text.Node) {
		if addrs := d.addrs(n); len(addrs) > 0 {
			all = append(all, addrs)
		}
	})
	return all
}

// positive reads a whole number of which there must be one at least.
func (d *decoder) positive(n text.Node) Number {
	v := d.count(n)
	if v.Given() && v.Value == 0 {
		d.report(v.At, badNumber, "a count of 0 is nothing at all", "write 1 or more, or take the entry out")
		return Number{}
	}
	return v
}

func (d *decoder) flows(n text.Node) []Flows {
	d.flowSlab.begin()
	d.some(n, "a flow, such as tcp/443,", func(n text.Node) {
		if f, at := parsed(d, n, badFlow, d.parseFlow); at.Known() {
			d.flowSlab.add(Flows{f, at})
		}
	})
	return d.flowSlab.end()
}

// parseFlow is flow.Parse, with what it gave for the same text before: the workloads of an estate say few things.
func (d *decoder) parseFlow(s string) (flow.Set, error) {
	if f, known := d.flowsOf[s]; known {
		return f, nil
	}
	f, err := flow.Parse(s)
	if err == nil && len(d.flowsOf) < 10_000 {
		d.flowsOf[s] = f
	}
	return f, err
}

func (d *decoder) flag(n text.Node) Flag {
	v, at := parsed(d, n, badFlag, func(s string) (bool, error) {
		if s != "true" && s != "false" {
			return false, fmt.Errorf("%q is neither true nor false", s)
		}
		return s == "true", nil
	})
	return Flag{v, at}
}

func (d *decoder) count(n text.Node) Number {
	v, at := parsed(d, n, badNumber, func(s string) (int, error) {
		v, err := strconv.ParseUint(s, 10, 31)
		if err != nil {
			return 0, fmt.Errorf("%q is not a whole number from 0 to %d", s, 1<<31-1)
		}
		return int(v), nil
	})
	return Number{v, at}
}

// size reads the length of a range, written /20.
func (d *decoder) size(n text.Node) Number {
	v, at := parsed(d, n, badSize, address.ParseSize)
	return Number{v, at}
}

// oneOf reads a word that must be one of a few.
func oneOf(words ...string) func(*decoder, text.Node) Text {
	return func(d *decoder, n text.Node) Text {
		t := d.text(n)
		if !t.Given() || slices.Contains(words, t.Value) {
			return t
		}
		fix := "one of " + strings.Join(words, ", ")
		if near := diag.Nearest(t.Value, words); near != "" {
			fix = fmt.Sprintf("did you mean %s? It is %s", near, fix)
		}
		d.report(t.At, unknownWord, fmt.Sprintf("%q is not known here", t.Value), fix)
		return Text{}
	}
}
