package editor

import "strings"

// This file lays a text out: how far its lines stand in, and the blanks in them.

// laidOut is a text with two blanks for each step in, and no blanks at the ends of lines, and at most one empty line after another. Lines of texts
// over several lines, and of what is in brackets over several, move with the line that they begin in.
func laidOut(l lines) string {
	var b strings.Builder
	type step struct{ was, is int }
	var steps []step
	moved, empty := 0, 0
	verbatim := -1 // how far a text over several lines stands in at most, so that what is further in belongs to it
	depth := 0     // of brackets that are open over lines
	quote := byte(0)
	for n := range l {
		line := l.at(n)
		end := l[n][len(line):]
		if raw := len(line) - len(strings.TrimLeft(line, " ")); quote == 0 && (verbatim < 0 || raw <= verbatim || raw == len(line)) {
			line = strings.TrimRight(line, " \t")
		}
		trimmed := strings.TrimLeft(line, " ")
		lead := len(line) - len(trimmed)
		if trimmed == "" && quote == 0 {
			if verbatim < 0 {
				if empty++; empty > 1 || n == len(l)-1 {
					continue
				}
			}
			b.WriteString(end)
			continue
		}
		empty = 0
		inside := depth > 0 || quote != 0 || verbatim >= 0 && lead > verbatim
		if verbatim >= 0 && lead <= verbatim {
			verbatim = -1
			inside = depth > 0 || quote != 0
		}
		switch {
		case quote != 0:
			b.WriteString(line)
		case inside:
			b.WriteString(strings.Repeat(" ", max(lead+moved, 0)) + trimmed)
		default:
			if trimmed[0] != '#' {
				for len(steps) > 0 && steps[len(steps)-1].was >= lead {
					steps = steps[:len(steps)-1]
				}
				is := 0
				if len(steps) > 0 {
					is = steps[len(steps)-1].is + 2
				}
				steps = append(steps, step{lead, is})
				for at := 0; strings.HasPrefix(trimmed[at:], "- "); { // what stands in the same line is a step of its own
					next := at + 1 + len(trimmed[at+1:]) - len(strings.TrimLeft(trimmed[at+1:], " "))
					steps = append(steps, step{lead + next, steps[len(steps)-1].is + next - at})
					at = next
				}
				moved = is - lead
			} else {
				moved = commentMoves(l, n, lead, func(to int) int {
					for i := len(steps) - 1; i >= 0; i-- {
						if steps[i].was == to {
							return steps[i].is - to
						}
						if steps[i].was < to {
							return steps[i].is + 2 - to
						}
					}
					return -to
				})
			}
			b.WriteString(strings.Repeat(" ", max(lead+moved, 0)) + trimmed)
		}
		if verbatim < 0 || lead <= verbatim {
			depth, quote = openAfter(line, depth, quote)
			if depth == 0 && quote == 0 {
				if all, rest := levelsOf(line); rest < len(line) && (line[rest] == '|' || line[rest] == '>') {
					verbatim = lead
					if n := len(all); n > 0 {
						verbatim = all[n-1].column
					}
				}
			}
		}
		b.WriteString(end)
	}
	out := strings.TrimRight(b.String(), "\r\n")
	if out == "" {
		return ""
	}
	newline := "\n"
	if strings.HasSuffix(l[0], "\r\n") {
		newline = "\r\n"
	}
	return out + newline
}

// commentMoves is how far a comment moves: with the line that follows it, where that stands as far in.
func commentMoves(l lines, n, lead int, of func(lead int) int) int {
	for i := n + 1; i < len(l); i++ {
		s := l.at(i)
		trimmed := strings.TrimLeft(s, " ")
		if strings.TrimSpace(trimmed) == "" || trimmed[0] == '#' {
			continue
		}
		return of(min(lead, len(s)-len(trimmed)))
	}
	return of(lead)
}

// openAfter is how many brackets, and which quote, are open behind a line.
func openAfter(line string, depth int, quote byte) (int, byte) {
	for i := 0; i < len(line); i++ {
		b := line[i]
		switch {
		case quote == '"' && b == '\\':
			i++
		case quote != 0:
			if b == quote {
				quote = 0
			}
		case b == '#' && (i == 0 || line[i-1] == ' '):
			return depth, 0
		case (b == '"' || b == '\'') && (i == 0 || strings.IndexByte(" [{,", line[i-1]) >= 0):
			quote = b
		case b == '[' || b == '{':
			if depth > 0 || i == 0 || line[i-1] == ' ' {
				depth++
			}
		case (b == ']' || b == '}') && depth > 0:
			depth--
		}
	}
	return depth, quote
}
