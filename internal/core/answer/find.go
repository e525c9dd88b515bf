package answer

import (
	"math"
	"regexp"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// A Candidate is a passage weighed as the answer to a question.
type Candidate struct {
	knowledge.Hit
	Coverage   float64   // share of the question's telling words it holds, 0 to 1
	Confidence float64   // that it answers the question, 0 to 1
	Missing    []string  // telling words of the question that it does not hold
	Quote      text.Span // the sentences of the passage that answer
}

// The most that a passage and a house answer can be sure of: where both answer
// fully, the house answer is said.
const (
	mostOfPassage = 0.95
	mostOfHouse   = 0.98
)

// considered is how many of the best passages are looked at closely.
const considered = 8

// Find returns the passages that may answer a question, the most confident
// first; none when the question holds no telling word. Follow-up questions take
// their subject from previous, the question before it ("" if none).
//
// Confidence is the share of the telling words covered, once weighted by rarity
// and once counted, so that one uncovered word pulls it down however common it
// is; weighed by how well one stretch of the passage holds them together, and by
// whether it has the kind of fact that was asked for. A house answer counts by
// its question's likeness.
func Find(ix *knowledge.Index, question, previous string) []Candidate {
	terms := ix.Analyzer().Telling(question)
	wanted := wantedFact(question)
	if wanted != nil {
		lighten(terms)
	}
	asked := countTelling(terms)
	if asked == 0 {
		return nil
	}
	if previous != "" && isFollowUp(question) {
		terms = append(terms, carriedOver(ix, previous)...)
		if wanted == nil {
			wanted = wantedFact(previous)
		}
	}
	var candidates []Candidate
	for _, hit := range ix.Search(terms, considered) {
		c := Candidate{Hit: hit}
		var missing []text.Term
		c.Coverage, missing = ix.Coverage(hit, terms)
		for _, t := range missing {
			if !t.Light {
				c.Missing = append(c.Missing, t.Word)
			}
		}
		best := 0.0
		c.Quote, best = quote(ix, hit, terms)
		together := 0.6 + 0.4*best
		counted := 1 - float64(countTelling(missing))/float64(asked)
		c.Confidence = c.Coverage * counted * together
		most := mostOfPassage
		if hit.Question != "" {
			most = mostOfHouse
			likeness := ix.Likeness(terms, hit.Question)
			c.Quote = text.Span{Start: 0, End: len(hit.Text)}
			c.Confidence = math.Max(c.Confidence*0.9, likeness*math.Sqrt(c.Coverage))
		}
		if wanted != nil && !wanted.MatchString(hit.Text) {
			c.Confidence *= 0.6
		}
		c.Confidence = math.Min(c.Confidence, most)
		candidates = append(candidates, c)
	}
	sortByConfidence(candidates)
	return candidates
}

func sortByConfidence(candidates []Candidate) {
	// Insertion sort: few candidates, nearly sorted already, and stable.
	for i := 1; i < len(candidates); i++ {
		for j := i; j > 0 && candidates[j].Confidence > candidates[j-1].Confidence; j-- {
			candidates[j], candidates[j-1] = candidates[j-1], candidates[j]
		}
	}
}

// quoteRunes is about how long a quoted answer may grow.
const quoteRunes = 320

// quote picks the one to three neighbouring sentences that hold most of the
// question's words, and returns how much they hold.
func quote(ix *knowledge.Index, hit knowledge.Hit, terms []text.Term) (text.Span, float64) {
	sentences := ix.Sentences(hit, terms)
	if len(sentences) == 0 {
		return text.Span{}, 0
	}
	first, best := 0, -1.0
	for i, s := range sentences {
		if score := s.Covered + 0.5*s.Own; score > best+1e-9 {
			first, best = i, score
		}
	}
	covered := sentences[first].Covered
	last := first
	says := func(i int) string { return hit.Text[sentences[i].Start:sentences[i].End] }
	fits := func(first, last int) bool { return sentences[last].End-sentences[first].Start <= quoteRunes }
	switch {
	case isItem(says(first)) || strings.HasSuffix(says(first), ":"):
		// A list is said whole, with the sentence that introduces it.
		for last+1 < len(sentences) && isItem(says(last+1)) && fits(first, last+1) {
			last++
		}
		for first > 0 && (isItem(says(first-1)) || isItem(says(first)) && strings.HasSuffix(says(first-1), ":")) && fits(first-1, last) {
			first--
		}
	default:
		for last+1 < len(sentences) && last-first < 2 && fits(first, last+1) && (sentences[last+1].Own > 0 || leansBack(says(last+1))) {
			last++
		}
		for first > 0 && leansBack(says(first)) && fits(first-1, last) {
			first--
		}
	}
	return text.Span{Start: sentences[first].Start, End: sentences[last].End}, covered
}

// isItem reports whether a line is an item of a list, as the reading marks them.
func isItem(line string) bool { return strings.HasPrefix(line, knowledge.ItemMark) }

var leaning = regexp.MustCompile(`^(?:It|They|This|These|That|Those|He|She|Otherwise|However|But|If not|In that case|Then|Both|Each of|The same)\b`)

// leansBack reports whether a sentence needs the one before it to be understood.
func leansBack(sentence string) bool { return leaning.MatchString(sentence) }

var (
	asksWhen = regexp.MustCompile(`(?i)\b(?:when|what time|which days?|what days?|how (?:long|early|late|often))\b`)
	asksCost = regexp.MustCompile(`(?i)\b(?:how much (?:is|are|does|do|will|would|for)|what(?:'s| is| are)? the (?:price|cost|fare|charge)s?|price|cost|costs|fare)\b`)
	hasTime  = regexp.MustCompile(`(?i)\d|\b(?:minutes?|hours?|days?|weeks?|months?|daily|hourly|morning|noon|evening|night|always|never|anytime|any time|one|two|three|four|five|ten)\b`)
	hasCost  = regexp.MustCompile(`(?i)[£$€]\s?\d|\d[\d.,]*\s?(?:£|€|p\b|pence|pounds?|euros?|dollars?|crowns?|marks?)|\b(?:free|no charge|no extra|costs? nothing|included|half (?:fare|price))\b`)
)

// wantedFact returns what an answer to the question must hold, or nil: "when"
// asks for a time, "how much" for an amount.
func wantedFact(question string) *regexp.Regexp {
	switch {
	case asksCost.MatchString(question):
		return hasCost
	case asksWhen.MatchString(question):
		return hasTime
	}
	return nil
}

// factWords name the kind of fact that is asked for. What answers need not hold
// them: "dogs travel free" answers what a dog costs.
var factWords = map[string]bool{
	"cost": true, "costs": true, "price": true, "prices": true, "fare": true, "fares": true, "charge": true, "charges": true,
	"time": true, "times": true, "long": true, "often": true,
}

// lighten makes light words of those that only name the kind of fact, if others
// are left.
func lighten(terms []text.Term) {
	left := 0
	for _, t := range terms {
		if !t.Light && !factWords[t.Word] {
			left++
		}
	}
	for i := range terms {
		terms[i].Light = terms[i].Light || left > 0 && factWords[terms[i].Word]
	}
}

var followUp = regexp.MustCompile(`(?i)^(?:and|what about|how about|and what about|also)\b`)

// isFollowUp reports whether a question needs the one before it: it starts with
// "and", "what about", or holds next to nothing of its own.
func isFollowUp(question string) bool {
	return followUp.MatchString(question) && len(text.Words(question)) <= 6
}

// carriedOver returns what a follow-up takes from the question before it, as
// light words: all but its subject, the rarest word, which the follow-up
// replaces. "And for dogs?" after a question about bicycles asks the same about
// dogs.
func carriedOver(ix *knowledge.Index, previous string) []text.Term {
	terms := ix.Analyzer().Telling(previous)
	subject := -1
	for i, t := range terms {
		if !t.Light && (subject < 0 || ix.Rarity(t.Stem) > ix.Rarity(terms[subject].Stem)) {
			subject = i
		}
	}
	var carried []text.Term
	for i, t := range terms {
		if i != subject {
			t.Light = true
			carried = append(carried, t)
		}
	}
	return carried
}

// countTelling counts the terms that are not light.
func countTelling(terms []text.Term) (n int) {
	for _, t := range terms {
		if !t.Light {
			n++
		}
	}
	return n
}
