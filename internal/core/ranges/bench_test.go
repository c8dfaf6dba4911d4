package ranges

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// millionLines is a bare list of n ranges, IPv4 and IPv6.
func millionLines(n int) []byte {
	rng := rand.New(rand.NewPCG(27, 28))
	var b strings.Builder
	for range n {
		if rng.IntN(5) == 0 {
			fmt.Fprintf(&b, "fd3a:%x:%x:%x::/64\n", rng.IntN(1<<16), rng.IntN(1<<16), rng.IntN(1<<16))
			continue
		}
		length := 24 + rng.IntN(7)
		a := rng.IntN(1<<24) &^ (1<<(32-length) - 1)
		fmt.Fprintf(&b, "10.%d.%d.%d/%d\n", a>>16, a>>8&255, a&255, length)
	}
	return []byte(b.String())
}

// BenchmarkList reads a list of a million ranges, and finds its overlaps.
func BenchmarkList(b *testing.B) {
	text := millionLines(1_000_000)
	b.Run("read", func(b *testing.B) {
		b.SetBytes(int64(len(text)))
		for b.Loop() {
			if _, err := Read(bytes.NewReader(text), DefaultColumns); err != nil {
				b.Fatal(err)
			}
		}
	})
	list, err := Read(bytes.NewReader(text), DefaultColumns)
	if err != nil {
		b.Fatal(err)
	}
	b.Run("overlaps", func(b *testing.B) {
		for b.Loop() {
			list.Overlaps(100_000)
		}
	})
}
