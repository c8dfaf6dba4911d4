package text

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"

	"wendrik/internal/fuzz"
)

// places are the paths of all mappings and lists of a tree, but for what lies in lists.
func places(path Path, n *yaml.Node, give func(Path, *yaml.Node)) {
	if n.Kind != yaml.MappingNode && n.Kind != yaml.SequenceNode {
		return
	}
	give(path, n)
	if n.Kind == yaml.MappingNode {
		for i := 0; i < len(n.Content); i += 2 {
			places(path.To(n.Content[i].Value), n.Content[i+1], give)
		}
	}
}

// someEdits are edits at random of a tree, of which none is inside what another touches.
func someEdits(root *yaml.Node, rng *rand.Rand) []Edit {
	var all []Edit
	var taken []Path
	places(nil, root, func(path Path, n *yaml.Node) {
		inside := slices.ContainsFunc(taken, func(p Path) bool { return len(p) <= len(path) && slices.Equal(p, path[:len(p)]) })
		if len(path) == 0 || inside || rng.IntN(3) > 0 {
			return
		}
		value := Word(fmt.Sprint("new-", rng.IntN(100)))
		if rng.IntN(3) == 0 {
			value = Map(Field{"x", value}, Field{"y", Words("a", "b")})
		}
		switch nth := 0; {
		case n.Kind == yaml.MappingNode && len(n.Content) > 0:
			for i := 0; i < len(n.Content); i += 2 {
				key := n.Content[i].Value
				switch rng.IntN(4) {
				case 0:
					all, taken = append(all, Remove(path, key)), append(taken, path.To(key))
				case 1:
					all, taken = append(all, Set(path, key, value)), append(taken, path.To(key))
				}
			}
			if rng.IntN(2) == 0 {
				all = append(all, Set(path, fmt.Sprint("fresh-", len(all)), value))
			}
		case n.Kind == yaml.SequenceNode:
			taken = append(taken, path)
			for range n.Content {
				nth++
				switch rng.IntN(5) {
				case 4:
					all = append(all, Put(path, nth, value))
				case 0:
					all = append(all, RemoveNth(path, nth))
				case 1:
					all = append(all, Insert(path, nth, value))
				}
			}
			if rng.IntN(2) == 0 {
				all = append(all, Add(path, value))
			}
		}
	})
	return all
}

// anyOrder makes edits at once in two orders, and one by one in a third: the texts say the same. It reports whether they could
// be made. Those of one list count its elements as they were, so each list's go together.
func anyOrder(t *testing.T, content string, rng *rand.Rand) bool {
	f := One("t", content).First()
	root, problem := f.parse()
	if problem != nil || root == nil || root.Kind != yaml.MappingNode || !plainTree(root) {
		return false
	}
	edits := someEdits(root, rng)
	for i := range edits {
		edits[i].Lines = rng.IntN(2) == 0
	}
	once, patches, err := f.Apply(edits)
	if err != nil || len(edits) == 0 {
		return false
	}
	rest, from := once, 0
	for _, p := range patches { // what no patch names is as it was
		kept := content[from:p.Start]
		require.Equal(t, kept+p.Text, rest[:len(kept)+len(p.Text)])
		rest, from = rest[len(kept)+len(p.Text):], p.End
	}
	require.Equal(t, content[from:], rest)

	groups := map[string][]Edit{}
	var order []string
	for _, e := range edits {
		at := e.Path.String()
		if e.Key != "" {
			at += "." + e.Key
		}
		if groups[at] == nil {
			order = append(order, at)
		}
		groups[at] = append(groups[at], e)
	}
	rng.Shuffle(len(order), func(i, j int) { order[i], order[j] = order[j], order[i] })
	var shuffled []Edit
	for _, at := range order {
		shuffled = append(shuffled, groups[at]...)
	}
	again, _, err := f.Apply(shuffled)
	require.NoError(t, err, "%q\n%v", content, shuffled)
	requireSaysTheSame(t, once, again)
	step := f
	for _, at := range order {
		after, _, err := step.Apply(groups[at])
		if err != nil {
			return true // laid out so that this one cannot be made alone
		}
		step = One("t", after).First()
	}
	requireSaysTheSame(t, once, step.Text)
	return true
}

// requireSaysTheSame holds that two texts have the same entries, in whatever order; a mapping without entries is as good as none.
func requireSaysTheSame(t *testing.T, a, b string) {
	t.Helper()
	x, y := One("a", a).First(), One("b", b).First()
	left, err := Between(x, y)
	require.NoError(t, err)
	for _, e := range left {
		require.True(t, e.Remove && e.Key != "" || e.Value.kind == yaml.MappingNode && len(e.Value.fields) == 0, "%s\n%s\n%s", e, a, b)
	}
}

// FuzzEdits makes edits in any order on any text.
func FuzzEdits(f *testing.F) {
	f.Add("networks:\n  a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: p}]}}}   # x\n  b:\n    groups:\n      g:\n        in:\n          - tcp/443 from any\n          - udp from a\n        out: []\nexpect: [a, b]\n", uint64(4))
	f.Add("a:\n  b:\n    - x\n    - y\n  c: {d: 1, e: [2, 3, 4]}\n", uint64(1))
	f.Fuzz(func(t *testing.T, content string, seed uint64) {
		defer fuzz.Bound()()
		if len(content) <= fuzz.MaxText {
			anyOrder(t, content, rand.New(rand.NewPCG(seed, 3)))
		}
	})
}

// TestEditsInAnyOrder does so on plans, many times, and most can be made.
func TestEditsInAnyOrder(t *testing.T) {
	made := 0
	for _, name := range []string{"../plan/whole.yaml", "../../../examples/skerry-line/wendrik.yaml"} {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		for seed := range fuzz.Rounds(4, 16) {
			if anyOrder(t, string(raw), rand.New(rand.NewPCG(seed, 5))) {
				made++
			}
		}
	}
	assert.Greater(t, made, int(fuzz.Rounds(6, 30)))
}
