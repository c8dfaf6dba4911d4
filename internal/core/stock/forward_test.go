package stock_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/stock"
	"wendrik/internal/core/stock/stocktest"
	"wendrik/internal/randomplan"
)

// Whatever was changed by hand, the plan can be edited to say it, in whatever words it is written.
func TestThePlanFollowsWhatIsThere(t *testing.T) {
	raw, err := os.ReadFile("../../../examples/skerry-line/planned.yaml")
	require.NoError(t, err)
	for seed := range uint64(150) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 43))
			content := string(raw)
			switch seed % 3 {
			case 1:
				content = randomplan.Write(rng)
			case 2:
				content, _ = randomplan.Both(rng)
			}
			e := load(t, content)
			there := stocktest.Changed(rng, stock.Of(e), 8)
			after, problems, left := stock.Forward(e, there)
			for _, d := range left {
				assert.Fail(t, "not reached", "%s %v\nwas %+v\nis %+v", d.Key(), d.Props, d.Was, d.Is)
			}
			for _, p := range problems {
				assert.Contains(t, p.Message, "there is no ", "only what speaks of things that are gone is left to a person")
			}
			if t.Failed() {
				t.Logf("%s", after.Plan.Files.Whole())
			}
			if len(stock.Between(stock.Of(e), there)) == 0 {
				assert.Equal(t, e.Plan.Files.Whole(), after.Plan.Files.Whole())
			}
		})
	}
}
