package meet

import (
	"fmt"
	"strings"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

// TestChains tells of every two networks and sites of an estate whether they can meet, and by what.
func TestChains(t *testing.T) {
	golden.File(t, "chains.txt", func(t *testing.T, asked string) string {
		e := estatetest.Load(t, "wendrik: 1\n"+asked+"\n")
		m := Of(e)
		var ends []estate.Object
		for _, n := range e.Networks {
			ends = append(ends, n)
		}
		for _, s := range e.Sites {
			ends = append(ends, s)
		}
		var b strings.Builder
		for i, x := range ends {
			for j, y := range ends {
				chain, third := m.Chain(x, y)
				if m.Meet(x, y) != (len(chain) > 0) {
					t.Errorf("%s and %s meet: %v, by %v", x.ID(), y.ID(), m.Meet(x, y), chain)
				}
				if i < j && len(chain) > 0 {
					fmt.Fprint(&b, strings.Join(chain, " - "))
					if third > 0 {
						fmt.Fprint(&b, "; both at ", chain[third])
					}
					b.WriteString("\n")
				}
			}
		}
		return b.String()
	})
}
