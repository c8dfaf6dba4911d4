package renumber

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

// TestAnswers tells all that moving things takes: NAME [to RANGE...] [from BLOCK].
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		head, more, _ := strings.Cut(asked, "\n")
		words := strings.Fields(head)
		content := ""
		if content = more; content == "" {
			content = estatetest.Plan(t, words[0])
		}
		e := estatetest.Load(t, content)
		q := Request{Name: words[1]}
		for _, w := range words[2:] {
			if p, err := netip.ParsePrefix(w); err == nil {
				q.To = append(q.To, p)
			} else if w != "to" && w != "from" {
				q.From = w
			}
		}
		r, err := Of(e, q)
		if err != nil {
			return "error: " + err.Error()
		}
		require.NotNil(t, r.After)
		files := r.After.Plan.Files.First().Text
		return golden.Tell(r) + "changed lines\n" + changed(content, files)
	})
}

// changed are the lines that only one of two texts has.
func changed(a, b string) string {
	had := map[string]int{}
	for line := range strings.Lines(a) {
		had[line]++
	}
	var out strings.Builder
	for line := range strings.Lines(b) {
		if had[line]--; had[line] < 0 {
			out.WriteString("+ " + line)
		}
	}
	return out.String()
}
