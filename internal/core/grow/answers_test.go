package grow

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
	"wendrik/internal/golden"
)

// TestAnswers makes room in estates that a line asks about: names, hosts=N, zone=Z and stay. It tells the steps, what has no room, what is to be
// asked for, and the lines that are new.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		line, plan, _ := strings.Cut(asked, "\n")
		var q Request
		for _, word := range strings.Fields(line) {
			key, value, is := strings.Cut(word, "=")
			switch {
			case key == "stay":
				q.Stay = true
			case !is && word != "all":
				q.Names = append(q.Names, word)
			case key == "hosts":
				q.Hosts, _ = strconv.Atoi(value)
			case key == "zone":
				q.Zone = value
			}
		}
		e, problems := estate.Load(text.One("wendrik.yaml", "wendrik: 1\n"+plan+"\n"))
		require.Empty(t, problems)
		r, err := Of(e, q)
		if err != nil {
			return fmt.Sprintf("error: %s; %s", err, wrong.Right(err))
		}
		var b strings.Builder
		for _, x := range r.Steps {
			fmt.Fprintf(&b, "%s %s %s %s, %s\n", x.What, x.Does, x.Was, x.Is, x.Why)
		}
		for _, s := range r.NoRoom {
			b.WriteString("no room: " + s + "\n")
		}
		for _, s := range r.Told {
			b.WriteString("told: " + s + "\n")
		}
		had := map[string]bool{}
		for s := range strings.Lines(e.Plan.Files.First().Text) {
			had[s] = true
		}
		for s := range strings.Lines(r.After.Plan.Files.First().Text) {
			if !had[s] {
				b.WriteString("+ " + s)
			}
		}
		return b.String()
	})
}
