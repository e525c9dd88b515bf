package text

import (
	_ "embed"
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
	stem  string
	times float64
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
				lifts[said] = append(lifts[said], lift{stem, n})
			}
		}
	}
	return lifts
}

// Customers calls found for each word of a question that customers are known to use,
// with each stem that texts hold in such places, and how many times likelier the word is
// said there than anywhere. It returns the number of such words. Only English is known.
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
