// Package text holds what the core knows about written language: words and
// their stems, sentences, and the details people put into free text (names,
// e-mail addresses, phone numbers, dates). Everything here computes; nothing
// reads a clock, a file or the network.
package text

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// A Word is a run of letters and digits in a text, folded for comparison.
type Word struct {
	Folded     string // lower case, without accents and apostrophes
	Start, End int    // byte offsets in the text it came from
}

// Words returns the words of s in order. An apostrophe inside a word belongs to
// it ("can't" is one word, folded to "cant").
func Words(s string) []Word {
	words := make([]Word, 0, len(s)/6+1)
	start := -1
	flush := func(end int) {
		if start >= 0 {
			words = append(words, Word{Fold(s[start:end]), start, end})
			start = -1
		}
	}
	for i, r := range s {
		switch {
		case unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.Is(unicode.Mn, r):
			if start < 0 {
				start = i
			}
		case (r == '\'' || r == '’') && start >= 0 && nextIsLetter(s[i:], r):
		default:
			flush(i)
		}
	}
	flush(len(s))
	return words
}

func nextIsLetter(rest string, mark rune) bool {
	for _, r := range strings.TrimPrefix(rest, string(mark)) {
		return unicode.IsLetter(r)
	}
	return false
}

// Fold lower-cases s and removes accents and apostrophes, so that "Café" and
// "cafe" compare equal.
func Fold(s string) string {
	plain := true
	for i := 0; i < len(s); i++ {
		if c := s[i]; c >= 0x80 || c == '\'' || ('A' <= c && c <= 'Z') {
			plain = false
			break
		}
	}
	if plain {
		return s
	}
	var b strings.Builder
	b.Grow(len(s))
	for _, r := range norm.NFKD.String(s) {
		if r == '\'' || r == '’' || unicode.Is(unicode.Mn, r) {
			continue
		}
		b.WriteRune(unicode.ToLower(r))
	}
	return b.String()
}

// Squeeze trims s and turns every run of white space into one space.
func Squeeze(s string) string { return strings.Join(strings.Fields(s), " ") }
