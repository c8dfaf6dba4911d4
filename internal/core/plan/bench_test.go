package plan

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"go.yaml.in/yaml/v4"

	"wendrik/internal/core/text"
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
		content := wide(n)
		b.Run(fmt.Sprintf("%d networks, the library alone", n), func(b *testing.B) {
			b.SetBytes(int64(len(content)))
			for b.Loop() {
				loader, err := yaml.NewLoader(bytes.NewReader(content))
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
			b.SetBytes(int64(len(content)))
			for b.Loop() {
				if p, found := Decode(text.One("p", string(content))); len(found.All()) > 0 || len(p.Networks) != n {
					b.Fatal(found.All())
				}
			}
		})
	}
}

// BenchmarkApply adds a subnet to each of many networks.
func BenchmarkApply(b *testing.B) {
	for _, n := range []int{2_000, 20_000} {
		src := text.One("p", string(wide(n))).First()
		var edits []text.Edit
		for i := range n {
			path := text.Path{"networks", fmt.Sprintf("net-%d", i), "subnets"}
			edits = append(edits, text.Set(path, "new", text.Map(text.Field{Key: "tier", Value: text.Word("web")}, text.Field{Key: "range", Value: text.Word("10.0.0.80/28")})))
		}
		b.Run(fmt.Sprintf("%d edits", n), func(b *testing.B) {
			for b.Loop() {
				if _, _, err := src.Apply(edits); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
