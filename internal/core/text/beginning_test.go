package text_test

import (
	"testing"
	"unicode/utf8"

	"urgentparrot.example/internal/core/text"
)

// What is cut is cut between letters, never within one, and what fits is left as it is.
func TestTextsAreCutShort(t *testing.T) {
	for _, c := range []struct {
		said               string
		runes              int
		first, short, word string
	}{
		{"", 3, "", "", ""},
		{"ferry", 5, "ferry", "ferry", "ferry"},
		{"ferry", 0, "", "…", ""},
		{"the ferry to Sorrel", 11, "the ferry t", "the ferry t…", "the ferry"},
		{"Überfahrt", 1, "Ü", "Ü…", "Ü"},
		{"a Überfahrtsgebühr", 10, "a Überfahr", "a Überfahr…", "a Überfahr"}, // a cut word is better than next to nothing
		{"渡船票价", 2, "渡船", "渡船…", "渡船"},
	} {
		if first, short, word := text.First(c.said, c.runes), text.Short(c.said, c.runes), text.FirstWords(c.said, c.runes); first != c.first || short != c.short || word != c.word {
			t.Errorf("%q to %d: %q, %q, %q", c.said, c.runes, first, short, word)
		}
	}
	garbled := "a\xffb\xfe" // is kept, and counted by its bytes
	if got := text.First(garbled, 2); got != "a\xff" || utf8.ValidString(got) {
		t.Errorf("%q", got)
	}
}
