// Package diag is what all parts of Wendrik report: findings, each with its place and the fixes that would end it. A
// fix is edits where it can be written as such, and its words come from them.
package diag

import (
	"cmp"
	"slices"
	"strings"

	"wendrik/internal/core/text"
)

// Code is a short, stable name for a kind of finding, such as host-bits. Each package declares those of its own.
type Code string

// Severity says how much a finding matters.
type Severity string

// An Error keeps a plan, or an answer, from being right; a Warning is doubtful and may be meant.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
	// Pending is what is not yet given, and no mistake: another command gives it.
	Pending Severity = "pending"
)

// A Finding is one thing that is wrong or doubtful in a plan.
type Finding struct {
	Code     Code
	Severity Severity // Error when empty
	At       text.Pos
	Place    text.Path
	Message  string // what is wrong, as a sentence without its full stop
	Fixes    []Fix  // ways to end it, the best first; may be empty
	Beside   []Beside
}

// Beside is another place that a finding is about, such as the other end of an overlap, and what stands there.
type Beside struct {
	At   text.Pos
	What string
}

// A Fix ends a finding: by edits of the plan, or, where a person must choose or act, by advice. With both, the advice
// says on what the edits depend, or what else they take.
type Fix struct {
	Edits   []text.Edit
	Advice  string        // a clause without its full stop
	Instead [][]text.Edit // edits that would do as well, each for less than those before: for one subnet, for one host
	// Choice is the word by which a person chooses the fix; empty for one that needs no choosing. In capitals it is what
	// must be given, and Takes makes the edits of it.
	Choice string
	Takes  func(word string) ([]text.Edit, error)
}

// Advise is a fix that no edit can say; none for empty words.
func Advise(words string) []Fix {
	if words == "" {
		return nil
	}
	return []Fix{{Advice: words}}
}

// By is a fix by edits.
func By(edits ...text.Edit) []Fix { return []Fix{{Edits: edits}} }

// String says what the fix does: what each of its edits does, and the advice.
func (f Fix) String() string {
	var words []string
	for _, e := range f.Edits {
		words = append(words, e.String())
	}
	said := strings.Join(words, ", and ")
	if said != "" && f.Advice != "" {
		return said + ", " + f.Advice
	}
	return said + f.Advice
}

// Fix says all fixes of the finding in one clause; empty when there is none.
func (f *Finding) Fix() string {
	var words []string
	for _, x := range f.Fixes {
		words = append(words, x.String())
	}
	return strings.Join(words, "; or ")
}

// Edits are those of the first fix that has some, and that needs no choosing.
func (f *Finding) Edits() []text.Edit {
	for _, x := range f.Fixes {
		if len(x.Edits) > 0 && x.Choice == "" {
			return x.Edits
		}
	}
	return nil
}

// Weight is the severity of the finding, Error when none was given.
func (f *Finding) Weight() Severity {
	if f.Severity == "" {
		return Error
	}
	return f.Severity
}

// Same reports whether two findings are of one kind at one place.
func (f *Finding) Same(o *Finding) bool {
	return f.Code == o.Code && f.At == o.At && slices.Equal(f.Place, o.Place)
}

// Sort orders findings by place in the text, keeping the order in which those of one place were made.
func Sort(fs []Finding) {
	slices.SortStableFunc(fs, func(a, b Finding) int { return cmp.Compare(a.At, b.At) })
}
