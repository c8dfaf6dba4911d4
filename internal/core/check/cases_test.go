package check

import (
	"fmt"
	"strings"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestCases tells the problems, the findings and the lines of expect of plans on which one of them was wrong once.
func TestCases(t *testing.T) {
	golden.File(t, "cases.txt", func(t *testing.T, asked string) string {
		e, problems := estate.Load(text.One("p", "wendrik: 1\n"+asked+"\n"))
		var b strings.Builder
		for _, f := range append(problems, Run(e)...) {
			fmt.Fprintf(&b, "%d:%d %s %s: %s\n", f.At.Line(), f.At.Column(), f.Code, f.Severity, f.Message)
		}
		for _, r := range expect.Run(e, nil) {
			fmt.Fprintf(&b, "%s: holds %v\n", r.Text, r.Holds)
		}
		return b.String()
	})
}
