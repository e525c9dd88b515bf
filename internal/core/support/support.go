// Package support holds sentences against what they claim to stand on: whether the
// numbers, times and names in them are there, whether they deny what is said or leave out
// what it depends on, whether they promise or add anything. It does not trust whoever
// wrote them.
package support

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A Sentence is one of a reply, with the passages that it claims to stand on.
type Sentence struct {
	Says     string
	Language string   // that it is in, ISO 639-1; "": to be guessed
	Means    string   // what it says in the language of the passages, where it is in another; "" if it is not
	On       []string // ids of passages
}

// A Ground is a passage that sentences may stand on.
type Ground struct {
	ID    string
	Heads []string // the headings above it, or the question that it answers
	Text  string
}

// A Fault is what is wrong with a sentence.
type Fault string

// What may be wrong.
const (
	NoGround     Fault = "stands on nothing"
	WrongNumber  Fault = "a number that is not there"
	WrongTime    Fault = "a time that is not there"
	WrongName    Fault = "a name that is not there"
	WrongLink    Fault = "an address that is not there"
	Denies       Fault = "says the opposite"
	Unqualified  Fault = "leaves out a condition"
	Promises     Fault = "promises what is not said"
	Adds         Fault = "adds something"
	Unlike       Fault = "says something else"
	BadRendering Fault = "its translation differs"
)

// A Finding says whether a sentence is supported.
type Finding struct {
	Sentence
	Fault  Fault  // "": it is
	Why    string // what is not supported, in words for people
	Polite bool   // it says nothing that would need support
}

// States reports whether the fault is one of what is stated (a number, a time, a name, an
// address, a promise) and not only of how.
func (f Finding) States() bool {
	switch f.Fault {
	case WrongNumber, WrongTime, WrongName, WrongLink, Promises:
		return true
	}
	return false
}

// A Checker holds sentences against passages. It is safe for concurrent use.
type Checker struct {
	Analyzer *text.Analyzer // of the passages' language
	Language string         // of the passages, ISO 639-1
	Names    []string       // that may be used anywhere: the business, the bot, the customer
	Said     string         // what the customer said: it may be taken up
}

// Check holds a whole reply against the passages, and returns what it finds of each
// sentence, in order.
func (c Checker) Check(reply []Sentence, grounds []Ground) []Finding {
	findings := make([]Finding, len(reply))
	whole := make([]string, len(reply))
	for i, s := range reply {
		whole[i] = s.inKnowledge()
	}
	for i, s := range reply {
		findings[i] = c.check(s, on(s, grounds), strings.Join(whole, " "))
	}
	return findings
}

// Standing returns the sentences of a text whose numbers, times, names and addresses stand
// in what it is about, and that promise nothing else.
func (c Checker) Standing(words, on string) string {
	var kept []string
	for _, f := range c.held(words, on) {
		if !f.States() {
			kept = append(kept, f.Says)
		}
	}
	return strings.Join(kept, " ")
}

// Says reports whether all of a text stands on another one; one that says nothing does not.
func (c Checker) Says(words, on string) bool {
	findings := c.held(words, on)
	return len(findings) > 0 && !slices.ContainsFunc(findings, func(f Finding) bool { return f.Fault != "" })
}

// held are the findings on the sentences of a text that stands on another one alone.
func (c Checker) held(words, on string) []Finding {
	const ground = "ground"
	var reply []Sentence
	for _, span := range text.Sentences(words) {
		reply = append(reply, Sentence{Says: words[span.Start:span.End], On: []string{ground}})
	}
	return c.Check(reply, []Ground{{ID: ground, Text: on}})
}

// inKnowledge is what a sentence says in the language of the passages.
func (s Sentence) inKnowledge() string {
	if s.Means != "" {
		return s.Means
	}
	return s.Says
}

func on(s Sentence, grounds []Ground) (list []Ground) {
	for _, g := range grounds {
		if slices.Contains(s.On, g.ID) {
			list = append(list, g)
		}
	}
	return list
}

func (c Checker) check(s Sentence, grounds []Ground, reply string) Finding {
	f := Finding{Sentence: s}
	wrong := func(fault Fault, format string, args ...any) Finding {
		f.Fault, f.Why = fault, fmt.Sprintf(format, args...)
		return f
	}
	if s.Means != "" {
		if why := c.renders(s); why != "" {
			return wrong(BadRendering, "%s", why)
		}
	}
	says := s.inKnowledge()
	if c.polite(says) {
		f.Polite = true
		return f
	}
	if len(grounds) == 0 {
		return wrong(NoGround, "it names no passage that it was given")
	}
	g := c.ground(grounds)
	if why := g.lacksLink(says); why != "" {
		return wrong(WrongLink, "%q is in no passage that it names", why)
	}
	if q, ok := g.lacksQuantity(says, c.Said); ok {
		fault := WrongNumber
		if q.kind == "clock" || q.kind == "day" || q.kind == "minutes" || q.kind == "days" || q.kind == "months" {
			fault = WrongTime
		}
		return wrong(fault, "%q is in no passage that it names", q.shown)
	}
	if day := g.lacksDay(says); day != "" {
		return wrong(WrongTime, "%q is in no passage that it names", day)
	}
	if name := c.lacksName(says, g); name != "" {
		return wrong(WrongName, "%q is in no passage that it names", name)
	}
	if what := c.promise(says, g); what != "" {
		return wrong(Promises, "%q is not said there", what)
	}
	said := c.state(says)
	h := c.hold(said, g)
	if h.share < leastShare {
		return wrong(Unlike, "the passages say little of it: %s", strings.Join(h.extra, ", "))
	}
	if len(h.extra) > 0 && (h.share < mostShare || h.adds) {
		return wrong(Adds, "not said there: %s", strings.Join(h.extra, ", "))
	}
	if q, ok := c.unbound(said, g); ok {
		return wrong(WrongNumber, "%q is said of something else there", q.shown)
	}
	if scattered := c.scattered(said, g); scattered != "" {
		return wrong(Unlike, "no sentence there says %q", scattered)
	}
	if why := c.denial(said, g, h); why != "" {
		return wrong(Denies, "%s", why)
	}
	if word := c.hedge(said, h); word != "" {
		return wrong(Unqualified, "it leaves out %q", word)
	}
	if lost := c.lost(h, reply); lost != "" {
		return wrong(Unqualified, "it leaves out %q", lost)
	}
	return f
}

// What share of a sentence's telling words, by weight, must be in its passages: so much in
// any case, and so much where the words that are added are the customer's own. Any other
// word that is not there is an addition.
const (
	leastShare = 0.5
	mostShare  = 0.7
)

var links = regexp.MustCompile(`(?i)\b(?:https?://|www\.)\S+|\b[\w.+-]+@[\w-]+(?:\.[\w-]+)+|\b[\w-]+(?:\.[\w-]+)*\.(?:com|org|net|example|info|io|eu|uk|de|fr)\b(?:/\S*)?`)

func (g *ground) lacksLink(says string) string {
	for _, link := range links.FindAllString(says, -1) {
		if link = strings.TrimRight(link, ".,;:!?)"); !strings.Contains(strings.ToLower(g.text), strings.ToLower(link)) {
			return link
		}
	}
	return ""
}

func (g *ground) lacksQuantity(says, said string) (quantity, bool) {
	for _, q := range quantitiesOf(says) {
		if slices.ContainsFunc(g.quantities, q.same) || q.kind == "" && takenUp(q, says, said) {
			continue
		}
		return q, true
	}
	return quantity{}, false
}

// takenUp reports whether a bare number is the customer's own, told again with the same
// word beside it: "for your 34 pupils".
func takenUp(q quantity, says, said string) bool {
	return said != "" && strings.Contains(text.Fold(said), text.Fold(q.shown)) && len(text.Words(q.shown)) > 1
}

func (g *ground) lacksDay(says string) string {
	for day := range daysOf(says) {
		if !g.days[day] {
			return day
		}
	}
	return ""
}

// lacksName returns a name in a sentence that neither the passages nor the customer know.
func (c Checker) lacksName(says string, g *ground) string {
	for _, w := range text.Words(says) {
		if !text.IsNamed(says, w) && !coded(says[w.Start:w.End]) || len(w.Folded) < 2 || c.Analyzer.IsStop(says[w.Start:w.End], w.Folded) {
			continue
		}
		if strings.Contains(g.folded, w.Folded) || g.stems[c.Analyzer.Stem(w.Folded)] || isWeekday(w.Folded) {
			continue
		}
		if slices.ContainsFunc(c.Names, func(name string) bool { return strings.Contains(text.Fold(name), w.Folded) }) {
			continue
		}
		if months[w.Folded] != "" {
			continue // looked at with the times
		}
		return says[w.Start:w.End]
	}
	return ""
}

func isWeekday(folded string) bool {
	_, ok := weekdays[strings.TrimSuffix(folded, "s")]
	return ok
}

var code = regexp.MustCompile(`^(?:[A-Z]{2,}[0-9]*|[A-Za-z]+[0-9]+[A-Za-z0-9]*)$`)

func coded(word string) bool { return code.MatchString(word) }
