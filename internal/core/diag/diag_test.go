package diag

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
)

var (
	add    = text.Add(text.Path{"networks", "a"}, text.Word("d"))
	remove = text.Remove(text.Path{"networks"}, "b")
)

// TestWhatFixesSay: edits and advice, and which of many fixes can be made without asking.
func TestWhatFixesSay(t *testing.T) {
	require.NotEmpty(t, add.String())
	assert.Equal(t, add.String()+", and "+remove.String()+", once it is moved", Fix{Edits: []text.Edit{add, remove}, Advice: "once it is moved"}.String())
	assert.Equal(t, add.String(), Fix{Edits: []text.Edit{add}}.String())
	assert.Equal(t, "move it", Fix{Advice: "move it"}.String())
	assert.Nil(t, Advise(""))
	assert.Equal(t, []Fix{{Advice: "move it"}}, Advise("move it"))
	assert.Equal(t, []Fix{{Edits: []text.Edit{add, remove}}}, By(add, remove))

	f := Finding{Fixes: []Fix{{Advice: "move it"}, {Edits: []text.Edit{remove}, Choice: "remove"}, {Edits: []text.Edit{add}}, {Edits: []text.Edit{remove}}}}
	assert.Equal(t, "move it; or "+remove.String()+"; or "+add.String()+"; or "+remove.String(), f.Fix())
	assert.Equal(t, []text.Edit{add}, f.Edits(), "the first with edits that needs no choosing")
	assert.Nil(t, (&Finding{Fixes: f.Fixes[:2]}).Edits())
	assert.Empty(t, (&Finding{}).Fix())

	assert.Equal(t, Error, (&Finding{}).Weight())
	assert.Equal(t, Warning, (&Finding{Severity: Warning}).Weight())
	assert.Equal(t, Pending, (&Finding{Severity: Pending}).Weight())
}

func TestSameAndOrder(t *testing.T) {
	one := Finding{Code: "idle", At: 7, Place: text.Path{"a", "b"}, Message: "x"}
	for name, other := range map[string]Finding{
		"code": {Code: "slot", At: 7, Place: text.Path{"a", "b"}}, "at": {Code: "idle", At: 8, Place: text.Path{"a", "b"}}, "place": {Code: "idle", At: 7, Place: text.Path{"a"}},
	} {
		assert.False(t, one.Same(&other), name)
	}
	assert.True(t, one.Same(&Finding{Code: "idle", At: 7, Place: text.Path{"a", "b"}, Message: "other words"}))

	all := []Finding{{At: 9, Code: "a"}, {At: 3, Code: "b"}, {At: 9, Code: "c"}, {At: 1, Code: "d"}}
	Sort(all)
	assert.Equal(t, "d b a c", fmt.Sprint(all[0].Code, " ", all[1].Code, " ", all[2].Code, " ", all[3].Code))
}

// TestBag: each finding once, a thousand of them, and how many more there are.
func TestBag(t *testing.T) {
	var b Bag
	long := `"` + strings.Repeat("x", 90) + `"`
	assert.False(t, b.Full())
	b.Add(Finding{Code: "late", At: 9_000, Message: "m", Place: text.Path{"p"}})
	b.Add(Finding{Code: "late", At: 9_000, Message: "m"})
	b.Add(Finding{Code: "late", At: 9_000, Message: "n " + long, Fixes: Advise("drop " + long)})
	b.Add(Finding{Code: "late", At: 8_000, Message: "m"})
	b.Add(Finding{Code: "other", At: 9_000, Message: "m"})
	all := b.All()
	require.Len(t, all, 4, "one of those is another")
	assert.Equal(t, text.Pos(8_000), all[0].At)
	assert.Less(t, len(all[2].Message), 90)
	assert.Less(t, len(all[2].Fix()), 90)

	var o Bag
	for i := range MaxFindings - 4 {
		o.Add(Finding{Code: "many", At: text.Pos(1 + i), Message: "m"})
	}
	assert.False(t, o.Full())
	b.Take(&o)
	require.Len(t, b.All(), MaxFindings, "as many as may be, and none is said to lack")
	assert.True(t, b.Full())
	b.Add(Finding{Code: "more", At: 1, Message: "dropped"})
	b.Add(Finding{Code: "many", At: 1, Message: "m"})
	all = b.All()
	require.Len(t, all, MaxFindings+1)
	assert.Equal(t, Finding{Code: More, At: 9_000, Place: all[MaxFindings-1].Place, Message: "2 more problems stand in the text, and are not listed", Fixes: Advise("put those above right first")}, all[MaxFindings])
	var p Bag
	p.Take(&b)
	assert.Contains(t, p.All()[MaxFindings].Message, "2 more", "what one bag dropped, the other counts")
}

func TestNearest(t *testing.T) {
	known := []string{"networks", "workloads", "network", "in", "internet", "naming"}
	for word, want := range map[string]string{
		"netwrks": "networks", "networkz": "networks", "nerwork": "network", "im": "in", "inn": "in", "workload": "workloads", "zzzzzz": "", "x": "", "": "",
		"work": "workloads", "net": "", "inter": "internet", "nam": "naming", strings.Repeat("n", 101): "",
		"ñetworks": "networks", "üüüüüüüü": "",
	} {
		assert.Equal(t, want, Nearest(word, known), word)
	}
	assert.Empty(t, Nearest("nothing", []string{"booking"}), "three letters of seven are another word")
	assert.Equal(t, "reach", Nearest("raech", []string{"reach"}))
	assert.Empty(t, Nearest("aa", []string{strings.Repeat("a", 101)}), "names of any length are known")
	hundred := strings.Repeat("n", 100)
	assert.Equal(t, hundred, Nearest(hundred[:99]+"m", []string{hundred}))
	assert.Equal(t, hundred, Nearest(hundred[:90], []string{hundred}))

	assert.Equal(t, "did you mean networks?", Instead("networkz", "key", known))
	assert.Equal(t, "there is no table at all; write one first", Instead("x", "table", nil))
	assert.Equal(t, "the only one known is networks", Instead("zzz", "key", known[:1]))
	assert.Equal(t, "known are networks, workloads", Instead("zzz", "key", known[:2]))
	eight := []string{"aaa", "bbb", "ccc", "ddd", "eee", "fff", "ggg", "hhh"}
	assert.Equal(t, "known are aaa, bbb, ccc, ddd, eee, fff, ggg, hhh", Instead("zzz", "key", eight))
	assert.Equal(t, "there are 9, among them aaa, bbb, ccc, ddd, eee, fff, ggg, hhh", Instead("zzz", "key", append(eight, "iii")))
}
