package diag

import (
	"fmt"

	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// MaxFindings is how many findings of one text are told: a text from a stranger may hold a mistake in every byte.
const MaxFindings = 1000

// More is the code of the finding that says how many more there are.
const More Code = "more"

// Bag takes findings, each once, up to MaxFindings of them; more are counted.
type Bag struct {
	kept    []Finding
	seen    map[mistake]bool
	dropped int
}

// mistake is what makes a finding the same as another: one that stands behind an alias is met at each use of it.
type mistake struct {
	code    Code
	at      text.Pos
	message string
}

// Full reports whether the bag takes no more, and counts one that would have come, so that its words need not be made.
func (b *Bag) Full() bool {
	if len(b.kept) < MaxFindings {
		return false
	}
	b.dropped++
	return true
}

// Add takes a finding. What its words quote of the text is shortened.
func (b *Bag) Add(f Finding) {
	f.Message = phrase.ClipQuotes(f.Message)
	for i := range f.Fixes {
		f.Fixes[i].Advice = phrase.ClipQuotes(f.Fixes[i].Advice)
	}
	m := mistake{f.Code, f.At, f.Message}
	if b.seen[m] || b.Full() {
		return
	}
	if b.seen == nil {
		b.seen = map[mistake]bool{}
	}
	b.seen[m] = true
	b.kept = append(b.kept, f)
}

// Take takes all of another bag.
func (b *Bag) Take(o *Bag) {
	for _, f := range o.kept {
		b.Add(f)
	}
	b.dropped += o.dropped
}

// All are the findings in the order of the text, and behind the last of them how many more there are.
func (b *Bag) All() []Finding {
	Sort(b.kept)
	if b.dropped == 0 {
		return b.kept
	}
	last := b.kept[len(b.kept)-1]
	return append(b.kept, Finding{Code: More, At: last.At, Place: last.Place,
		Message: fmt.Sprintf("%d more problems stand in the text, and are not listed", b.dropped), Fixes: Advise("put those above right first")})
}
