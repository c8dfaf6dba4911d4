package reach

import (
	"fmt"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

func large(b *testing.B, networks int) *estate.Estate {
	b.Helper()
	e, findings := estate.Load(text.One("p", randomplan.Large(networks)))
	if len(findings) > 0 {
		b.Fatal(findings[0])
	}
	return e
}

// BenchmarkAsk asks single questions of estates of growing size.
func BenchmarkAsk(b *testing.B) {
	on, _ := flow.Parse("tcp/5432")
	for _, networks := range []int{10, 100, 1000} {
		e := large(b, networks)
		for _, q := range [][2]string{{"app-1-a-3", "data-1-b-4"}, {"app-1-a-3", fmt.Sprintf("data-%d-b-4", networks-1)}, {"app-1-a-3", "internet"}, {"internet", "web-1-a-0"}} {
			b.Run(fmt.Sprintf("%d networks, %s to %s", networks, q[0], q[1]), func(b *testing.B) {
				for b.Loop() {
					from, err := Find(e, q[0])
					if err != nil {
						b.Fatal(err)
					}
					to, err := Find(e, q[1])
					if err != nil {
						b.Fatal(err)
					}
					Ask(e, Question{From: from, To: to, Flows: on})
				}
			})
		}
	}
}
