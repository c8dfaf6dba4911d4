package cli_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	plans "wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// asked are commands as they are tried on plans of which parts are missing: A and B are names of the plan, OLD is the plan as it was.
const asked = `carve -why|wire|check|check -fix|check -format sarif|show|show A|show A -whole|reach A B|reach A B -on tcp/443 -fix|grid|grid -by networks|grid -to A|outage|outage -of A
compare OLD|steps OLD|draw estate -o x.svg|draw space -o x.svg|draw change OLD -o x.svg|draw path A B -on tcp/443 -o x.svg|export tables|export hosts|export zone|export values|cut A B|join A B|join A B -only|report -o x.html
renumber A|renumber A -size /20|grow A -hosts 500|rename A zz|space|space -free|overlaps|build -dry`

// TestHalfPlans takes parts away from plans, or puts other words there, as somebody does who is still writing one, and asks every command about what is left: it answers, or
// says what is wrong with the plan, and changes nothing that it was not told to.
func TestHalfPlans(t *testing.T) {
	t.Parallel()
	commands := strings.FieldsFunc(asked, func(r rune) bool { return r == '|' || r == '\n' })
	for seed := range fuzz.Rounds(24, 500) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			rng := rand.New(rand.NewPCG(seed, 91))
			content := estatetest.Plan(t, []string{"coast", "lakes", "more", "skerry-line", "whole"}[rng.IntN(5)])
			folder, names := t.TempDir(), append(namesIn(t, content), "internet", "198.51.100.7", "west")
			old := filepath.Join(folder, "old.yaml")
			require.NoError(t, os.WriteFile(old, []byte(content), 0o644))
			for range 1 + rng.IntN(5) {
				if less, _, err := plans.One("p", content).First().Apply(estatetest.AnyPart(t, content, rng)); err == nil {
					content = less
				}
			}
			write(t, folder, content)
			for range 6 {
				words := strings.Fields(commands[rng.IntN(len(commands))])
				for i, word := range words {
					switch word {
					case "A", "B":
						words[i] = names[rng.IntN(len(names))]
					case "OLD":
						words[i] = "old.yaml"
						if words[0] == "compare" || words[0] == "steps" {
							words = append(words, "wendrik.yaml")
						}
					}
				}
				r := run(t, folder, "", words...)
				assert.Contains(t, []int{0, 1, 2}, r.status, words)
				assert.NotEmpty(t, r.out+r.err, "%s says nothing", words)
				assert.Equal(t, content, read(t, folder), words)
			}
		})
	}
}

// namesIn are names that a plan gives: of what stands in its mappings, and of the parts of its networks.
func namesIn(t *testing.T, content string) (names []string) {
	t.Helper()
	root, found := plans.One("p", content).First().Value(nil)
	require.True(t, found)
	for _, section := range root.Fields() {
		for _, thing := range section.Value.Fields() {
			names = append(names, thing.Key)
			for _, kind := range thing.Value.Fields() {
				if section.Key == "networks" {
					for _, part := range kind.Value.Fields() {
						names = append(names, thing.Key+"/"+part.Key)
					}
				}
			}
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}
