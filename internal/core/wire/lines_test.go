package wire

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestLinesTogether makes random lines hold in random estates, and holds what comes of it against each line made to hold by
// itself, one after the other: what can hold does, no line that says never is broken, no edit can be missed, and the text that is
// written says what was proved.
func TestLinesTogether(t *testing.T) {
	lines, held, conflicts := 0, 0, 0
	for seed := range fuzz.Rounds(4, 14) {
		rng := rand.New(rand.NewPCG(seed, 909))
		content := randomplan.Write(rng)
		bare, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings)
		ends := []string{"quay", "n0/s1", "n1/s2"}
		for _, w := range bare.Workloads {
			ends = append(ends, w.Name)
		}
		end := func() string { return ends[rng.IntN(len(ends))] }
		content += "expect:\n"
		from, to := "", ""
		for range 6 {
			from, to = end(), end()
			content += fmt.Sprintf("  - %s reaches %s on tcp/%d\n", from, to, 440+rng.IntN(4))
		}
		if rng.IntN(3) == 0 { // which stands against the last for some, or one, of those whom that names
			content += fmt.Sprintf("  - %s never reaches %s on tcp/440-443\n", from, to)
		}
		for range 3 {
			content += fmt.Sprintf("  - %s never reaches %s on tcp/%d\n", end(), end(), 440+rng.IntN(4))
		}
		e, findings := estate.Load(text.One("p", content))
		if len(findings) > 0 { // a line that no estate could keep
			continue
		}
		w := Expectations(e)
		require.NoError(t, w.Uneditable)
		unmet := map[text.Pos]bool{}
		for _, f := range w.Unmet {
			unmet[f.At] = true
			if f.Code == conflict {
				conflicts++
			}
		}
		after, findings, err := e.With(w.Changes)
		require.NoError(t, err)
		require.Empty(t, findings)
		twin := &wirer{e: e, Result: &Result{After: e}}
		for i := range e.Plan.Expect {
			if twin.broken(i) {
				twin.holdOne(i)
			}
		}
		for i := range e.Plan.Expect {
			was, now, alone := expect.One(e, &e.Plan.Expect[i]), expect.One(after, &after.Plan.Expect[i]), expect.One(twin.After, &twin.After.Plan.Expect[i])
			text := fmt.Sprintf("seed %d: %s\n%s", seed, was.Text, content)
			proved := expect.One(w.After, &w.After.Plan.Expect[i])
			require.Equal(t, proved.Holds, now.Holds, text)
			if was.Never {
				require.False(t, was.Holds && now.Counter != nil, text)
				continue
			}
			require.False(t, was.Holds && !now.Holds, text)
			require.False(t, now.Pairs > 0 && !now.Holds && !unmet[was.At], "told neither: %s", text)
			if len(twin.Unmet) == 0 {
				require.Equal(t, alone.Holds, now.Holds, text)
			}
			lines++
			if now.Holds && !was.Holds {
				held++
			}
		}
		for i := range w.Changes {
			less := append(append(text.Changes{}, w.Changes[:i]...), w.Changes[i+1:]...)
			without, findings, err := e.With(less)
			if err != nil || len(findings) > 0 {
				continue // the others cannot even be written without it
			}
			broken := 0
			for j := range without.Plan.Expect {
				if !expect.One(without, &without.Plan.Expect[j]).Holds && expect.One(after, &after.Plan.Expect[j]).Holds {
					broken++
				}
			}
			require.Positive(t, broken, "seed %d: %s is not needed\n%s", seed, w.Changes[i].Why, content)
		}
	}
	t.Log(lines, held, conflicts)
	assert.Greater(t, held, int(fuzz.Rounds(8, 20)))
	assert.Positive(t, conflicts)
}

// TestClosedOut makes groups that let out what lines ask for alone, where the plan says so, and all where it does not.
func TestClosedOut(t *testing.T) {
	const plan = `wendrik: 1
%sprofile: plain
networks:
  n: {range: 10.144.0.0/22, subnets: {a: {range: 10.144.0.0/24}, b: {range: 10.144.1.0/24}}, groups: {g: {in: [], out: [any to any]}}}
workloads: {w: {in: n/a, address: 10.144.0.9}, x: {in: n/b, address: 10.144.1.9}, y: {in: n/b, address: 10.144.1.10, groups: [g]}}
expect: [w reaches x on tcp/443, x reaches y on udp/53]
`
	for word, outs := range map[string][2]string{"": {"[any to any]", "[any to any]"}, "out: open\n": {"[any to any]", "[any to any]"},
		"out: closed\n": {"[]", "[udp/53 to group g]"}} {
		e, findings := estate.Load(text.One("p", fmt.Sprintf(plan, word)))
		require.Empty(t, findings, word)
		r := Estate(e)
		require.Empty(t, r.Unmet, word)
		after := r.After.Plan.Files.First().Text
		assert.Contains(t, after, "x: {in: [tcp/443 from 10.144.0.9/32], out: "+outs[1]+"}", word)
		assert.Contains(t, after, "g: {in: [udp/53 from group x], out: [any to any]}", "what stands is as it was")
	}
}
