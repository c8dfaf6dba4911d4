package estate

import (
	"testing"

	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// kept is a cache in memory.
type kept map[string][]byte

func (k kept) Load(text string) []byte         { return k[text] }
func (k kept) Store(text string, value []byte) { k[text] = value }

// BenchmarkLoad reads a plan of 1,000 networks, 10,000 subnets and 100,000 workloads and binds its names: anew, and with
// its tree out of a cache.
func BenchmarkLoad(b *testing.B) {
	content := randomplan.Large(1000)
	cache := kept{}
	for name, c := range map[string]text.Cache{"read and bound": nil, "out of the cache and bound": cache} {
		text.NewFiles(c).Add("p", content).Tree()
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(content)))
			for b.Loop() {
				files := text.NewFiles(c)
				files.Add("p", content)
				if _, findings := Load(files); len(findings) > 0 {
					b.Fatal(findings[0])
				}
			}
		})
	}
}
