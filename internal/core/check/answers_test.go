package check

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// told tells findings with all that they have, and what a fix that takes a word comes to.
func told(e *estate.Estate, all []diag.Finding) string {
	var b strings.Builder
	for _, f := range all {
		fmt.Fprintf(&b, "%d:%d %s %s %s: %s\n", f.At.Line(), f.At.Column(), f.Code, f.Weight(), f.Place, f.Message)
		for _, x := range f.Fixes {
			choice := ""
			if x.Choice != "" {
				choice = " [" + x.Choice + "]"
			}
			fmt.Fprintf(&b, "  fix%s: %s\n", choice, x)
			for _, edits := range x.Instead {
				fmt.Fprintf(&b, "    or %v\n", edits)
			}
			if x.Takes != nil {
				for _, word := range []string{"10.99.0.0/20", "someone", "x", "10.0.0.0/29"} {
					edits, err := x.Takes(word)
					fmt.Fprintf(&b, "    %s: %v %v\n", word, edits, err)
				}
			}
		}
	}
	return b.String()
}

// TestAnswers tells all that is found in plans, with the fixes.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		content := "wendrik: 1\n" + asked + "\n"
		if !strings.Contains(asked, ":") {
			content = estatetest.Plan(t, asked)
		}
		e := estatetest.Load(t, content)
		return told(e, Run(e))
	})
}

// TestExamplesTold tells all that is found in the two plans of each rule, and takes the fixes that are edits: then nothing of the
// rule is found there.
func TestExamplesTold(t *testing.T) {
	golden.File(t, "examples.txt", func(t *testing.T, asked string) string {
		x, found := Examples[diag.Code(asked)]
		require.True(t, found)
		e := estatetest.Load(t, "wendrik: 1\n"+x.Breaks+"\n")
		broken := Run(e)
		for _, f := range broken {
			if edits := f.Edits(); string(f.Code) == asked && edits != nil {
				after, problems, err := e.With(text.Changes{{Edits: edits}})
				require.NoError(t, err)
				require.Empty(t, problems)
				for _, g := range Run(after) {
					assert.False(t, g.Code == f.Code && g.Message == f.Message, "%s is still found", f.Message)
				}
			}
		}
		keeps := estatetest.Load(t, "wendrik: 1\n"+x.Keeps+"\n")
		return x.Breaks + "\n\n" + told(e, broken) + "\n" + x.Keeps + "\n\n" + told(keeps, Run(keeps))
	})
}

// TestWaived: what is meant is no finding, and by which waiver; one that has run out, that covers nothing, or that nobody can tell
// apart is found itself.
func TestWaived(t *testing.T) {
	const plan = `wendrik: 1
networks:
  pier: {range: 10.144.0.0/20, subnets: {a: {range: 10.144.0.0/24}, b: {range: 10.144.1.0/24}}, groups: {g: {in: [any from any], out: []}, h: {in: [any from any, tcp/22 from any], out: []}}}
  quay: {range: 10.145.0.0/20, groups: {g: {in: [any from any]}}}
workloads: {w: {in: pier/a, address: 10.144.0.10, groups: [g, h]}}
waive:
`
	golden.File(t, "waived.txt", func(t *testing.T, asked string) string {
		e := estatetest.Load(t, plan+asked+"\n")
		found, waived := Judge(e, time.Date(2031, 3, 31, 12, 0, 0, 0, time.UTC))
		return told(e, found) + "waived\n" + golden.Tell(waived)
	})
}
