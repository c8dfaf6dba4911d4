package randomplan

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// TestWrite loads many plans: a finding in one would make what the other tests say of it worthless.
func TestWrite(t *testing.T) {
	for seed := range fuzz.Rounds(60, 300) {
		content := Write(rand.New(rand.NewPCG(seed, 1)))
		_, findings := estate.Load(text.One("wendrik.yaml", content))
		require.Empty(t, findings, "seed %d\n%s", seed, content)
	}
}
