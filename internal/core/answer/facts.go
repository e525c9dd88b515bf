package answer

import (
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A fact is a kind of fact that a question asks for, and how a text shows that
// it holds one.
type fact struct {
	asked   *regexp.Regexp
	number  *regexp.Regexp // of texts with a digit or a sign of money; nil: any of these will do
	words   map[string]bool
	phrases []string
	signs   string // any of which shows one
	must    bool   // what holds none cannot answer
	called  string // what texts call it, in words
}

// in reports whether a text holds such a fact.
func (f *fact) in(s string) bool {
	if strings.ContainsAny(s, "0123456789£$€") && (f.number == nil || f.number.MatchString(s)) {
		return true
	}
	if f.signs != "" && strings.ContainsAny(s, f.signs) {
		return true
	}
	for w := range text.EachWord(s) {
		if f.words[w.Folded] {
			return true
		}
	}
	return slices.ContainsFunc(f.phrases, func(phrase string) bool { return strings.Contains(s, phrase) })
}

var facts = []fact{
	{
		asked:  regexp.MustCompile(`(?i)\b(?:(?:tele)?phone|mobile|fax|contact) numbers?\b|\b(?:e-?mail|web|postal) address\b|\bwhat(?:'s|s| is) your (?:phone|e-?mail|number)\b`),
		number: regexp.MustCompile(`\d[\d ()/-]{5,}\d`),
		signs:  "@",
		must:   true,
	},
	{
		asked:   regexp.MustCompile(`(?i)\b(?:how much (?:is|are|does|do|did|will|would|for|to|extra|each)|what(?:'s| is| are)? the (?:price|cost|fare|charge|fee)s?(?: of| for)?|price|cost|costs|fare|cheapest|dearest|(?:least|most) expensive|lowest price)\b|\bhow much[\s?.!]*$`),
		number:  regexp.MustCompile(`(?i)[£$€]\s?\d|\d[\d.,]*\s?(?:£|€|p\b|pence|pounds?|euros?|dollars?|crowns?|marks?)`),
		words:   text.Set("free included half"),
		phrases: []string{"no charge", "No charge", "no extra", "costs nothing", "cost nothing"},
		called:  "price cost fee charge fare",
	},
	{
		asked: regexp.MustCompile(`(?i)\b(?:when|what time|which days?|what days?|how (?:long|early|late|often|soon)|how much (?:notice|warning|time|longer|earlier|later))\b`),
		words: text.Set(`second seconds minute minutes hour hours day days week weeks month months year years daily hourly once twice morning noon evening night
			always never anytime one two three four five six seven eight nine ten eleven twelve after before until during every`),
		phrases: []string{"any time"},
	},
	{
		asked:   regexp.MustCompile(`(?i)\bhow (?:big|large|far|high|deep|heavy|wide|tall|small)\b`),
		number:  regexp.MustCompile(`(?i)\d[\d.,]*\s?(?:%|m\b|cm\b|mm\b|km\b|kg\b|g\b|kB|MB|GB|TB|kilo|mega|giga|gram|metre|meter|mile|inch|feet|foot|litre|liter|pixel|tonne|ton|byte|centi|milli|dots)`),
		words:   text.Set("unlimited"),
		phrases: []string{"any size", "Any size", "no limit", "No limit"},
	},
	{
		asked:   regexp.MustCompile(`(?i)\bhow (?:many|old)\b`),
		number:  regexp.MustCompile(`(?:^|[^£$€\d.,\s]|[^£$€]\s)\d`), // money counts nothing
		words:   text.Set("no none one two three four five six seven eight nine ten twelve hundred thousand several unlimited"),
		phrases: []string{"any number", "Any number"},
	},
}

// money is the kind of fact that a price is.
var money = &facts[slices.IndexFunc(facts, func(f fact) bool { return f.called != "" })]

// factWanted returns what an answer to the question must hold, or nil, and the
// words that ask for it. These need not be in the answer: "dogs travel free" says
// what a dog costs.
func factWanted(question string) (*fact, text.Span) {
	for i := range facts {
		if at := facts[i].asked.FindStringIndex(question); at != nil {
			return &facts[i], text.Span{Start: at[0], End: at[1]}
		}
	}
	return nil, text.Span{}
}
