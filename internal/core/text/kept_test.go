package text

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestKeptTrees makes edits after edits in a file that keeps what it has read, and holds each result against a file that has read
// nothing yet: the same text, and a tree that says the same.
func TestKeptTrees(t *testing.T) {
	contents := []string{
		"a: &x {b: 1, c: [p, q]}\nd: *x\ne:\n  f: g\n  h: [1, 2, 3]\n",
		"networks:\n  n: {range: 10.0.0.0/16, tables: {m: {routes: [{to: 10.1.0.0/16, via: s}, {to: 10.2.0.0/16, via: s}]}}}\nexpect:\n  - a reaches b\n",
	}
	for i, content := range contents {
		rng := rand.New(rand.NewPCG(uint64(i), 8))
		kept := &File{Name: "p", Text: content}
		for range 60 {
			root := mustParse(t, kept.Text)
			edits := someEdits(root, rng)
			if len(edits) == 0 {
				continue
			}
			want, _, errWant := (&File{Name: "p", Text: kept.Text}).Apply(edits)
			got, _, errGot := kept.Apply(edits)
			require.Equal(t, errWant == nil, errGot == nil, "%v and %v", errWant, errGot)
			require.Equal(t, want, got)
			again, _, _ := kept.Apply(edits)
			require.Equal(t, got, again, "what was read is not changed by edits")
			if errGot != nil || len(got) > 4000 {
				continue
			}
			set := NewFiles(nil)
			set.all = append(set.all, kept)
			changed, err := set.Apply(edits)
			require.NoError(t, err)
			next := set.With(changed).First()
			require.Equal(t, got, next.Text)
			tree, problem := next.Tree()
			require.Nil(t, problem)
			requireSame(t, mustParse(t, got), tree.Root())
			kept = next
		}
	}
}

// TestValueOfPaths looks things up by their paths, through aliases and lists.
func TestValueOfPaths(t *testing.T) {
	f := &File{Name: "p", Text: "a: &x {b: one, c: [p, {q: r}], e: }\nd: *x\n"}
	for path, want := range map[string]string{"a.b": "[one]", "d.b": "[one]", "a.c": "[p, {q: r}]", "d.c.2.q": "[r]", "d.c.1": "[p]"} {
		v, found := f.Value(at(path))
		require.True(t, found, path)
		require.Equal(t, want, v.String(), path)
	}
	for _, path := range []string{"a.x", "a.c.3", "a.c.0", "a.c.x", "a.b.c", "a.e"} {
		_, found := f.Value(at(path))
		require.False(t, found, path)
	}
}

// TestInTheirPlace puts elements before ones that go at the same time, in whatever order that is said.
func TestInTheirPlace(t *testing.T) {
	for _, c := range []struct {
		nth  int
		gone []int
		want string
	}{{2, []int{2}, "[a, x, c]"}, {3, []int{3}, "[a, b, x]"}, {1, []int{1}, "[x, b, c]"}, {2, []int{2, 3}, "[a, x]"}, {1, []int{1, 2}, "[x, c]"}, {2, []int{1, 3}, "[x, b]"}, {1, []int{1, 2, 3}, "[x]"}} {
		for _, content := range []string{"l: [a, b, c]\n", "l:\n  - a\n  - b\n  - c\n"} {
			edits := []Edit{Insert(at("l"), c.nth, Word("x"))}
			for _, n := range c.gone {
				edits = append(edits, RemoveNth(at("l"), n))
			}
			for range 2 {
				after, _, err := (&File{Name: "p", Text: content}).Apply(edits)
				require.NoError(t, err, "%v in %q", edits, content)
				v, found := (&File{Name: "p", Text: after}).Value(at("l"))
				require.True(t, found)
				require.Equal(t, c.want, v.String(), "%v in %q: %q", edits, content, after)
				slices.Reverse(edits)
			}
		}
	}
}
