package answer

import (
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// A question is what is looked for.
type question struct {
	terms   []term
	mended  string   // the text with misspelt words mended
	fact    *fact    // the kind of fact that an answer must hold; nil: any
	counted []amount // the numbers that it names
	feasts  []text.Feast
	days    []day
	bare    bool // it asks for a kind of fact, and of nothing
	leave   bool // it asks whether something is allowed
	what    bool // it asks what something is, or holds
	where   bool // it asks where something is, or may be
	extreme int  // it asks for what costs least, -1, or most, 1
	own     int  // of a follow-up: how many of the terms are its own; 0: it follows nothing

	replaces bool       // of a follow-up: it names something else, and asks the same of it
	before   *Candidate // what was found first for the question before it, if it does
}

// A term is one telling word of a question.
type term struct {
	text.Term
	want   knowledge.Want
	weight float64 // how much it tells
}

// A day of the week is named by a term of a question: "on Mondays", or "today".
type day struct {
	term    int
	weekday time.Weekday
}

// isDay reports whether a term is the name of a day of the week: no other holds it.
func (q *question) isDay(term int) bool {
	_, named := text.Weekday(q.terms[term].Word)
	return named && slices.ContainsFunc(q.days, func(d day) bool { return d.term == term })
}

// on notes the days of the week that an English question names; zero: nobody knows what day it is.
func (q *question) on(ix *knowledge.Index, now time.Time) {
	if q.days = nil; !ix.Analyzer().English() {
		return
	}
	named := text.DaysIn(q.mended) // "Easter Monday" is none
	for i, t := range q.terms {
		weekday, is := text.Weekday(t.Word)
		is = is && named.Has(weekday)
		if !is && !now.IsZero() {
			switch t.Word {
			case "today", "tonight":
				weekday, is = now.Weekday(), true
			case "tomorrow":
				weekday, is = (now.Weekday()+1)%7, true
			}
		}
		if is {
			q.days = append(q.days, day{i, weekday})
		}
	}
}

// What alternatives are worth beside the word that was asked for.
const (
	worthOfSpelling = 0.9
	worthOfAlike    = 0.6
	worthOfPhrase   = 0.7
	worthInPhrase   = 0.5 // of a word of the phrase: who wants to get hold of somebody asks less for what is held
)

// lightWeight is what a light word counts, beside a telling one's 1; as in
// knowledge.Index.Weight.
const lightWeight = 0.2

// understand reads a question against the words of the knowledge.
func understand(ix *knowledge.Index, asked string) question {
	q := question{mended: asked}
	analyzer := ix.Analyzer()
	var mended strings.Builder
	last := 0
	terms := analyzer.Terms(asked)
	inPhrase := map[int]bool{}
	var asking text.Span
	q.fact, asking = factWanted(asked)
	lightened := func(t text.Term) bool { return asking.Start <= t.Start && t.End <= asking.End }
	for _, p := range analyzer.Phrases(terms) {
		q.terms = append(q.terms, newPhrase(ix, asked, terms[p.First:p.Last+1], p.Stems))
		for i := p.First; i <= p.Last; i++ {
			inPhrase[i] = true
		}
	}
	for i := 0; i+1 < len(terms); i++ {
		if stem := joined(ix, asked, terms[i], terms[i+1]); stem != "" && !inPhrase[i] && !inPhrase[i+1] {
			q.terms = append(q.terms, newPhrase(ix, asked, terms[i:i+2], []string{stem}))
			inPhrase[i], inPhrase[i+1] = true, true
		}
	}
	for i, t := range terms {
		if inPhrase[i] {
			continue
		}
		var spellings []text.Spelling
		meant := ""
		if !ix.Knows(t.Stem) {
			meant = analyzer.Means(t.Stem)
		}
		if meant == "" && !t.Stop && !t.Light {
			spellings = spellingsOf(ix, t, text.IsNamed(asked, text.Word{Start: t.Start, End: t.End}))
		}
		if len(spellings) > 0 {
			meant = spellings[0].Word
		}
		if meant != "" {
			mended.WriteString(asked[last:t.Start] + meant)
			last = t.End
			best := analyzer.Terms(meant)
			if len(best) == 1 {
				t.Stem, t.Stop, t.Light = best[0].Stem, best[0].Stop, best[0].Light
			}
		}
		if t.Stop || slices.ContainsFunc(q.terms, func(o term) bool { return o.Stem == t.Stem }) {
			continue
		}
		t.Light = t.Light || lightened(t)
		q.terms = append(q.terms, newTerm(ix, t, spellings))
	}
	q.amounts(ix, asked)
	if analyzer.English() {
		q.feasts = text.Feasts(asked)
	}
	if q.telling() == 0 {
		// Only the kind of fact is asked for: "what does it cost?"
		for i, t := range q.terms {
			if lightened(t.Term) {
				q.terms[i].Light, q.bare = false, true
				q.terms[i].weight /= lightWeight
			}
		}
	}
	mended.WriteString(asked[last:])
	q.mended = mended.String()
	q.leave, q.what, q.where = asksLeave.MatchString(q.mended), asksWhat.MatchString(q.mended), asksWhere.MatchString(q.mended)
	q.extreme = extremeAsked(q.mended)
	if q.fact == nil {
		q.fact, _ = factWanted(q.mended)
	}
	if len(q.terms) == 0 && q.fact == money && analyzer.English() {
		// "How much is it?" asks for the prices.
		q.terms, q.bare = append(q.terms, newPhrase(ix, asked, terms[:1], analyzer.Stems(q.fact.called))), true
	}
	if q.telling() == 0 {
		// Nothing tells but light words: "what can I take with me?"
		for i := range q.terms {
			q.terms[i].Light = false
			q.terms[i].weight /= lightWeight
		}
	}
	return q
}

// joined returns the stem of two words written as one, where the knowledge writes them so and
// has not both of them: "hair dryers" where it says "hairdryers"; "" for others.
func joined(ix *knowledge.Index, asked string, a, b text.Term) string {
	if between := asked[a.End:b.Start]; between != " " && between != "-" || ix.Knows(a.Stem) && ix.Knows(b.Stem) {
		return ""
	}
	if stem := ix.Analyzer().Stem(text.Fold(asked[a.Start:a.End] + asked[b.Start:b.End])); ix.Knows(stem) {
		return stem
	}
	return ""
}

// particles are words that are written as one with the verb before them, or not: "pickup", "pick-up",
// "picked up".
var particles = []string{"up", "in", "out", "off", "on", "down", "back", "over", "away"}

// withoutParticle returns the stem of what stands before the particle in a word that the knowledge
// does not have, where it has that; "" for others.
func withoutParticle(ix *knowledge.Index, t text.Term) string {
	if ix.Knows(t.Stem) || !ix.Analyzer().English() {
		return ""
	}
	for _, particle := range particles {
		rest, is := strings.CutSuffix(strings.TrimSuffix(t.Word, "s"), particle)
		if (particle == "in" || particle == "on") && text.English().Times(t.Word) > 0 {
			continue // a cabin has nothing to do with a cab
		}
		if stem := ix.Analyzer().Stem(rest); is && len(rest) > 2 && ix.Knows(stem) {
			return stem
		}
	}
	return ""
}

func newTerm(ix *knowledge.Index, t text.Term, spellings []text.Spelling) term {
	analyzer := ix.Analyzer()
	added := term{Term: t}
	add := func(stem string, worth float64) {
		if !slices.ContainsFunc(added.want, func(a knowledge.Alternative) bool { return a.Stem == stem }) {
			added.want = append(added.want, knowledge.Alternative{Stem: stem, Worth: worth})
		}
	}
	add(t.Stem, 1)
	for _, s := range spellings {
		add(analyzer.Stem(s.Word), worthOfSpelling/float64(s.Slips))
	}
	for _, alike := range analyzer.Alike(t.Stem) {
		add(alike, worthOfAlike)
	}
	if stem := withoutParticle(ix, t); stem != "" {
		add(stem, worthOfPhrase)
	}
	added.weight = ix.Weight(t)
	return added
}

// newPhrase returns a turn of phrase as one term: any of the words that stand for
// it will do.
func newPhrase(ix *knowledge.Index, asked string, words []text.Term, stems []string) term {
	start, end := words[0].Start, words[len(words)-1].End
	added := term{Term: text.Term{Word: asked[start:end], Stem: asked[start:end], Start: start, End: end}}
	weight := ix.Rarity("")
	for _, stem := range stems {
		added.want = append(added.want, knowledge.Alternative{Stem: stem, Worth: worthOfPhrase})
		if ix.Knows(stem) {
			weight = min(weight, ix.Rarity(stem))
		}
	}
	for _, w := range words {
		if !w.Stop && !w.Light {
			added.want = append(added.want, knowledge.Alternative{Stem: w.Stem, Worth: worthInPhrase})
		}
	}
	added.weight = weight
	return added
}

// mostSpellings is how many ways to mend a word are followed.
const mostSpellings = 3

// likelierKnown is how much likelier a word of the knowledge is than one that is only
// English, which occurs as often.
const likelierKnown = 8

// spellingsOf returns what a word may stand for that neither the knowledge nor
// English knows as it is spelt.
func spellingsOf(ix *knowledge.Index, t text.Term, named bool) []text.Spelling {
	if ix.Spelt(t.Word) > 0 || ix.Knows(t.Stem) || len(ix.Analyzer().Alike(t.Stem)) > 0 || ix.Analyzer().IsStop(t.Stem, t.Stem) || strings.ContainsAny(t.Word, "0123456789") {
		return nil
	}
	spellings := ix.Spellings(t.Word)
	if named {
		spellings = slices.DeleteFunc(spellings, func(s text.Spelling) bool { return !s.Name })
	}
	if ix.Analyzer().English() {
		if text.English().Times(t.Word) > 0 {
			return nil
		}
		// What stands in the knowledge is likelier to be asked about than what is only English.
		for i := range spellings {
			spellings[i].Times *= likelierKnown
		}
		if !named {
			for _, s := range text.English().Near(t.Word) {
				if ix.Spelt(s.Word) == 0 {
					spellings = append(spellings, s)
				}
			}
		}
		text.Likeliest(spellings)
	}
	if len(spellings) == 0 {
		return nil
	}
	spellings = spellings[:min(len(spellings), mostSpellings)]
	most := spellings[0].Slips
	return slices.DeleteFunc(spellings, func(s text.Spelling) bool { return s.Slips > most+1 })
}

// wants returns what is looked for by words.
func (q *question) wants() []knowledge.Want {
	wants := make([]knowledge.Want, len(q.terms))
	for i, t := range q.terms {
		wants[i] = t.want
		if t.Light {
			wants[i] = slices.Clone(t.want)
			for j := range wants[i] {
				wants[i][j].Worth *= lightWeight
			}
		}
	}
	return wants
}

// telling counts the terms that are not light.
func (q *question) telling() (n int) {
	for _, t := range q.terms {
		if !t.Light {
			n++
		}
	}
	return n
}
