package answer

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// An amount is a number that a question names, with what it counts: "my 12 year old", "in size
// 47", "for 25 people". A text holds it that names a range in which it lies.
type amount struct {
	n      int
	term   int      // of the question
	age    bool     // it is somebody's age
	units  []string // the stems of what it counts
	people bool     // of whom there is or is not room

	measure text.Unit // what it is measured in, zero where it counts
}

// How somebody's age is said. The last form says so only at the end of what is said, or before a question.
var (
	anAge  = regexp.MustCompile(`(?i)\b(\d{1,3})[\s-]*(?:(?:years?|yrs?)[\s-]*(?:olds?\b|of age\b)|y/?o\b|yrs?\b)|\baged?\s+(\d{1,3})\b|\((\d{1,2})\)|\b(?:i'?m|i am|he'?s|she'?s|is|are|turned|turns|just)\s+(\d{1,2})(?:\s+(?:and|but|so|do|does|can|could|may|must|will|would|should|what|how|is)\b|\s*(?:[,.;:!?]|$))`)
	oldAge = text.Set("year years yr yrs old olds age aged yo")
	people = text.Set("adult adults age aged baby babies boy boys child children girl girls infant infants junior juniors kid kids old older passenger passengers people person persons pupil pupils senior seniors student students teen teenager teenagers toddler toddlers years young younger youth youths")
)

// amounts finds the numbers that a question names, and leaves out the words that only say that
// one is an age.
func (q *question) amounts(ix *knowledge.Index, asked string) {
	analyzer := ix.Analyzer()
	if !analyzer.English() {
		return
	}
	var ages []text.Span
	for _, m := range anAge.FindAllStringIndex(asked, -1) {
		ages = append(ages, text.Span{Start: m[0], End: m[1]})
	}
	ofAge := func(t term) bool {
		return slices.ContainsFunc(ages, func(s text.Span) bool { return s.Start <= t.Start && t.End <= s.End })
	}
	q.terms = slices.DeleteFunc(q.terms, func(t term) bool { return oldAge[t.Word] && ofAge(t) })
	for i, t := range q.terms {
		n, err := strconv.Atoi(t.Word)
		if err != nil || len(t.Word) > 6 || isFraction(asked, text.Span{Start: t.Start, End: t.End}) {
			continue
		}
		a := amount{n: n, term: i, age: ofAge(t)}
		if next := text.Words(asked[t.End:min(len(asked), t.End+nearRange)]); len(next) > 0 {
			a.measure, _ = text.UnitOf(next[0].Folded)
		}
		for _, o := range q.terms {
			if near := o.Start - t.End; o.Start > t.Start && near <= 2 || t.Start-o.End >= 0 && t.Start-o.End <= 1 {
				for _, alternative := range o.want {
					a.units = append(a.units, alternative.Stem)
				}
			}
		}
		a.people = !a.age && slices.ContainsFunc([]string{"people", "persons", "guests"}, func(word string) bool { return slices.Contains(a.units, analyzer.Stem(word)) })
		q.counted = append(q.counted, a)
	}
}

// isFraction reports whether a number is only one side of a longer one: "2.4", "9.30".
func isFraction(s string, at text.Span) bool {
	digit := func(i int) bool { return i >= 0 && i < len(s) && s[i] >= '0' && s[i] <= '9' }
	mark := func(i int) bool { return i >= 0 && i < len(s) && (s[i] == '.' || s[i] == ',' || s[i] == ':') }
	return mark(at.Start-1) && digit(at.Start-2) || mark(at.End) && digit(at.End+1)
}

func isPeople(w text.Word) bool { return people[w.Folded] }

// ofNoCharge are the words that say of an age what it pays.
var ofNoCharge = text.Set("free half nothing")

// nearRange is how far from a range what it counts may stand, in bytes.
const nearRange = 24

// inRange notes which numbers of the question lie in ranges that a text names of the same
// things, and which do not lie in one whose bound they are: a child of 14 is not "under 14".
func (w *weigher) inRange(held []float64, content string, worth float64) {
	if len(w.q.counted) == 0 {
		return
	}
	w.otherMeasures(held, content)
	w.haveRoom(held, content, worth)
	for _, r := range text.Ranges(content) {
		before, behind := text.Words(content[max(0, r.Start-nearRange):r.Start]), text.Words(content[r.End:min(len(content), r.End+nearRange)])
		before = before[max(0, len(before)-2):]
		if len(behind) > 0 && ofNoCharge[behind[0].Folded] {
			behind = behind[1:] // "under 5 free"
		}
		ofAges := len(before)+len(behind) == 0 || slices.ContainsFunc(before, isPeople) || slices.ContainsFunc(text.Words(content[r.Start:r.End]), isPeople)
		for _, a := range w.q.counted {
			counts := func(word text.Word) bool { return w.counts(a, word) }
			of := a.age && (ofAges || slices.ContainsFunc(behind, isPeople)) ||
				!a.age && !ofAges && (slices.ContainsFunc(before, counts) || slices.ContainsFunc(behind[:min(2, len(behind))], counts))
			bounded := r.From != 0 && a.n == r.From-1 || r.To != math.MaxInt && a.n == r.To+1
			switch {
			case of && r.Holds(a.n):
				held[a.term] = max(held[a.term], worth)
			case bounded:
				held[a.term] = 0
			}
		}
	}
}

// capacity is how a text says for how many something is: "(20 people)", "a table for 6 guests".
var capacity = regexp.MustCompile(`(?i)\b(\d{1,4})\s+(?:people|persons|guests|seats|places|passengers)\b`)

// haveRoom notes which numbers of people that the question names a text has room for.
func (w *weigher) haveRoom(held []float64, content string, worth float64) {
	for _, a := range w.q.counted {
		if a.age || !slices.ContainsFunc(a.units, func(stem string) bool {
			return stem == w.analyzer.Stem("people") || stem == w.analyzer.Stem("persons") || stem == w.analyzer.Stem("guests")
		}) {
			continue
		}
		for _, m := range capacity.FindAllStringSubmatch(content, -1) {
			if n, err := strconv.Atoi(m[1]); err == nil && a.n <= n {
				held[a.term] = max(held[a.term], worth)
			}
		}
	}
}

// counts reports whether a word names what an amount counts, or is measured in.
func (w *weigher) counts(a amount, word text.Word) bool {
	unit, is := text.UnitOf(word.Folded)
	return slices.Contains(a.units, w.analyzer.Stem(word.Folded)) || is && unit == a.measure
}

// isPriceAt reports whether a number is what something costs.
func isPriceAt(s string, at int) bool {
	before, _ := utf8.DecodeLastRuneInString(s[:at])
	return strings.ContainsRune("£$€", before)
}

// otherMeasures notes which numbers of the question a text names only of something else: ten
// nights are not "10 kg", nor is a child of 4 "£4".
func (w *weigher) otherMeasures(held []float64, content string) {
	for _, a := range w.q.counted {
		if len(a.units) == 0 && a.measure == (text.Unit{}) && !a.age || held[a.term] == 0 {
			continue
		}
		said, other := 0, 0
		words := text.Words(content)
		for i, word := range words {
			if word.Folded != strconv.Itoa(a.n) {
				continue
			}
			if said++; isPriceAt(content, word.Start) {
				other++
				continue
			}
			if a.age {
				continue
			}
			next := i + 1
			for next < len(words) && (words[next].Folded == "to" || isNumber(words[next].Folded)) {
				next++ // "10 to 25 kg"
			}
			if next < len(words) && !w.counts(a, words[next]) {
				if _, measured := text.UnitOf(words[next].Folded); measured {
					other++
				}
			}
		}
		if said > 0 && said == other {
			held[a.term] = 0
		}
	}
}

// onFeasts notes which feasts of the question a text names by their dates.
func (w *weigher) onFeasts(held []float64, content string, worth float64) {
	for _, feast := range w.q.feasts {
		if !feast.Dates(content) {
			continue
		}
		for i, t := range w.q.terms {
			if feast.Start <= t.Start && t.End <= feast.End {
				held[i] = max(held[i], worth)
			}
		}
	}
}

// otherDay is how well a text holds a day of the week that names others: "Saturdays only" says
// something of Sunday.
const otherDay = 0.3

// onDays notes which days of the week that the question names a text holds, which names these.
func (w *weigher) onDays(held []float64, days text.Weekdays, worth float64) {
	for _, d := range w.q.days {
		switch {
		case days.Has(d.weekday):
			held[d.term] = max(held[d.term], worth)
		case days != 0:
			held[d.term] = max(held[d.term], otherDay*worth)
		}
	}
}
