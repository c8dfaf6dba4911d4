package plan

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// FuzzApply makes the edits that carve makes in any text. When an edit is made, the result decodes to the plan that
// was meant, and every line that no patch touches is there as it was.
func FuzzApply(f *testing.F) {
	whole, err := os.ReadFile("whole.yaml")
	require.NoError(f, err)
	f.Add(whole)
	f.Add([]byte("networks: {booking: {size: /20}}"))
	f.Add([]byte("networks:\n  booking:\n    size: /20\n    subnets: {}\r\n# x"))
	f.Add([]byte("networks:\n  booking: &a\n    size: |\n     /20\n   \n    subnets:\nx: *a"))
	f.Fuzz(func(t *testing.T, content []byte) {
		defer fuzz.Bound()()
		if len(content) > fuzz.MaxText {
			t.Skip()
		}
		files := text.One("t", string(content))
		before, found := Decode(files)
		problems := found.All()
		var booking *Network
		for _, n := range before.Networks {
			if n.Name.Value == "booking" {
				booking = n
			}
		}
		if len(problems) > 0 || booking == nil || !booking.Size.Given() || len(booking.Ranges) > 0 {
			return
		}
		for _, s := range booking.Subnets {
			if s.Name.Value == "new-a" || s.Name.Value == "new-b" {
				return
			}
		}
		subnet := text.Map(text.Field{Key: "range", Value: text.Word("10.144.0.0/24")})
		place := text.Path{"networks", "booking"}
		after, patches, err := files.First().Apply([]text.Edit{
			text.Replace(place, "size", "range", text.Word("10.144.0.0/20")),
			text.Set(place.To("subnets"), "new-a", subnet),
			text.Set(place.To("subnets"), "new-b", subnet),
		})
		if err != nil {
			return
		}
		got, foundAfter := Decode(text.One("t", after))
		problems = foundAfter.All()
		require.Empty(t, problems, "%s", after)
		require.Len(t, got.Networks, len(before.Networks))
		for i, n := range got.Networks {
			old := before.Networks[i]
			if n.Name.Value != "booking" {
				require.Len(t, n.Subnets, len(old.Subnets))
				require.Equal(t, old.Size.Value, n.Size.Value)
				continue
			}
			require.Len(t, n.Subnets, len(old.Subnets)+2)
			require.Equal(t, "10.144.0.0/20", n.Ranges[0].String())
			require.False(t, n.Size.Given())
		}
		requireUntouched(t, string(content), after, patches)
	})
}

// requireUntouched checks that all bytes outside the patches are the same, in the same order.
func requireUntouched(t *testing.T, before, after string, patches []text.Patch) {
	from := 0
	for _, p := range patches {
		kept := before[from:p.Start]
		require.True(t, strings.HasPrefix(after, kept))
		after = after[len(kept):]
		require.True(t, strings.HasPrefix(after, p.Text))
		after, from = after[len(p.Text):], p.End
	}
	require.Equal(t, before[from:], after)
}
