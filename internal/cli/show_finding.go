package cli

import (
	"fmt"
	"io"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/text"
)

// finding shows one finding: where, what, the line itself, and below the place in it what would be right.
func (s *screen) finding(w io.Writer, src *text.Files, f diag.Finding) {
	where := clean(src.Where(f.At)) + ":"
	fmt.Fprintln(w, strings.Replace(wrapTo(s.width-4, 4, where+" "+clean(f.Message)), where, place.Sprint(where), 1))
	fix := clean(f.Fix())
	if !f.At.Known() {
		if fix != "" {
			fmt.Fprintf(w, "    %s\n", s.wrap(4, fix))
		}
		return
	}
	line, indent := s.excerpt(src, f.At, s.width-4)
	fmt.Fprintf(w, "    %s\n%s%s", dim.Sprint(line), strings.Repeat(" ", 4+indent), bad.Sprint("^"))
	switch {
	case fix == "":
		fmt.Fprintln(w)
	case 4+indent+2+pretty.StringWidth(fix) <= s.width:
		fmt.Fprintf(w, " %s\n", fix)
	default:
		fmt.Fprintf(w, "\n    %s\n", s.wrap(4, fix))
	}
}

// findings shows findings below a title, when there are any.
func (c *call) findings(title string, all []diag.Finding, src *text.Files) {
	if len(all) == 0 {
		return
	}
	c.say("\n%s", strong.Sprint(title))
	for i, f := range all {
		if i == maxShown {
			c.say("%d more are left out; -format json lists all", len(all)-i)
			return
		}
		c.finding(c.out, src, f)
	}
}

// excerpt is a line of the text, cut to so many columns, and where in it the place is that matters.
func (s *screen) excerpt(src *text.Files, at text.Pos, room int) (shown string, indent int) {
	before, after, whole := src.Around(at, room, room)
	if whole {
		before = strings.TrimLeft(before, " ")
	}
	if runes := []rune(before); len(runes) > room-1 {
		before = string(runes[len(runes)-room/2:])
	}
	before = clean(before)
	after = pretty.Trim(clean(after), max(room-pretty.StringWidth(before), 0))
	return before + after, pretty.StringWidth(before)
}

// diff shows a unified difference, in colour where there is any.
func (s *screen) diff(unified string) {
	for line := range strings.Lines(unified) {
		line = clean(strings.TrimRight(line, "\r\n"))
		switch {
		case strings.HasPrefix(line, "---"), strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "@@"):
			s.say("%s", dim.Sprint(line))
		case strings.HasPrefix(line, "+"):
			s.say("%s", fine.Sprint(line))
		case strings.HasPrefix(line, "-"):
			s.say("%s", bad.Sprint(line))
		default:
			s.say("%s", line)
		}
	}
}

// findingOut is the JSON of a finding. Where says the place in one word, for a person; the keys behind it in parts.
type findingOut struct {
	Code     string `json:"code"`
	Severity string `json:"severity"`
	Where    string `json:"where"`
	What     string `json:"what"`
	Fix      string `json:"fix"`
	Place    string `json:"place"`
	File     string `json:"file"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
}

func findingsJSON(fs []diag.Finding, src *text.Files) []findingOut {
	out := make([]findingOut, 0, len(fs))
	for _, f := range fs {
		place := f.Place.String()
		where := place
		if f.At.Known() {
			where = src.Where(f.At) + " " + place
		}
		out = append(out, findingOut{string(f.Code), string(f.Weight()), where, f.Message, f.Fix(), place, src.Of(f.At).Name, f.At.Line(), f.At.Column()})
	}
	return out
}
