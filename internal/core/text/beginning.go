package text

import "strings"

// First returns at most so many runes of the beginning of a text.
func First(s string, runes int) string {
	for i := range s {
		if runes == 0 {
			return s[:i]
		}
		runes--
	}
	return s
}

// Short returns a text of at most so many runes; a longer one is cut, and ends in an ellipsis
// beyond them.
func Short(s string, runes int) string {
	if first := First(s, runes); len(first) < len(s) {
		return first + "…"
	}
	return s
}

// FirstWords returns at most so many runes of the beginning of a text, cut between words where
// that does not take more than half of it.
func FirstWords(s string, runes int) string {
	first := First(s, runes)
	if i := strings.LastIndexAny(first, " \n\t"); len(first) < len(s) && i > len(first)/2 {
		first = first[:i]
	}
	return first
}
