package diag

import (
	"fmt"
	"strings"

	"github.com/agnivade/levenshtein"
)

// Nearest is the known word that a mistyped one most likely stands for: the one at the least edit distance, when that
// is small for the length of the word. It is empty when none is near.
func Nearest(word string, known []string) string {
	// A stranger's word may be megabytes long, and the distance costs the product of the lengths.
	if len(word) > 100 {
		return ""
	}
	best, least := "", 1+max(1, min((len(word)+2)/3, max(2, len(word)/3)))
	longer, longerOnes := "", 0
	for _, k := range known {
		if len(k) > 100 {
			continue
		}
		if word != "" && strings.HasPrefix(k, word) {
			longer = k
			longerOnes++
		}
		if max(len(k)-len(word), len(word)-len(k)) >= 4*least {
			continue // the distance is of characters, of up to four bytes
		}
		if n := levenshtein.ComputeDistance(word, k); n < least {
			best, least = k, n
		}
	}
	if best == "" && longerOnes == 1 {
		return longer // a name that was not written to its end
	}
	return best
}

// Instead says what a word that names nothing may have meant, of the known ones of its kind.
func Instead(word, kind string, known []string) string {
	switch near := Nearest(word, known); {
	case near != "":
		return fmt.Sprintf("did you mean %s?", near)
	case len(known) == 0:
		return fmt.Sprintf("there is no %s at all; write one first", kind)
	case len(known) == 1:
		return "the only one known is " + known[0]
	case len(known) > 8:
		return fmt.Sprintf("there are %d, among them %s", len(known), strings.Join(known[:8], ", "))
	}
	return "known are " + strings.Join(known, ", ")
}
