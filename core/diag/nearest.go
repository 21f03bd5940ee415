package diag

import "strings"

// Nearest returns the candidate closest to word, when it is close enough to
// be what was meant: at most one slip for every three characters (rounded up for two).
func Nearest(word string, candidates []string) (string, bool) {
	word = strings.ToLower(word)
	length := len([]rune(word))
	best, bestAt := "", length/3+1
	if length == 2 {
		bestAt = 2 // a slip in a word of three letters: rn for run
	}
	for _, c := range candidates {
		if d := distance(word, strings.ToLower(c)); d < bestAt {
			best, bestAt = c, d
		}
	}
	return best, best != ""
}

// DidYouMean is Nearest as a sentence, empty when nothing is near.
func DidYouMean(word string, candidates []string) string {
	if near, ok := Nearest(word, candidates); ok {
		return "Did you mean " + near + "?"
	}
	return ""
}

// distance counts insertions, deletions, replacements and swaps of
// neighbours (the restricted Damerau–Levenshtein distance).
func distance(a, b string) int {
	s, t := []rune(a), []rune(b)
	if len(s) > 64 || len(t) > 64 {
		return 65
	}
	var before, last, row [65]int
	for j := range len(t) + 1 {
		last[j] = j
	}
	for i := 1; i <= len(s); i++ {
		row[0] = i
		for j := 1; j <= len(t); j++ {
			cost := 1
			if s[i-1] == t[j-1] {
				cost = 0
			}
			row[j] = min(row[j-1]+1, last[j]+1, last[j-1]+cost)
			if i > 1 && j > 1 && s[i-1] == t[j-2] && s[i-2] == t[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last = last, row
	}
	return last[len(t)]
}
