package text

import (
	"cmp"
	_ "embed"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// What customers say where a text uses a word: a line for each word of texts, with the
// words of customers and how many times likelier each is said there than anywhere.
// test/training makes it.
//
//go:embed customers.txt
var customersEnglish string

// A lift is a word of texts, and how many times likelier a word of customers is said
// where it stands.
type lift struct {
	stem       string // of the texts' word
	word, said string // as they are listed
	times      float64
}

// readCustomers returns the lifts by the stem of the customers' word.
func readCustomers(a *Analyzer, list string) map[string][]lift {
	lifts := map[string][]lift{}
	for line := range strings.Lines(list) {
		word, said, ok := strings.Cut(strings.TrimSpace(line), ":")
		if !ok || strings.HasPrefix(word, "#") {
			continue
		}
		stem := a.Stem(Fold(word))
		for _, one := range strings.Split(said, ",") {
			customers, times, _ := strings.Cut(strings.TrimSpace(one), " ")
			if n, err := strconv.ParseFloat(times, 64); err == nil {
				said := a.Stem(Fold(customers))
				lifts[said] = append(lifts[said], lift{stem, word, customers, n})
			}
		}
	}
	return lifts
}

// ownTimes is how many times likelier customers of a workspace say what it says they do.
const ownTimes = 100

// Extend adds what a workspace's customers say where its texts use a word, in any
// language: {"pushchair": ["pram", "baby buggy"]}. What begins with "-" they do not say
// there, whatever customers elsewhere do. It is to be called before the analyzer is used.
func (a *Analyzer) Extend(customersSay map[string][]string) {
	if len(customersSay) == 0 {
		return
	}
	a.means = map[string]string{}
	for word, said := range customersSay {
		for _, one := range said {
			if words := Words(one); len(words) == 1 && !strings.HasPrefix(one, "-") {
				a.means[a.Stem(words[0].Folded)] = word
			}
		}
	}
	alikeBefore, before := a.alike, a.customers
	a.alike = sync.OnceValue(func() *alike {
		k := &alike{stems: map[string][]string{}, same: map[string][]string{}}
		if alikeBefore != nil {
			k = alikeBefore()
		}
		for word, said := range customersSay {
			k.extend(a, word, said)
		}
		return k
	})
	a.customers = sync.OnceValue(func() map[string][]lift {
		lifts := map[string][]lift{}
		if before != nil {
			lifts = before()
		}
		for word, said := range customersSay {
			stem := a.Stem(Fold(word))
			for _, one := range said {
				rest, dropped := strings.CutPrefix(one, "-")
				for w := range EachWord(rest) {
					if a.IsStop(rest[w.Start:w.End], w.Folded) {
						continue
					}
					said := a.Stem(w.Folded)
					lifts[said] = slices.DeleteFunc(lifts[said], func(l lift) bool { return l.stem == stem })
					if !dropped {
						lifts[said] = append(lifts[said], lift{stem, Fold(word), w.Folded, ownTimes})
					}
				}
			}
		}
		return lifts
	})
}

// Means returns the word of the texts that a word of customers, given by its stem, stands
// for by what Extend added, "" if none.
func (a *Analyzer) Means(stem string) string { return a.means[stem] }

// A Saying is a word, and how many times likelier it is there than anywhere.
type Saying struct {
	Word  string
	Times float64
}

// Sayings returns what texts hold where customers say a word, and what customers say where
// texts hold it, the likeliest first.
func (a *Analyzer) Sayings(word string) (texts, customers []Saying) {
	if a.customers == nil {
		return nil, nil
	}
	stem := a.Stem(Fold(word))
	for said, lifts := range a.customers() {
		for _, l := range lifts {
			switch {
			case said == stem && l.stem == stem:
				// That they say the word itself goes without saying.
			case said == stem:
				texts = append(texts, Saying{l.word, l.times})
			case l.stem == stem:
				customers = append(customers, Saying{l.said, l.times})
			}
		}
	}
	likeliest := func(a, b Saying) int { return cmp.Or(cmp.Compare(b.Times, a.Times), cmp.Compare(a.Word, b.Word)) }
	slices.SortFunc(texts, likeliest)
	slices.SortFunc(customers, likeliest)
	return texts, customers
}

// Customers calls found for each word of a question that customers are known to use,
// with each stem that texts hold in such places, and how many times likelier the word is
// said there than anywhere. It returns the number of such words. Of other languages than
// English only what Extend added is known.
func (a *Analyzer) Customers(question string, found func(word int, stem string, times float64)) (words int) {
	if a.customers == nil {
		return 0
	}
	met := map[string]bool{}
	for w := range EachWord(question) {
		stem := a.Stem(w.Folded)
		lifts := a.customers()[stem]
		if met[stem] || len(lifts) == 0 {
			continue
		}
		met[stem] = true
		for _, l := range lifts {
			found(words, l.stem, l.times)
		}
		words++
	}
	return words
}

func (a *Analyzer) customersOfEnglish() func() map[string][]lift {
	if !a.English() {
		return nil
	}
	return sync.OnceValue(func() map[string][]lift { return readCustomers(a, customersEnglish) })
}
