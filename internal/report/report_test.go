package report

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestGroups writes groups of units as short as they can be read.
func TestGroups(t *testing.T) {
	for want, to := range map[string][]int{
		`[1,2,"0-2,5,7-8"]`: {0, 1, 2, 5, 7, 8},
		`[1,2,"4"]`:         {4},
		`[1,2,""]`:          nil,
		`[1,2,"3-4"]`:       {3, 4},
	} {
		raw, err := json.Marshal(Group{1, 2, to})
		require.NoError(t, err)
		assert.Equal(t, want, string(raw))
	}
}

// TestPolicy: the policy of a page names just the style and the script that stand in it, and a page that is kept up to date may
// listen to its own server alone.
func TestPolicy(t *testing.T) {
	for _, live := range []bool{false, true} {
		var b strings.Builder
		require.NoError(t, Write(&b, &Page{Title: "quay & pier", Live: live, Data: Data{Flows: []string{"</script>"}}}))
		page := b.String()
		assert.Contains(t, page, "<title>quay &amp; pier</title>")
		assert.Equal(t, 2, strings.Count(page, "</script>"), "no text ends a script")
		policy := strings.ReplaceAll(strings.ReplaceAll(regexp.MustCompile(`Content-Security-Policy" content="([^"]*)"`).FindStringSubmatch(page)[1], "&#39;", "'"), "&#43;", "+")
		style := regexp.MustCompile(`(?s)<style>(.*?)</style>`).FindStringSubmatch(page)[1]
		script := regexp.MustCompile(`(?s)<script>(.*?)</script>`).FindStringSubmatch(page)[1]
		assert.Contains(t, policy, "style-src "+hash(style))
		assert.Contains(t, policy, "script-src "+hash(script))
		assert.Equal(t, live, strings.Contains(policy, "connect-src 'self'"))
		assert.NotContains(t, policy, "unsafe")
	}
}
