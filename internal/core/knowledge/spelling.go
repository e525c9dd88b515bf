package knowledge

import (
	"slices"

	"urgentparrot.example/internal/core/text"
)

// Spelt returns how often the knowledge holds a folded word as it is spelt.
func (ix *Index) Spelt(word string) (times int) {
	for _, s := range ix.segments {
		times += s.vocabulary.Times(word)
	}
	return times
}

// IsName reports whether the knowledge writes a folded word as a name.
func (ix *Index) IsName(word string) bool {
	return slices.ContainsFunc(ix.segments, func(s *segment) bool { return s.vocabulary.IsName(word) })
}

// Spellings returns the words of the knowledge that a folded word may stand for,
// the likeliest first.
func (ix *Index) Spellings(word string) (spellings []text.Spelling) {
	at := map[string]int{}
	for _, s := range ix.segments {
		for _, near := range s.vocabulary.Near(word) {
			if i, known := at[near.Word]; known {
				spellings[i].Times += near.Times
				continue
			}
			at[near.Word] = len(spellings)
			spellings = append(spellings, near)
		}
	}
	text.Likeliest(spellings)
	return spellings
}
