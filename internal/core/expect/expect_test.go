package expect

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

const pier = `wendrik: 1
networks:
  pier:
    range: 10.0.0.0/16
    tiers: {web: {}, db: {}, none: {}}
    subnets: {web: {tier: web, range: 10.0.0.0/24}, db: {tier: db, range: 10.0.1.0/24}, none: {tier: none, range: 10.0.2.0/24}}
    groups:
      web: {in: [tcp/443 from any], out: [any to any]}
      db: {in: [tcp/5432 from 10.0.0.1/32], out: []}
  quay: {range: 10.1.0.0/16, subnets: {hall: {range: 10.1.0.0/24}}}
workloads:
  web-1: {in: pier/web, address: 10.0.0.1, groups: [web]}
  web-2: {in: pier/web, address: 10.0.0.2, groups: [web]}
  db: {in: pier/db, address: 10.0.1.1, groups: [db]}
  clerk: {in: quay/hall, address: 10.1.0.1}
expect:
`

// TestRun tries each kind of expectation, held and broken.
func TestRun(t *testing.T) {
	for _, c := range []struct {
		line  string
		holds bool
		why   string
		pairs int
	}{
		{"web-1 reaches db on tcp/5432", true, "", 1},
		{"web-2 reaches db on tcp/5432", false, "web-2 does not reach db on tcp/5432: no rule of group db", 1},
		{"pier/web reaches db on tcp/5432", false, "web-2 does not reach db on tcp/5432: no rule of group db", 2},
		{"web-1 reaches db on tcp/5432-5433", false, "web-1 reaches db on tcp/5432-5433 only in part", 1},
		{"pier/web reaches pier/web on tcp/443", true, "", 2},
		{"quay never reaches pier", true, "", 3},
		{"internet never reaches pier", true, "", 3},
		{"pier never reaches db", false, "web-1 reaches db on tcp/5432", 2},
		{"pier never reaches db on udp", true, "", 2},
		{"pier/none never reaches db", true, "", 0},
		{"web-1 never reaches pier/none", true, "nobody is there yet, and its groups alone would keep a workload there from it", 0},
		{"pier/none reaches db on tcp/1", false, "tried by a workload that could be there: could-be-there-1 does not reach db on tcp/1: no rule of group db", 0},
		{"pier/none reaches web-1 on tcp/443", true, "", 0},
		{"pier never reaches db except web-1", true, "", 1},
		{"pier/web reaches db on tcp/5432 except web-2", true, "", 1},
		{"10.0.0.0/24 never reaches db on tcp/5432", false, "web-1 reaches db", 2},
		{"198.51.100.0/24 never reaches pier except 198.51.100.7", true, "", 3},
		{"web-1 leaves as 203.0.113.9", false, "web-1 does not get out to the internet", 1},
		{"pier/web reaches quay on tcp/443", false, "2 of 2 pairs are so", 2},
	} {
		e, findings := estate.Load(text.One("p", pier+"  - "+c.line+"\n"))
		require.Empty(t, findings, c.line)
		r := Run(e, nil)[0]
		assert.Equal(t, c.holds, r.Holds, c.line)
		assert.Equal(t, c.pairs, r.Pairs, c.line)
		assert.Contains(t, r.Why, c.why, c.line)
		f, doubtful := r.Finding()
		assert.Equal(t, r.Why != "", doubtful, c.line)
		if doubtful {
			assert.True(t, f.Fix() != "" || r.Counter != nil, c.line)
		}
	}
}

// TestExceptOfSites: an address or a range of a site is taken out of it, and nothing else is; what is left of a range is no more than it was.
func TestExceptOfSites(t *testing.T) {
	for line, holds := range map[string]bool{
		"isle never reaches db except 10.9.0.7":          true,
		"isle never reaches db except 10.9.0.0/25":       true,
		"isle never reaches db except 10.9.0.8":          false,
		"10.9.0.0/24 never reaches db except 10.9.0.7":   true,
		"10.9.0.0/29 never reaches db except 10.9.0.3":   false,
		"10.9.0.128/25 never reaches db except 10.9.1.9": true,
		"10.9.1.0/24 reaches db on tcp/23 except isle":   false,
	} {
		e, _ := estate.Load(text.One("p", `
wendrik: 1
profile: zonal
networks: {pier: {range: 10.0.0.0/16, subnets: {db: {range: 10.0.1.0/24}}, tables: {main: {main: true, routes: [{to: isle, via: isle}]}}, groups: {db: {in: [tcp/22 from 10.9.0.7/32, tcp/23 from 10.9.1.0/24], out: []}}}}
sites: {isle: {ranges: [10.9.0.0/16], link: pier, knows: [pier]}}
workloads: {db: {in: pier/db, address: 10.0.1.1, groups: [db]}}
expect: ["`+strings.ReplaceAll(line, "never reaches db", "never reaches db on tcp/22")+`"]
`))
		require.Len(t, e.Plan.Expect, 1)
		r := Run(e, nil)[0]
		assert.Equal(t, holds, r.Holds, "%s: %s", line, r.Why)
		assert.Equal(t, strings.HasSuffix(line, "except isle"), r.Nobody, line)
	}
}
