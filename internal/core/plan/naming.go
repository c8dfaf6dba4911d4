package plan

import (
	"regexp"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/wrong"
)

// The words that a pattern of names may hold in braces.
var patternWords = []string{"network", "tier", "zone", "region", "slot"}

var inBraces = regexp.MustCompile(`\{[^{}]*\}?|\}`)

// CheckPattern says what is wrong with a pattern of names, such as {tier}-{zone}.
func CheckPattern(pattern string) error {
	for _, found := range inBraces.FindAllString(pattern, -1) {
		word := strings.Trim(found, "{}")
		if "{"+word+"}" != found || !slices.Contains(patternWords, word) {
			fix := "{" + strings.Join(patternWords, "}, {") + "}"
			if near := diag.Nearest(word, patternWords); near != "" {
				fix = "{" + near + "}"
			}
			return wrong.Value("write "+fix, "the pattern %q has no word %s", pattern, found)
		}
	}
	if example := FillPattern(pattern, func(string) string { return "a0" }); !nameForm.MatchString(example) {
		return wrong.Value("write small letters, digits, dashes and words in braces, such as {tier}-{zone}", "the pattern %q makes no names", pattern)
	}
	return nil
}

// FillPattern puts values in the place of the words of a pattern. Where a value is empty, the dash before or behind it
// goes too.
func FillPattern(pattern string, value func(word string) string) string {
	var b strings.Builder
	for rest := pattern; rest != ""; {
		text, after, found := strings.Cut(rest, "{")
		b.WriteString(text)
		if !found {
			break
		}
		word, behind, _ := strings.Cut(after, "}")
		b.WriteString(value(word))
		rest = behind
	}
	name := b.String()
	for strings.Contains(name, "--") {
		name = strings.ReplaceAll(name, "--", "-")
	}
	return strings.Trim(name, "-")
}
