// Package phrase joins words into phrases for messages.
package phrase

import (
	"fmt"
	"regexp"
	"strings"
)

// List writes things with commas between.
func List[T fmt.Stringer](all []T) string { return Names(all, T.String) }

// Names writes the names of things with commas between.
func Names[T any](all []T, name func(T) string) string {
	words := make([]string, len(all))
	for i, x := range all {
		words[i] = name(x)
	}
	return strings.Join(words, ", ")
}

// And writes words with commas, and "and" before the last.
func And(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// Free is a name that is not taken, as near to the one that is wanted as can be: with a number behind it.
func Free(wanted string, taken func(name string) bool) string {
	free := wanted
	for i := 2; taken(free); i++ {
		free = fmt.Sprintf("%s-%d", wanted, i)
	}
	return free
}

// Count writes a number with the name of what is counted.
func Count(n int, thing string) string {
	switch {
	case n == 1:
		return "1 " + thing
	case strings.Contains(thing, " of "):
		what, of, _ := strings.Cut(thing, " of ")
		return Count(n, what) + " of " + of
	case strings.HasSuffix(thing, "ss"):
		return fmt.Sprintf("%d %ses", n, thing)
	}
	return fmt.Sprintf("%d %ss", n, thing)
}

// Few writes some of many words, and how many more there are.
func Few(words []string, most int) string {
	if len(words) <= most {
		return strings.Join(words, ", ")
	}
	return strings.Join(words[:most-1], ", ") + fmt.Sprintf(" and %d more", len(words)-most+1)
}

// Clip shortens what is quoted of a stranger's text to at most 60 characters.
func Clip(s string) string {
	const most = 60
	runes := []rune(s[:min(len(s), 4*(most+1))])
	if len(runes) <= most {
		return s
	}
	return string(runes[:most-1]) + "…"
}

// longQuote is a quoted text of more than Clip leaves.
var longQuote = regexp.MustCompile(`"(?:[^"\\]|\\.){60,}"`)

// ClipQuotes shortens what a message quotes.
func ClipQuotes(s string) string {
	if len(s) < 60 {
		return s
	}
	return longQuote.ReplaceAllStringFunc(s, func(quote string) string { return `"` + Clip(quote[1:len(quote)-1]) + `"` })
}
