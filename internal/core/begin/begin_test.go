package begin

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/wrong"
	"wendrik/internal/golden"
)

// TestPlans writes first plans: each is read, carved, and then nothing is found wrong with it but what is not there yet.
func TestPlans(t *testing.T) {
	golden.File(t, "plans.txt", func(t *testing.T, asked string) string {
		var o Options
		var tiers, space, networks string
		_, err := fmt.Sscan(asked, &o.Estate, &o.Profile, &o.Region, &o.Zones, &tiers, &space, &o.Size, &networks)
		require.NoError(t, err)
		o.Tiers, err = ParseTiers(tiers)
		require.NoError(t, err)
		o.Space, o.Networks = netip.MustParsePrefix(space), strings.Split(networks, ",")
		content := Plan(o)
		e := estatetest.Load(t, content)
		carved, problems, err := e.With(carve.Estate(e).Changes)
		require.NoError(t, err)
		require.Empty(t, problems)
		for _, f := range check.Run(carved) {
			assert.NotContains(t, []string{"error"}, string(f.Weight()), "%s: %s", f.Code, f.Message)
		}
		for _, r := range expect.Run(carved, nil) {
			assert.True(t, r.Holds, "%s: %s", r.Text, r.Why)
		}
		return content
	})
}

func TestTiers(t *testing.T) {
	all, err := ParseTiers("web:public:60, data:closed:9")
	require.NoError(t, err)
	assert.Equal(t, []Tier{{"web", "public", 60}, {"data", "closed", 9}}, all)
	for text, want := range map[string]string{
		"web":                 `"web" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public":          `"web:public" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public:0":        `"web:public:0" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public:9x":       `"web:public:9x" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public:many":     `"web:public:many" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"a:closed:1,b:open:2": `"open" is no access: write public, outbound or closed`,
	} {
		all, err := ParseTiers(text)
		require.Error(t, err, text)
		assert.Equal(t, want, err.Error()+": "+wrong.Right(err))
		assert.Nil(t, all)
	}
	zonal, _ := profile.Named("zonal")
	regional, _ := profile.Named("regional")
	out, both := []Tier{{"app", "outbound", 9}}, []Tier{{"app", "outbound", 9}, {"web", "public", 9}}
	err = Lacks(out, zonal)
	require.Error(t, err)
	assert.Equal(t, "tier app is outbound, and no public tier is there for the NAT gateway that it leaves by: add one, such as  edge:public:10", err.Error()+": "+wrong.Right(err))
	assert.NoError(t, Lacks(both, zonal))
	assert.NoError(t, Lacks(out, regional))
	assert.NoError(t, Lacks([]Tier{{"data", "closed", 9}}, zonal))
}
