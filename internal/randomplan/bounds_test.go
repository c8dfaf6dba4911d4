package randomplan

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
	"wendrik/internal/fuzz"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
)

// many repeats a text n times, with its number in the place of #.
func many(n int, each string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.ReplaceAll(each, "#", fmt.Sprint(i)))
	}
	return b.String()
}

// TestMemoryFollowsTheText reads texts that are made to cost much, in two sizes of one kind, and counts what is
// allocated for them: four times the text is about four times the memory, and never much for each byte.
func TestMemoryFollowsTheText(t *testing.T) {
	if fuzz.Rounds(0, 1) == 0 {
		t.Skip("it takes large texts; set " + fuzz.Long)
	}
	for name, c := range map[string]struct {
		n     int
		text  func(n int) string
		bytes float64 // the most that is allocated for each byte of the text, where it is large
	}{
		"small values":          {20_000, func(n int) string { return "expect: [" + many(n, "a,") + "]\n" }, 500},
		"small values in lines": {20_000, func(n int) string { return "expect:\n" + many(n, "- a\n") }, 300},
		"small keys":            {20_000, func(n int) string { return "networks: {" + many(n, "n#: 1,") + "}\n" }, 500},
		"small keys in lines":   {20_000, func(n int) string { return "networks:\n" + many(n, "  n#: 1\n") }, 500},
		"aliases":               {20_000, func(n int) string { return "space: {x: {block: &a 10.0.0.0/8}}\nexpect: [" + many(n, "*a,") + "]\n" }, 500},
		"aliases of a mapping": {1_000, func(n int) string {
			return "networks: {n: &n {range: 10.0.0.0/8, subnets: {s: {range: 10.0.0.0/24}}},\n" + many(n, "  m#: *n,\n") + "}\n"
		}, 3000},
		"mistakes in one line":      {5_000, func(n int) string { return "networks: {" + many(n, "n#: {range: 10.0.0.9/8},") + "}\n" }, 700},
		"unknown names in one line": {5_000, func(n int) string { return "workloads: {" + many(n, "w#: {in: nobody/s, address: 10.0.0.9},") + "}\n" }, 700},
		"networks with one range":   {500, func(n int) string { return "networks:\n" + many(n, "  n#: {range: 10.0.0.0/16}\n") }, 3000},
		"networks of one hub": {500, func(n int) string {
			return "networks:\n" + many(n, "  n#: {range: 10.0.0.0/16}\n") + "hubs: {h: {attach: {" + many(n, "n#: t,") + "}, tables: {t: {learns: [" + many(n, "n#,") + "]}}}}\n"
		}, 3000},
		"sites with one range": {500, func(n int) string { return "sites:\n" + many(n, "  s#: {ranges: 10.0.0.0/16}\n") }, 3000},
		"blocks in each other": {2_000, func(n int) string {
			return "space:\n  b: {block: fd00::/8}\n  b0: {block: fd00::/8, within: b}\n" + nested(n)
		}, 3000},
		"ranges of one network": {5_000, func(n int) string { return "networks: {n: {range: [" + many(n, "10.0.0.0/8,") + "]}}\n" }, 1000},
		"routes that nobody can use": {5_000, func(n int) string {
			return "networks: {n: {range: 10.0.0.0/8, tables: {t: {routes: [" + many(n, "{to: 10.0.0.0/9, via: x},") + "]}}}}\n"
		}, 700},
	} {
		used := func(n int) (bytes, size float64) {
			content := "wendrik: 1\n" + c.text(n)
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			e, findings := estate.Load(text.One("p", content))
			if len(findings) == 0 {
				check.Run(e)
				overlap.Estate(e)
				carve.Estate(e)
				space.NewSurvey(e, nil).Tree()
			}
			runtime.ReadMemStats(&after)
			return float64(after.TotalAlloc - before.TotalAlloc), float64(len(content))
		}
		used(c.n / 10) // what is made once
		small, smallSize := used(c.n)
		large, largeSize := used(4 * c.n)
		assert.Less(t, large/small, 1.6*largeSize/smallSize, "%s: %.0f and %.0f bytes", name, small, large)
		assert.Less(t, large/largeSize, c.bytes, name)
	}
}

func nested(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "  b%d: {block: fd00::/%d, within: b%d}\n", i+1, 9+i*100/n, i)
	}
	return b.String()
}
