package wire

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// aWay is a plan with a workload that forwards, alone or one in each zone, beside those who are to pass it, or in a network of its own, and lines
// that want it; kind says which.
func aWay(rng *rand.Rand) (content, kind string) {
	of := func(words ...string) string { return words[rng.IntN(len(words))] }
	profile := of("zonal", "zonal", "plain", "regional")
	join := of("none", "peering", "hub", "third")
	wall := of("public", "outbound", "closed")
	count := 1 + rng.IntN(2)
	six := of("", "", ", fd00:144::/56")
	public := ""
	if wall == "public" {
		public = ", public: assigned"
	}
	var b strings.Builder
	put := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	put("wendrik: 1\nprofile: %s\nregions: {west: [west-a, west-b]}\nspace: {west: {block: 10.144.0.0/14, region: west}}\nnetworks:", profile)
	put("  booking: {region: west, range: [10.144.0.0/20%s], tiers: {edge: {access: public, hosts: 20}, wall: {access: %s, hosts: 10}, app: {access: %s, hosts: 50}, db: {access: closed, hosts: 20}}}", six, wall, of("public", "outbound", "closed"))
	put("  harbour: {region: west, range: [10.144.16.0/20%s], tiers: {ring: {access: closed, hosts: 9}}}", strings.Replace(six, "fd00:144:", "fd00:145:", 1))
	at := "booking/wall"
	if join == "third" {
		at = "watch/post"
		put("  watch: {region: west, range: [10.144.32.0/20%s], tiers: {post: {access: closed, hosts: 9}}}", strings.Replace(six, "fd00:144:", "fd00:146:", 1))
	}
	put("workloads:\n  wall: {in: %s, count: %d, forwards: %s%s}\n  jump: {in: booking/edge}\n  fares: {in: booking/app, count: 3%s}\n  seats: {in: booking/db, count: 2}\n  berth: {in: harbour/ring}", at, count, of("plain", "stateful", "stateful", "nat"), public, of("", ", public: assigned"))
	switch join {
	case "peering":
		put("peerings: {pair: {between: [booking, harbour], accepted: [booking, harbour]}}")
		put("sites: {quay: {ranges: 10.212.0.0/16, knows: 10.144.0.0/14, link: booking}}")
	case "hub":
		put("hubs: {spine: {attach: {booking: prod, harbour: %s, quay: prod}, tables: {prod: {learns: [booking, harbour, quay]}, back: {learns: [booking, harbour, quay]}}}}", of("prod", "back"))
		put("sites: {quay: {ranges: 10.212.0.0/16, knows: 10.144.0.0/14}}")
	case "third":
		put("hubs: {spine: {attach: {booking: prod, harbour: prod, quay: prod, watch: %s}, tables: {prod: {learns: [booking, harbour, watch, quay]}, back: {learns: [booking, harbour, watch, quay]}}}}", of("back", "back", "prod"))
		put("sites: {quay: {ranges: 10.212.0.0/16, knows: 10.144.0.0/14}}")
	default:
		put("sites: {quay: {ranges: 10.212.0.0/16, knows: 10.144.0.0/14, link: booking}}")
	}
	var lines []string
	for range 1 + rng.IntN(3) {
		from, to := of("fares", "fares", "jump", "internet", "quay", "berth", "seats-1"), of("seats", "booking/db", "berth", "internet", "fares", "quay", "harbour")
		word := of(" through wall", " through wall", " through wall", "", " through wall-1")
		if count == 1 && word == " through wall-1" || from == to {
			word = " through wall"
		}
		lines = append(lines, fmt.Sprintf("%s reaches %s on %s%s", from, to, of("tcp/443", "tcp/5432", "udp/53"), word))
	}
	if rng.IntN(3) == 0 {
		lines = append(lines, of("jump never reaches seats", "quay never reaches berth on tcp/22", "berth never reaches booking/db"))
	}
	put("expect: [%s]", strings.Join(lines, ", "))
	return b.String(), profile + " " + join
}

// TestByWayOf wires lines that say through what: whatever held holds; what wire does not tell of holds; a second run writes nothing; each route that was
// written for them is needed; and what is written, check does not find.
func TestByWayOf(t *testing.T) {
	held, needed := map[string]int{}, 0
	for seed := range fuzz.Rounds(100, 400) {
		content, kind := aWay(rand.New(rand.NewPCG(seed, 29)))
		e := estatetest.Load(t, content)
		e, problems, err := e.With(carve.Estate(e).Changes)
		require.NoError(t, err, content)
		require.Empty(t, problems, content)
		w := Estate(e)
		require.NoError(t, w.Uneditable, content)
		all := fmt.Sprintf("seed %d\n%s\n%s", seed, content, w.After.Plan.Files.Whole())
		require.Empty(t, expect.NoLonger(e, w.After, true), all)
		require.Empty(t, Estate(w.After).Changes, "twice is once: %s", all)
		whole := len(w.Unmet) == 0
		for _, x := range expect.Run(w.After, nil) {
			told := slices.ContainsFunc(w.Unmet, func(f diag.Finding) bool { return strings.HasPrefix(f.Message, `"`+x.Text+`"`) })
			require.True(t, x.Holds != told || x.Never, "%s: %s\n%s", x.Text, x.Why, all)
			if x.Holds && x.Through != "" {
				held[kind]++
			}
		}
		if !whole {
			continue
		}
		had := check.Run(e)
		for _, f := range check.Run(w.After) {
			old := slices.ContainsFunc(had, func(o diag.Finding) bool { return o.Code == f.Code })
			one := f.Code == "shared-firewall" && (strings.Contains(content, "count: 1, forwards") || strings.Contains(content, "through wall-1")) // where one alone is wanted
			require.False(t, !old && !one && slices.Contains([]diag.Code{"sees-half", "shared-firewall", "own-away", "changes-nothing", "forwards-nothing", "dead-route"}, f.Code), "%s: %s\n%s", f.Code, f.Message, all)
		}
		for _, n := range w.After.Networks {
			for _, table := range n.Tables {
				if table.Plan == nil {
					continue
				}
				path := table.Place().To("routes")
				routes, _ := w.After.Plan.Files.Value(path)
				for i, r := range routes.Items() {
					if !strings.Contains(r.String(), "via: wall") || strings.Contains(r.String(), "/0") {
						continue
					}
					without, problems, err := w.After.With(text.Changes{{Edits: []text.Edit{text.RemoveNth(path, i+1)}}})
					require.NoError(t, err)
					require.Empty(t, problems)
					needed++
					half := slices.ContainsFunc(check.Run(without), func(f diag.Finding) bool { return f.Code == "sees-half" }) // by who shares a table with one that is led
					require.False(t, len(expect.NoLonger(w.After, without, true)) == 0 && len(Estate(without).Changes) == 0 && !half, "%s of %s is needless: %s", r, path, all)
				}
			}
		}
	}
	for _, kind := range []string{"zonal none", "zonal peering", "zonal hub", "zonal third", "plain none", "plain hub", "regional third"} {
		assert.Positive(t, held[kind], kind)
	}
	assert.Positive(t, needed)
	t.Log(held, needed)
}
