package estate

import (
	"bytes"
	"testing"

	"go.yaml.in/yaml/v4"

	"wendrik/internal/core/plan"
	"wendrik/internal/randomplan"
)

// BenchmarkLoad reads a plan of 1,000 networks, 10,000 subnets and 100,000 workloads and binds its names, beside what
// the YAML library needs for its node tree alone.
func BenchmarkLoad(b *testing.B) {
	text := []byte(randomplan.Large(1000))
	b.Run("the library alone", func(b *testing.B) {
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
	b.Run("read and bound", func(b *testing.B) {
		b.SetBytes(int64(len(text)))
		for b.Loop() {
			if _, findings := Load(plan.NewSource("p", text)); len(findings) > 0 {
				b.Fatal(findings[0])
			}
		}
	})
}
