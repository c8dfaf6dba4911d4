package build

import (
	"slices"

	"wendrik/internal/core/stock"
)

// This file has those who join two owners do what each of them may.

// asOwners are acts as the owners can do them: who makes what joins two accepts its own side with that, and who did not make it accepts
// its side and changes nothing else.
func (j *Job) asOwners(acts []stock.Act) []stock.Act {
	for i := range acts {
		if acts[i].Verb == stock.Make {
			acts = j.ownSideFirst(acts, i)
		}
	}
	return withoutSome(acts, func(a *stock.Act) bool {
		item := j.There.Item(a.Thing.Key())
		if a.Verb != stock.Change || item == nil || len(item.Sides()) == 0 || slices.Contains(j.Owners.ours, item.At.Owner) {
			return false
		}
		_, takesBack := a.Props["accepted"]
		return !takesBack
	})
}

// ownSideFirst has making what joins two accept the side of its maker alone, and the other side be accepted behind that.
func (j *Job) ownSideFirst(acts []stock.Act, n int) []stock.Act {
	made := &acts[n]
	first, _ := made.Props["accepted"].([]string)
	key := made.Thing.Key()
	if len(first) != 1 || j.Owners.Of(first[0]) == j.Owners.Of(key) {
		return acts
	}
	for i := range acts {
		if a := &acts[i]; a.Verb == stock.Accept && a.Thing.Key() == key && j.Owners.Of(a.Side) == j.Owners.Of(key) {
			made.Props["accepted"], a.Side = []string{a.Side}, first[0]
			return acts
		}
	}
	delete(made.Props, "accepted") // the maker's own side is not to be accepted
	return append(acts, stock.Act{Verb: stock.Accept, Thing: made.Thing, Side: first[0], After: []int{n}})
}

// withoutSome are acts without some; what waited for one of these waits for what that waited for.
func withoutSome(acts []stock.Act, drop func(*stock.Act) bool) []stock.Act {
	at := make([]int, len(acts)) // where each is among those that are left, or -1
	var left []stock.Act
	for i := range acts {
		if at[i] = len(left); drop(&acts[i]) {
			at[i] = -1
			continue
		}
		left = append(left, acts[i])
	}
	if len(left) == len(acts) {
		return acts
	}
	for i := range left {
		var after []int
		seen := map[int]bool{}
		var follow func(all []int)
		follow = func(all []int) {
			for _, n := range all {
				switch {
				case seen[n]:
				case at[n] >= 0:
					seen[n] = true
					after = append(after, at[n])
				default:
					seen[n] = true
					follow(acts[n].After)
				}
			}
		}
		follow(left[i].After)
		left[i].After = after
	}
	return left
}
