package plan_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// What the format has at places of a plan: through names, elements, patterns, and what is a word or a mapping.
func TestAt(t *testing.T) {
	for place, want := range map[string]string{
		"":                                    "keys wendrik",
		"networks":                            "networks named",
		"networks booking":                    "networks keys pattern",
		"networks booking tiers web":          "networks.tiers keys access",
		"networks booking tiers web access":   "networks.tiers.access",
		"patterns shore tables":               "patterns.tables named",
		"patterns shore tables main routes 1": "patterns.tables.routes keys to",
		"networks n range 2":                  "networks.range",
		"profile":                             "profile keys like",
		"profile router":                      "profile.router",
		"hubs h attach n":                     "hubs.attach keys table",
		"hubs h attach":                       "hubs.attach named",
		"peerings p arrives":                  "peerings.arrives named",
		"workloads w labels":                  "workloads.labels named",
		"workloads w addresses 1 2":           "workloads.addresses",
		"expect 3":                            "expect",
		"regions west":                        "regions",
		"waive 1":                             "waive keys rule",
		"waive 1 rule":                        "waive.rule",
		"networks booking nothing":            "none",
		"networks booking nat one more":       "none",
		"nothing":                             "none",
	} {
		at, ok := plan.At(text.Path(strings.Fields(place)))
		got := strings.Join(at.Format, ".")
		if at.Named {
			got += " named"
		}
		if len(at.Keys) > 0 {
			got += " keys " + at.Keys[0].Name
		}
		if !ok {
			got = "none"
		}
		assert.Equal(t, want, strings.TrimSpace(got), place)
	}
	at, _ := plan.At(text.Path{"networks", "booking", "tables", "main", "main"})
	assert.Equal(t, []string{"true", "false"}, at.Key.Choices)
	at, _ = plan.At(text.Path{"profile"})
	assert.Equal(t, []string{"zonal", "regional", "plain"}, at.Key.Choices)
	assert.False(t, slices.ContainsFunc(at.Keys, func(k plan.Key) bool { return k.Name == "profile" }))
	at, _ = plan.At(text.Path{"networks", "booking", "tables", "main", "routes", "1", "via"})
	assert.Contains(t, at.Key.Names, "gateway")
}
