package grid

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestAlikes sorts some workloads of random estates into classes by what the estate keeps of all, and holds that against sorting
// them anew: the same classes, in the same order.
func TestAlikes(t *testing.T) {
	for seed := range fuzz.Rounds(15, 40) {
		rng := rand.New(rand.NewPCG(seed, 3))
		e, findings := estate.Load(text.One("p", randomplan.Write(rng)))
		require.Empty(t, findings)
		for range 5 {
			wanted := map[*estate.Workload]int{}
			for _, x := range e.Workloads {
				if n := rng.IntN(4); n > 0 {
					wanted[x] = n
				}
			}
			anew := newClasses(e, func(x *estate.Workload) int {
				if wanted[x] == 0 {
					return -1
				}
				return wanted[x]*4 + publicness(x)
			})
			kept := alikes(e, wanted)
			require.Len(t, kept, len(anew.Classes), "seed %d", seed)
			for i, c := range kept {
				require.Equal(t, anew.Classes[i].Members, c.Members, "seed %d", seed)
				require.Equal(t, anew.Classes[i].counts, c.counts)
				require.Equal(t, anew.Classes[i].place.network, c.place.network)
			}
		}
		// Parts out of order have classes of their own.
		if parts := e.Parts(); len(parts) > 0 {
			failing := e.Without(parts[rng.IntN(len(parts))])
			require.Equal(t, len(newClassOf(failing, filtersOf(failing))), len(e.Workloads))
		}
	}
}

// TestGather puts differences together, and holds that against looking at every pair of them.
func TestGather(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	names := [][]string{{"a"}, {"b"}, {"a", "b"}, {"c", "d"}, {"e"}}
	for range 200 {
		var all []Difference
		for range rng.IntN(12) {
			all = append(all, Difference{From: names[rng.IntN(len(names))], To: names[rng.IntN(len(names))], Flows: someFlows[rng.IntN(len(someFlows))]})
		}
		var slow []Difference
		for _, y := range all {
			i := slices.IndexFunc(slow, func(x Difference) bool { return x.Flows.Equal(y.Flows) && slices.Equal(x.From, y.From) })
			if i < 0 {
				slow = append(slow, Difference{From: y.From, To: slices.Clone(y.To), Flows: y.Flows})
			} else {
				slow[i].To = append(slow[i].To, y.To...)
			}
		}
		fast := gather(slices.Clone(all), fromOf, toOf)
		require.Len(t, fast, len(slow))
		for i := range slow {
			require.Equal(t, slow[i].From, fast[i].From)
			require.Equal(t, slow[i].To, fast[i].To)
			require.True(t, slow[i].Flows.Equal(fast[i].Flows))
		}
		for _, n := range names { // the lists that many share are as they were
			require.LessOrEqual(t, len(n), 2)
		}
	}
}

var someFlows = func() []flow.Set {
	var all []flow.Set
	for _, word := range []string{"tcp/443", "udp/53", "icmp"} {
		f, err := flow.Parse(word)
		if err != nil {
			panic(err)
		}
		all = append(all, f)
	}
	return all
}()
