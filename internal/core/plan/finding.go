package plan

import (
	"cmp"
	"slices"
)

// Severity says how much a finding matters.
type Severity string

// An Error keeps a plan, or an answer, from being right; a Warning is doubtful and may be meant.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
)

// A Finding is one thing that is wrong or doubtful in a plan. All parts of Wendrik report in this shape.
type Finding struct {
	Code     string   // a short, stable name for the kind of finding, such as host-bits
	Severity Severity // Error when empty
	At       Pos
	Place    string // the place in the plan's own words, such as networks.booking.range
	Message  string // what is wrong, as a sentence without its full stop
	Fix      string // what would be right, likewise; may be empty
	Edits    []Edit // the fix as changes to the text, where it can be written as such
}

// SortFindings orders findings by place in the text, keeping the order in which those of one place were made.
func SortFindings(fs []Finding) {
	slices.SortStableFunc(fs, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.At.Line, b.At.Line), cmp.Compare(a.At.Column, b.At.Column))
	})
}
