package text

import (
	"cmp"
	"math/bits"
	"slices"
)

// A Vocabulary knows how words are spelt and how frequent they are. It does not
// change.
type Vocabulary struct {
	words []string
	marks []mark
	times map[string]int32
	names map[string]bool
}

// A mark says which letters a word holds, and how long it is: words whose marks
// differ much cannot be near each other.
type mark struct {
	letters uint32
	length  int32
}

func markOf(word string) mark {
	m := mark{length: int32(len(word))}
	for i := range len(word) {
		m.letters |= 1 << (word[i] % 32)
	}
	return m
}

// NewVocabulary returns a vocabulary of folded words with how often each occurs.
// The map belongs to it from then on.
func NewVocabulary(times map[string]int32) *Vocabulary {
	v := &Vocabulary{times: times, words: make([]string, 0, len(times)), marks: make([]mark, 0, len(times))}
	for word := range times {
		v.words = append(v.words, word)
	}
	slices.Sort(v.words)
	for _, word := range v.words {
		v.marks = append(v.marks, markOf(word))
	}
	return v
}

// WithNames notes which words are names: written with a capital in mid sentence. The map
// belongs to the vocabulary from then on. It returns the vocabulary.
func (v *Vocabulary) WithNames(names map[string]bool) *Vocabulary {
	v.names = names
	return v
}

// IsName reports whether a folded word is written as a name.
func (v *Vocabulary) IsName(word string) bool { return v.names[word] }

// Times returns how often a word occurs.
func (v *Vocabulary) Times(word string) int { return int(v.times[word]) }

// A Spelling is a word that a misspelt one may stand for.
type Spelling struct {
	Word    string
	Slips   int  // letters added, left out, changed or swapped
	Doubled bool // the only slips are letters doubled that are single, or the other way round
	Swapped bool // the only slip is two neighbours that changed places
	Begins  bool // the first letter is the same
	Name    bool // it is a name
	Times   int  // how often it occurs
}

// undoubled returns a word with each run of a letter as one.
func undoubled(word string) string { return string(slices.Compact([]byte(word))) }

// allowedSlips is how many slips a word of so many bytes may have.
func allowedSlips(length int) int {
	switch {
	case length < 4:
		return 0
	case length < 7:
		return 1
	case length < 11:
		return 2
	}
	return 3
}

// Near returns the words that a folded word may stand for, in no order.
func (v *Vocabulary) Near(word string) (near []Spelling) {
	if len(word) < 3 {
		return nil
	}
	allowed := max(1, allowedSlips(len(word)))
	m := markOf(word)
	for i, other := range v.marks {
		if d := other.length - m.length; d > int32(allowed) || d < -int32(allowed) || bits.OnesCount32(other.letters^m.letters) > 2*allowed {
			continue
		}
		candidate := v.words[i]
		slips := Distance(word, candidate)
		if slips > allowed || slips > 1 && candidate[0] != word[0] {
			continue
		}
		if len(word) == 3 && len(candidate) != 4 && other != m {
			continue // a short word has lost a letter, or two changed places
		}
		near = append(near, Spelling{
			Word: candidate, Slips: slips, Times: int(v.times[candidate]), Name: v.names[candidate], Begins: candidate[0] == word[0],
			Doubled: undoubled(word) == undoubled(candidate), Swapped: slips == 1 && other == m && len(word) == len(candidate),
		})
	}
	return near
}

// Likeliest sorts spellings, the likeliest first: few slips before many, letters
// only doubled or swapped before others, frequent words before rare ones.
func Likeliest(spellings []Spelling) {
	unlikely := func(s Spelling) int {
		n := 6*s.Slips - bits.Len(uint(s.Times))
		if s.Doubled || s.Swapped {
			n -= 4
		}
		if !s.Begins {
			n += 3 // a slip in the first letter is rare
		}
		return n
	}
	slices.SortFunc(spellings, func(a, b Spelling) int {
		return cmp.Or(cmp.Compare(unlikely(a), unlikely(b)), cmp.Compare(a.Word, b.Word))
	})
}
