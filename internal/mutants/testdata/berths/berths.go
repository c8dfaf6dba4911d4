// Package berths is broken by the test of the mutants.
package berths

import (
	"errors"
	"slices"
)

// Kind is of a ship.
type Kind int

// The kinds.
const (
	Ferry Kind = iota
	Tug
)

// Free are the berths that no ship has, of those that are long enough; berths stays as it is.
func Free(berths []int, taken map[int]bool, length int) ([]int, error) {
	if length < 1 {
		return nil, errors.New("a ship has a length")
	}
	free := slices.Clone(berths)
	free = slices.DeleteFunc(free, func(b int) bool { return taken[b] || b < length })
	return free, nil
}

// Ends are the first and the last of some berths.
func Ends(berths []int) (first, last int) {
	for _, b := range berths {
		if first == 0 {
			first = b
		}
		last = b
	}
	return first, last
}

var lengths = map[Kind]int{Ferry: 90, Tug: 20}

// Length is what a ship of a kind needs.
func Length(k Kind) int { return lengths[k] }

// Idle is asked by no test.
func Idle(n int) bool { return n == 0 }
