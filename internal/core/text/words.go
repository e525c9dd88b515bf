// Package text holds what the core knows about written language: words and
// their stems, sentences, and the details people put into free text (names,
// e-mail addresses, phone numbers, dates). Everything here computes; nothing
// reads a clock, a file or the network.
package text

import (
	"iter"
	"strings"
	"unicode"
	"unicode/utf8"

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
	for w := range EachWord(s) {
		words = append(words, w)
	}
	return words
}

// EachWord goes through the words of s in order.
func EachWord(s string) iter.Seq[Word] {
	return func(yield func(Word) bool) {
		start := -1
		for i := 0; i < len(s); {
			c, width := s[i], 1
			inside := inWord[c]
			switch {
			case c >= utf8.RuneSelf:
				var r rune
				r, width = utf8.DecodeRuneInString(s[i:])
				inside = unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.Is(unicode.Mn, r) || r == '’' && start >= 0 && startsWithLetter(s[i+width:])
			case c == '\'':
				inside = start >= 0 && startsWithLetter(s[i+1:])
			}
			switch {
			case inside && start < 0:
				start = i
			case !inside && start >= 0:
				if !yield(Word{Fold(s[start:i]), start, i}) {
					return
				}
				start = -1
			}
			i += width
		}
		if start >= 0 {
			yield(Word{Fold(s[start:]), start, len(s)})
		}
	}
}

// inWord are the letters and digits of ASCII.
var inWord = func() (in [256]bool) {
	for c := range in {
		in[c] = 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9'
	}
	return in
}()

func startsWithLetter(s string) bool {
	r, _ := utf8.DecodeRuneInString(s)
	return unicode.IsLetter(r)
}

// Fold lower-cases s and removes accents and apostrophes, so that "Café" and
// "cafe" compare equal.
func Fold(s string) string {
	capitals := false
	for i := 0; ; i++ {
		if i == len(s) {
			if capitals {
				return strings.ToLower(s)
			}
			return s
		}
		c := s[i]
		if c >= utf8.RuneSelf || c == '\'' {
			break
		}
		capitals = capitals || 'A' <= c && c <= 'Z'
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

// Plain takes out of s what is not to be seen: controls, marks of direction, and letters
// of no width, by which words look the same and are others. Line breaks and tabs stay,
// and so does what joins letters of a script and the parts of a picture.
func Plain(s string) string {
	hidden := func(r rune) bool {
		switch {
		case r == '\n' || r == '\t' || r == '\u200c' || r == '\u200d':
			return false
		case r == utf8.RuneError:
			return true
		}
		return unicode.IsControl(r) || unicode.Is(unicode.Cf, r)
	}
	if strings.IndexFunc(s, hidden) < 0 {
		return s
	}
	return strings.Map(func(r rune) rune {
		if hidden(r) {
			return -1
		}
		return r
	}, s)
}

// IsNamed reports whether a word of s is written as a name: with one capital, in mid
// sentence.
func IsNamed(s string, w Word) bool {
	first, size := utf8.DecodeRuneInString(s[w.Start:w.End])
	if !unicode.IsUpper(first) {
		return false
	}
	next, _ := utf8.DecodeRuneInString(s[w.Start+size : w.End])
	before := strings.TrimRight(s[:w.Start], " \t\"'(")
	return unicode.IsLower(next) && before != "" && !strings.ContainsAny(before[len(before)-1:], ".!?\n:-")
}
