package editor

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Where a cursor is, which | marks: the path, whether a key stands there, and the word around it.
func TestCursor(t *testing.T) {
	for marked, want := range map[string]string{
		"|":                              "key ",
		"net|works:":                     "key networks",
		"networks:\n  |":                 "networks key ",
		"networks:\n  booking: |":        "networks booking ",
		"networks:\n  booking:\n    re|": "networks booking key re",
		"networks:\n  booking:\n    region: we|st":                                                          "networks booking region west",
		"networks:\n  a:\n    region: x\n\n  # c\n  b:\n    tiers:\n      web: {access: pub|lic, hosts: 3}": "networks b tiers web access public",
		"networks:\n  b:\n    tiers:\n      web: {access: public, ho|}":                                     "networks b tiers web key ho have access",
		"networks:\n  b:\n    tiers:\n      web: {access: public, |":                                        "networks b tiers web key  have access",
		"networks:\n  b:\n    tiers:\n      web: {access: public}|":                                         "networks b tiers web ",
		"networks:\n  b:\n    tiers:\n      web:\n        {access: public,\n         zones: [west-a, we|]}": "networks b tiers web zones 2 we",
		"expect:\n  - a reaches b\n  - c rea|ches d on tcp/1,tcp/2":                                         "expect 2 key reaches",
		"expect:\n- a reaches b\n- c reaches |d":                                                            "expect 2 key d",
		"expect: [a reaches b on tcp/1, c reaches d|]":                                                      "expect 2 d",
		"t:\n  routes:\n    - {to: 10.0.0.0/8, via: fr|ont}":                                                "t routes 1 via front have to",
		"t:\n  routes:\n    - to: x\n      via: fr|ont":                                                     "t routes 1 via front",
		"t:\n  routes:\n    - to: x\n    - t|o: y\n      via: front":                                        "t routes 2 key to",
		"space:\n  c: {block: [10.0.0.0/8, \"fd3a:|5e11::/48\"]}":                                           "space c block 2 fd3a:5e11::/48",
		"a: b   # a com|ment":                       "a comment ",
		"ä: {b: [\"ü [x\", y|z]}":                   "ä b 2 yz",
		"a:\n  b: 'it''s'\n  c: 2|":                 "a c 2",
		"workloads:\n  w: {in: a/b|}\n  v: {in: c}": "workloads w in a/b",
		"wendrik: 1\nnet|":                          "key net",
		"a:\n  in:\n    - tcp/1 from group |":       "a in 1 key ",
		"a: {in: [tcp/1 from group |]}":             "a in 1 ",
		"a: {b: c |}":                               "a b ",
		"w: {in: |, count: 2}":                      "w in ",
	} {
		before, after, _ := strings.Cut(marked, "|")
		l := splitLines(before + after)
		head := splitLines(before)
		c := cursorAt(l, spot{len(head) - 1, len(head[len(head)-1])})
		word, start, end := c.word()
		got := strings.Join(c.path, " ")
		if c.key {
			got = strings.TrimSpace(got + " key")
		}
		if c.comment {
			got += " comment"
		}
		got = strings.TrimLeft(got+" "+word, " ")
		if len(c.have) > 0 {
			got += " have " + strings.Join(c.have, " ")
		}
		assert.Equal(t, want, got, marked)
		assert.Equal(t, word, l.at(c.line)[start:end], marked)
		if strings.Contains(marked, "group |") {
			assert.Equal(t, "tcp/1 from group ", c.before())
		}
	}
}
