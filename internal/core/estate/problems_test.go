package estate

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/golden"
)

// TestBindingProblems adds to an estate without problems, and tells all that is found then: where, what, and what would be
// right.
func TestBindingProblems(t *testing.T) {
	golden.File(t, "problems.txt", func(t *testing.T, asked string) string {
		e, found := load(t, merged(asked))
		for _, f := range append(found, e.Waits...) {
			assert.True(t, f.At.Known() && len(f.Place) > 0, f.Message)
		}
		return findings(e, slices.Concat(found, e.Waits))
	})
}

// TestTooManyWorkloads: what a plan counts has a bound, and the rest is told of.
func TestTooManyWorkloads(t *testing.T) {
	e, found := load(t, merged("workloads:\n  w: {in: booking/web, count: 800000}\n  v: {in: booking/web, count: 400000}\n"))
	assert.Equal(t, "20:31 too-many error workloads: the plan counts more than 1000000 workloads | split the estate into plans of their own\n", findings(e, found))
	assert.Len(t, e.Workloads, 800_002)
}

// merged adds entries to the top-level mappings of the ground, or whole keys.
func merged(add string) string {
	content := ground
	if strings.HasPrefix(add, "space:") {
		content = strings.Replace(content, "space: {west: {block: 10.144.0.0/14}}\n", "", 1)
	}
	if strings.HasPrefix(add, "regions:") {
		content = strings.Replace(content, "regions: {west: [west-a, west-b]}\n", "", 1)
	}
	for _, part := range strings.Split("\n"+add, "\n\n") {
		var keep strings.Builder
		at := ""
		for line := range strings.Lines(strings.TrimPrefix(part, "\n")) {
			key := strings.TrimRight(line, "\n")
			if !strings.HasPrefix(line, " ") {
				at = ""
				if strings.Contains(content, "\n"+key+"\n") && strings.HasSuffix(key, ":") {
					at = "\n" + key + "\n"
					continue
				}
			}
			if at == "" {
				keep.WriteString(line)
				continue
			}
			i := strings.Index(content, at) + len(at)
			content = content[:i] + key + "\n" + content[i:]
			at += key + "\n"
		}
		content += strings.TrimRight(keep.String(), "\n") + "\n"
	}
	return content
}
