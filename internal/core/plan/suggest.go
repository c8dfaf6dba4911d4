package plan

import "github.com/agnivade/levenshtein"

// Nearest is the known word that a mistyped one most likely stands for: the one at the least edit distance, when that
// is small for the length of the word. It is empty when none is near.
func Nearest(word string, known []string) string {
	// A stranger's word may be megabytes long, and the distance costs the product of the lengths.
	if len(word) > 100 {
		return ""
	}
	best, least := "", 1+max(1, (len(word)+2)/3)
	for _, k := range known {
		if len(k) > 100 {
			continue
		}
		if n := levenshtein.ComputeDistance(word, k); n < least {
			best, least = k, n
		}
	}
	return best
}
