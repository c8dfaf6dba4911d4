package steps

import (
	"maps"
	"slices"
	"strings"
)

// This file finds what a step cannot be made without.

// needs finds for each step those before it without which it cannot be made: those that make what it is in, and those without which the plan
// cannot be read then, as a route before the gateway that it leads to goes. Of a large estate, and of many steps, some are not tried, and those
// are needed that make what a step names.
func (f *finder) needs() {
	steps, tries := f.done, maxNeedTries
	defer func() { f.done = steps }()
	if len(f.old.Workloads) > maxSearched {
		tries = 2 * maxAhead
	}
	made := map[string]int{}
	closed := make([]map[int]bool, len(steps)) // all that a step needs, also for what it needs
	for i := range steps {
		s := &steps[i]
		within, named := map[int]bool{}, map[int]bool{}
		for n := 1; n < len(s.Place); n++ {
			if k, found := made[s.Place[:n].String()]; found {
				within[k] = true
			}
		}
		said := strings.FieldsFunc(s.Text, func(r rune) bool { return !strings.ContainsRune("abcdefghijklmnopqrstuvwxyz0123456789-", r) })
		for key, k := range made {
			if word := key[strings.LastIndex(key, ".")+1:]; slices.Contains(said, word) {
				named[k] = true
			}
		}
		all, ok := f.without(steps[:i], *s, within, &tries)
		if !ok {
			maps.Copy(within, named)
			all = slices.Sorted(maps.Keys(within))
		}
		closed[i] = map[int]bool{}
		for _, k := range all {
			closed[i][k] = true
			maps.Copy(closed[i], closed[k])
		}
		s.Needs = nil
		for _, k := range all { // but for what is needed for another that is
			if !slices.ContainsFunc(all, func(o int) bool { return o != k && closed[o][k] }) {
				s.Needs = append(s.Needs, k+1)
			}
		}
		for _, e := range s.Edits {
			if e.Key != "" && !e.Remove && f.was(e) == "" && len(e.Path) > 0 {
				made[e.Path.To(e.Key).String()] = i
			}
		}
	}
}

// without leaves out of the steps before one, by number from 0, those without which it can be made, halves and quarters of them at a time; kept
// are left in. It reports false where that takes too many tries.
func (f *finder) without(before []Step, s Step, kept map[int]bool, tries *int) (all []int, ok bool) {
	readable := func(some []int) bool {
		f.done = nil
		for _, k := range some {
			f.done = append(f.done, before[k])
		}
		*tries--
		return f.state(s) != nil
	}
	if all = slices.Sorted(maps.Keys(kept)); readable(all) {
		return all, true
	}
	all = nil
	for k := range before {
		all = append(all, k)
	}
	for size := (len(all) + 1) / 2; size > 0 && len(all) > 0; size /= 2 {
		for end := len(all); end > 0; end -= size { // the last first: others rest on the first
			if *tries <= 0 {
				return nil, false
			}
			start := max(0, end-size)
			rest := slices.Clone(all[:start])
			for i, k := range all[start:] {
				if start+i >= end || kept[k] {
					rest = append(rest, k)
				}
			}
			if len(rest) < len(all) && readable(rest) {
				all = rest
			}
		}
	}
	return all, true
}
