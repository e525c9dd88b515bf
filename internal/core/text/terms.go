package text

import (
	"slices"
	"strings"
	"sync"

	"github.com/kljensen/snowball"
	"github.com/kljensen/snowball/french"
	"github.com/kljensen/snowball/hungarian"
	"github.com/kljensen/snowball/norwegian"
	"github.com/kljensen/snowball/russian"
	"github.com/kljensen/snowball/spanish"
	"github.com/kljensen/snowball/swedish"
)

// A Term is a word reduced to what is compared: its stem, or the common member
// of its group of synonyms.
type Term struct {
	Word       string // as it stands in the text, folded
	Stem       string
	Stop       bool // carries grammar, not meaning: "the", "is", "what"
	Light      bool // carries little meaning: "take", "need", "possible"
	Start, End int  // byte offsets in the text it came from
}

// An Analyzer turns text into terms for one language. It is safe for
// concurrent use. The zero Analyzer is not usable; see NewAnalyzer.
type Analyzer struct {
	language language          // the zero language for one without a stemmer
	synonyms map[string]string // stem → stem that stands for the group
	alike    func() *alike     // nil: not for this language

	customers func() map[string][]lift // what customers say where texts hold a stem; nil: not for this language

	means map[string]string // what a workspace says that its customers' words mean, by stem

	mu    sync.RWMutex
	stems map[string]string // of words met before, at most keptStems
}

// keptStems is how many words' stems an analyzer remembers.
const keptStems = 50_000

// A language has a stemmer and a list of words that carry grammar only.
type language struct {
	name   string // as the stemmer calls it
	isStop func(string) bool
}

// languages are those with a stemmer, by their ISO 639-1 code.
var languages = map[string]language{
	"en": {"english", func(word string) bool { return stopWords[word] }},
	"es": {"spanish", spanish.IsStopWord}, "fr": {"french", french.IsStopWord}, "sv": {"swedish", swedish.IsStopWord},
	"no": {"norwegian", norwegian.IsStopWord}, "nb": {"norwegian", norwegian.IsStopWord},
	"ru": {"russian", russian.IsStopWord}, "hu": {"hungarian", hungarian.IsStopWord},
}

// NewAnalyzer returns an analyzer for a language, named by its ISO 639-1 code;
// a language without a stemmer is folded only. Words in the same group of
// synonyms become the same term.
func NewAnalyzer(code string, synonyms [][]string) *Analyzer {
	a := &Analyzer{language: languages[code], synonyms: map[string]string{}, stems: map[string]string{}}
	a.alike, a.customers = a.onlyEnglish(), a.customersOfEnglish()
	for _, group := range synonyms {
		if len(group) == 0 {
			continue
		}
		head := a.stem(Fold(group[0]))
		for _, word := range group {
			a.synonyms[a.stem(Fold(word))] = head
		}
	}
	return a
}

// Terms returns every word of s as a term, in order.
func (a *Analyzer) Terms(s string) []Term {
	words := Words(s)
	terms := make([]Term, len(words))
	for i, w := range words {
		terms[i] = Term{Word: w.Folded, Stem: a.Stem(w.Folded), Stop: a.IsStop(s[w.Start:w.End], w.Folded), Light: a.English() && (lightWords[w.Folded] || isLetter(w.Folded)), Start: w.Start, End: w.End}
	}
	return terms
}

// isLetter reports whether a word is a single letter, as in "e-bike".
func isLetter(folded string) bool { return len(folded) == 1 && folded[0] >= 'a' && folded[0] <= 'z' }

// Stem returns the term of one folded word.
func (a *Analyzer) Stem(folded string) string {
	a.mu.RLock()
	stem, ok := a.stems[folded]
	a.mu.RUnlock()
	if ok {
		return stem
	}
	stem = a.stem(folded)
	if head, ok := a.synonyms[stem]; ok {
		stem = head
	}
	a.mu.Lock()
	if len(a.stems) < keptStems {
		a.stems[strings.Clone(folded)] = stem
	}
	a.mu.Unlock()
	return stem
}

func (a *Analyzer) stem(folded string) string {
	if a.language.name == "" {
		return folded
	}
	stem, err := snowball.Stem(folded, a.language.name, false)
	if err != nil || stem == "" {
		return folded
	}
	return stem
}

// Telling returns the stems of s that carry meaning, each once, in order.
func (a *Analyzer) Telling(s string) []Term {
	var telling []Term
	for _, t := range a.Terms(s) {
		if !t.Stop && !slices.ContainsFunc(telling, func(o Term) bool { return o.Stem == t.Stem }) {
			telling = append(telling, t)
		}
	}
	return telling
}

// IsStop reports whether a word, given as it stands in the text and folded,
// carries grammar, not meaning. Lists of other languages than English have
// accents.
func (a *Analyzer) IsStop(word, folded string) bool {
	switch {
	case a.language.isStop == nil:
		return false
	case a.language.isStop(folded):
		return true
	}
	return !a.English() && a.language.isStop(strings.ToLower(word))
}

// Speaks reports whether a language, by its ISO 639-1 code, is the analyzer's; true
// where that cannot be told.
func (a *Analyzer) Speaks(code string) bool {
	return code == "" || a.language.name == "" || languages[code].name == a.language.name
}

// English reports whether the language is English, of which more is known.
func (a *Analyzer) English() bool { return a.language.name == "english" }

// LanguageOf returns the ISO 639-1 code of the language whose grammar words a text
// holds most of, "" if it holds too few to tell, or the language has no list.
func LanguageOf(s string) (code string) {
	const fewest = 2
	most := fewest - 1
	for _, candidate := range []string{"en", "es", "fr", "sv", "no", "ru", "hu"} { // English first: it wins a draw
		a := Analyzer{language: languages[candidate]}
		n := 0
		for w := range EachWord(s) {
			if a.IsStop(s[w.Start:w.End], w.Folded) {
				n++
			}
		}
		if n > most {
			most, code = n, candidate
		}
	}
	return code
}

// IsCommon reports whether a folded word of English says little by itself.
func IsCommon(folded string) bool { return stopWords[folded] || lightWords[folded] }

// Set returns the words of a list, parted by white space.
func Set(words string) map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(words) {
		m[w] = true
	}
	return m
}

var (
	stopWords = Set(`a about after again all also am an and any anybody anyone anything are arent as at
be because been before being but by can cannot cant could couldnt did didnt do does doesnt doing dont
each else even ever every for from further had has have havent having he hello her here hers hey hi him his how
hows i id if ill im in into is isnt it its itself ive just kindly me might more most much must my myself
no nor not now of off oh ok okay on once one only or other our ours out over own please pls same shall
she should so some somebody someone something such than thank thanks that thats the their theirs them then there theres
these they theyre this those through to too u under until up us very was wasnt we well were werent what whats
when whens where wheres which while who whom whos whose why will with without wont would wouldnt yes yet you
your youre yours`)
	lightWords = Set(`able across allow allowed along already around ask away bring bringing bit come currently do exactly find get
getting give go going happen happens i information kind know like long look little looking make many maybe mean need
needed normally onto point possible possibly put question quite rather really sort still take taken takes taking tell thing think
try use used using usually want wanted way work works`)
)
