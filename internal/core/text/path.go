package text

import (
	"slices"
	"strings"
)

// Path is a place in a plan as the keys that lead to it from the top: networks, booking, range. An element of a list
// is its number, from 1. The zero Path is the whole plan.
type Path []string

// To is the path that leads on by some keys. Neither path shares memory that the other writes to.
func (p Path) To(keys ...string) Path { return slices.Concat(p, keys) }

// String writes the path with dots, as messages do: networks.booking.range.
func (p Path) String() string { return strings.Join(p, ".") }
