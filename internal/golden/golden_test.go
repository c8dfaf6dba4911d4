package golden

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

type berth struct{ name string }

func (b *berth) ID() string { return b.name }

type dock struct {
	Name   string
	Length int
	Ranges []netip.Prefix
	By     map[string]int
	Near   *dock
	Berths []*berth
	Notes  []note
	secret string
}

type note struct {
	Text string
	Bad  bool
}

// TestTell: all that is exported is told, with what is inside it, and nothing twice.
func TestTell(t *testing.T) {
	d := &dock{Name: "pier", Length: 9, Ranges: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}, By: map[string]int{"b": 0, "a": 2}, Berths: []*berth{{"one"}, {"two"}}, Notes: []note{{"x\ny", true}, {}}, secret: "s"}
	d.Near = &dock{Name: "quay", Near: d}
	assert.Equal(t, `Name: pier
Length: 9
Ranges: [10.0.0.0/8]
By a: 2
By: b: 0
Near:
  Name: quay
  Near: that again
Berths: [one, two]
Notes 1:
  Text: x
      y
  Bad: true
Notes 2: nothing
`, Tell(d))
	assert.Empty(t, Tell(nil))
	assert.Equal(t, "[1, 2]\n", Tell([]int{1, 2}))
}

// TestCases holds an answer against the one that stands behind what is asked.
func TestCases(t *testing.T) {
	Cases(t, cases, func(_ *testing.T, asked string) string { return "said " + asked + " \n" })
}

const cases = `
== one
a
b
--
said a
b

== two
c
--
said c
`
