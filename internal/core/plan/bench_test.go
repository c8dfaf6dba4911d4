package plan

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"go.yaml.in/yaml/v4"
)

// wide is a plan of n networks with five subnets each.
func wide(n int) []byte {
	var b strings.Builder
	b.WriteString("wendrik: 1\nnetworks:\n")
	for i := range n {
		fmt.Fprintf(&b, "  net-%d:\n    region: west\n    range: 10.%d.%d.0/24\n    subnets:\n", i, i/256%256, i%256)
		for j := range 5 {
			fmt.Fprintf(&b, "      web-%d: {tier: web, zone: west-a, range: 10.%d.%d.%d/28}\n", j, i/256%256, i%256, j*16)
		}
	}
	return []byte(b.String())
}

// BenchmarkDecode reads a plan beside the YAML library alone, which makes the node tree that decoding starts from.
func BenchmarkDecode(b *testing.B) {
	for _, n := range []int{2_000, 20_000} {
		text := wide(n)
		b.Run(fmt.Sprintf("%d networks, the library alone", n), func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				loader, err := yaml.NewLoader(bytes.NewReader(text))
				if err != nil {
					b.Fatal(err)
				}
				var node yaml.Node
				if err := loader.Load(&node); err != nil {
					b.Fatal(err)
				}
			}
		})
		b.Run(fmt.Sprintf("%d networks, decoded", n), func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				if p, problems := Decode(NewSource("p", text)); len(problems) > 0 || len(p.Networks) != n {
					b.Fatal(problems)
				}
			}
		})
	}
}

// BenchmarkApply adds a subnet to each of many networks.
func BenchmarkApply(b *testing.B) {
	for _, n := range []int{2_000, 20_000} {
		src := NewSource("p", wide(n))
		var edits []Edit
		for i := range n {
			path := []string{"networks", fmt.Sprintf("net-%d", i), "subnets"}
			edits = append(edits, Edit{Path: path, Key: "new", Value: Map(Field{"tier", Word("web")}, Field{"range", Word("10.0.0.80/28")})})
		}
		b.Run(fmt.Sprintf("%d edits", n), func(b *testing.B) {
			for b.Loop() {
				if _, _, err := Apply(src, edits); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
