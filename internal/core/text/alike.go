package text

import (
	_ "embed"
	"slices"
	"strings"
	"sync"
)

//go:embed alike.txt
var alikeEnglish string

// alike is what an analyzer knows of words that mean nearly the same.
type alike struct {
	stems   map[string][]string // stem → stems of its groups, and of what it is a kind of
	same    map[string][]string // stem → stems that mean nearly the same
	phrases []phrase
}

// A phrase is a turn of phrase and the stems that stand for it.
type phrase struct {
	words []string
	stems []string
}

// newAlike reads the groups of everyday words for an analyzer of English.
func newAlike(a *Analyzer) *alike {
	k := &alike{stems: map[string][]string{}, same: map[string][]string{}}
	add := func(to map[string][]string, stem, other string) {
		if stem != other && !slices.Contains(to[stem], other) {
			to[stem] = append(to[stem], other)
		}
	}
	for line := range strings.Lines(alikeEnglish) {
		line = strings.TrimSpace(line)
		if line == "" || line[0] == '#' {
			continue
		}
		if named, kinds, ok := strings.Cut(line, ">"); ok {
			for _, stem := range a.Stems(named) {
				for _, kind := range a.Stems(kinds) {
					add(k.stems, stem, kind)
				}
			}
			continue
		}
		line, near := strings.CutPrefix(line, "~")
		words, phrases, _ := strings.Cut(line, "|")
		group := a.Stems(words)
		for _, stem := range group {
			for _, other := range group {
				if add(k.stems, stem, other); !near {
					add(k.same, stem, other)
				}
			}
		}
		for _, words := range strings.Split(phrases, ",") {
			var p phrase
			for _, word := range Words(words) {
				p.words = append(p.words, word.Folded)
			}
			if len(p.words) == 0 {
				continue
			}
			at := slices.IndexFunc(k.phrases, func(other phrase) bool { return slices.Equal(other.words, p.words) })
			if at < 0 {
				at = len(k.phrases)
				k.phrases = append(k.phrases, p)
			}
			k.phrases[at].stems = append(k.phrases[at].stems, group...)
		}
	}
	return k
}

// Stems returns the stems of words, each once.
func (a *Analyzer) Stems(words string) (stems []string) {
	for _, word := range Words(strings.ReplaceAll(words, "-", "")) {
		if stem := a.Stem(word.Folded); !slices.Contains(stems, stem) {
			stems = append(stems, stem)
		}
	}
	return stems
}

// extend adds what customers say for a word of the texts; what begins with "-" is taken
// away.
func (k *alike) extend(a *Analyzer, word string, said []string) {
	stem := a.Stem(Fold(word))
	for _, one := range said {
		one, dropped := strings.CutPrefix(one, "-")
		words := Words(one)
		switch {
		case len(words) == 1:
			said := a.Stem(words[0].Folded)
			for _, known := range []map[string][]string{k.stems, k.same} {
				if known[said] = slices.DeleteFunc(known[said], func(s string) bool { return s == stem }); !dropped {
					known[said] = append(known[said], stem)
				}
			}
		case len(words) > 1 && !dropped:
			p := phrase{stems: []string{stem}}
			for _, word := range words {
				p.words = append(p.words, word.Folded)
			}
			k.phrases = append(k.phrases, p)
		}
	}
}

// Alike returns the stems of everyday words by which what is asked with a stem may be found: those
// that mean nearly the same, what is near to it, and what it is a kind of. Of other languages than
// English only what Extend added is known.
func (a *Analyzer) Alike(stem string) []string {
	if a.alike == nil {
		return nil
	}
	return a.alike().stems[stem]
}

// Synonyms returns the stems of everyday words that mean nearly the same as a stem, so that either
// may be said for the other.
func (a *Analyzer) Synonyms(stem string) []string {
	if a.alike == nil {
		return nil
	}
	return a.alike().same[stem]
}

// A Phrase is a turn of phrase found among terms.
type Phrase struct {
	First, Last int      // places of its first and last term
	Stems       []string // of the words that stand for it
}

// Phrases finds turns of phrase ("get rid of") among the terms of a text, the
// longest at each place.
func (a *Analyzer) Phrases(terms []Term) (found []Phrase) {
	if a.alike == nil {
		return nil
	}
	for at := 0; at < len(terms); at++ {
		best := 0
		var stems []string
		for _, p := range a.alike().phrases {
			n := 0
			for n < len(p.words) && at+n < len(terms) && terms[at+n].Word == p.words[n] {
				n++
			}
			if n == len(p.words) && n > best {
				best, stems = n, p.stems
			}
		}
		if best > 0 {
			found = append(found, Phrase{at, at + best - 1, stems})
			at += best - 1
		}
	}
	return found
}

// onlyEnglish returns what loads the groups when they are first asked for.
func (a *Analyzer) onlyEnglish() func() *alike {
	if !a.English() {
		return nil
	}
	return sync.OnceValue(func() *alike { return newAlike(a) })
}
