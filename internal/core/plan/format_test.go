package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestFormatIsTold: each key of the format is told with what it takes, and has an example in which it stands.
func TestFormatIsTold(t *testing.T) {
	told := 0
	var tell func(path []string, depth int)
	tell = func(path []string, depth int) {
		keys, one, found := Keys(path)
		require.True(t, found, path)
		require.False(t, one, path)
		for _, k := range keys {
			at := append(append([]string{}, path...), k.Name)
			told++
			assert.NotEmpty(t, k.Doc, at)
			assert.NotEmpty(t, k.Takes, at)
			assert.Contains(t, Example(at), k.Name, at)
			if k.inside != "" && k.Name != "patterns" && depth < 4 {
				tell(at, depth+1)
			}
		}
	}
	tell(nil, 0)
	assert.Greater(t, told, 120)
	_, _, found := Keys([]string{"networks", "teirs"})
	assert.False(t, found)
	keys, one, found := Keys(strings.Split("networks.tiers.hosts", "."))
	assert.True(t, found && one)
	assert.Equal(t, "a number", keys[0].Takes)
}
