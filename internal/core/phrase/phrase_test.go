package phrase

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestJoining(t *testing.T) {
	ranges := []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("::/0")}
	assert.Equal(t, "10.0.0.0/8, ::/0", List(ranges))
	assert.Equal(t, "8, 0", Names(ranges, func(p netip.Prefix) string { return strings.Split(p.String(), "/")[1] }))
	for want, words := range map[string][]string{"": nil, "a": {"a"}, "a and b": {"a", "b"}, "a, b and c": {"a", "b", "c"}} {
		assert.Equal(t, want, And(words))
	}
	for want, words := range map[string][]string{"": nil, "a, b, c": {"a", "b", "c"}, "a, b and 2 more": {"a", "b", "c", "d"}} {
		assert.Equal(t, want, Few(words, 3))
	}
	for want, n := range map[string]int{"0 tables": 0, "1 table": 1, "2 tables": 2} {
		assert.Equal(t, want, Count(n, "table"))
	}
	assert.Equal(t, "1 address, 0 addresses", Count(1, "address")+", "+Count(0, "address"))
}

// TestClipping: what is left has 60 characters, however many bytes each of them has.
func TestClipping(t *testing.T) {
	for _, of := range []string{"a", "é", "𝄞"} {
		whole := strings.Repeat(of, 60)
		assert.Equal(t, whole, Clip(whole))
		assert.Equal(t, strings.Repeat(of, 59)+"…", Clip(whole+of))
		assert.Equal(t, strings.Repeat(of, 59)+"…", Clip(strings.Repeat(of, 10_000)))
	}
	long := strings.Repeat("x", 70)
	assert.Equal(t, `the name "`+strings.Repeat("x", 59)+`…" and "y" stay`, ClipQuotes(`the name "`+long+`" and "y" stay`))
	assert.Equal(t, "no quotes "+long, ClipQuotes("no quotes "+long))
	sixty := `"` + strings.Repeat("x", 60) + `"`
	assert.Equal(t, sixty, ClipQuotes(sixty), "it is as long as may be")
	escaped := `"` + strings.Repeat(`\"`, 80) + `"`
	assert.Less(t, len(ClipQuotes(escaped)), 80, "an escaped quote ends nothing")
}

func TestCounting(t *testing.T) {
	for _, c := range []struct {
		n     int
		thing string
		want  string
	}{{0, "rule", "0 rules"}, {1, "rule", "1 rule"}, {2, "access", "2 accesses"}, {2, "set of workloads", "2 sets of workloads"}, {1, "line of expect", "1 line of expect"}, {3, "line of expect", "3 lines of expect"}} {
		assert.Equal(t, c.want, Count(c.n, c.thing))
	}
}
