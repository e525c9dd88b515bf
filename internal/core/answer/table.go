package answer

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A row of a table, as the reading writes them: "Adult, return: Gannet Holm £25.90; ...".
type row struct {
	text.Span
	name  string
	cells []string
}

// tableAt returns the rows of the table of which a sentence is one, and which of them it is.
func tableAt(s string, sentences []sentence, at int) (rows []row, which int) {
	own := rowOf(s, sentences[at].Span)
	belongs := func(i int) bool {
		return isRow(s, sentences[i].Span) && len(rowOf(s, sentences[i].Span).cells) == len(own.cells)
	}
	first, last := at, at
	for first > 0 && belongs(first-1) {
		first--
	}
	for last+1 < len(sentences) && belongs(last+1) {
		last++
	}
	for _, sentence := range sentences[first : last+1] {
		rows = append(rows, rowOf(s, sentence.Span))
	}
	return rows, at - first
}

func rowOf(s string, at text.Span) row {
	name, cells, _ := strings.Cut(s[at.Start:at.End], ": ")
	return row{at, name, strings.Split(strings.TrimSuffix(cells, "."), "; ")}
}

// columns returns the names of a table's columns: what the cells of each begin with. One
// that has no name is "".
func columns(rows []row) []string {
	names := make([]string, len(rows[0].cells))
	for k := range names {
		common := strings.Fields(rows[0].cells[k])
		for _, r := range rows[1:] {
			words := strings.Fields(r.cells[k])
			n := 0
			for n < min(len(common), len(words)-1) && common[n] == words[n] {
				n++ // its last word is what the cell holds
			}
			common = common[:n]
		}
		if len(rows) > 1 {
			names[k] = strings.Join(common, " ")
		}
	}
	return names
}

// mostRows is how many rows of a table are said at most.
const mostRows = 6

// sayTable says of a table what was asked for: of the rows that the question names, or of
// all if it names only a column, the columns that it names, or all if it names none.
// "Adult, return, Gannet Holm: £25.90." It returns "" where the row by itself says all.
func (w *weigher) sayTable(c *Candidate, at int) (said string, whole text.Span) {
	rows, which := tableAt(c.Text, c.sentences, at)
	whole = c.sentences[at].Span
	if len(rows) < 2 {
		return "", whole
	}
	names := columns(rows)
	ofColumns, ofRows := w.named(w.withoutOtherNumbers(names)), make([]string, len(rows))
	for i, r := range rows {
		ofRows[i] = r.name
	}
	chosenRows, chosen := w.rowsNamed(ofRows), rows[which:which+1]
	if w.q.extreme != 0 {
		chosenRows, ofColumns = nil, nil
	}
	if asksWhether.MatchString(w.q.mended) && len(chosenRows) > 0 && len(chosenRows) < len(rows) {
		ofColumns = nil // "is the shop open today?" is not answered by when it opens alone
	}
	switch {
	case len(chosenRows) > 0 && len(chosenRows) < len(rows):
		chosen = nil
		for _, i := range chosenRows {
			chosen = append(chosen, rows[i])
		}
	case len(ofColumns) > 0 && len(ofColumns) < len(names):
		chosen = rows
	}
	if len(chosen) > mostRows {
		return "", whole
	}
	whole = text.Span{Start: chosen[0].Start, End: chosen[len(chosen)-1].End}
	if len(ofColumns) == 0 || len(ofColumns) == len(names) {
		if len(chosen) == 1 && chosen[0].Span == rows[which].Span {
			return "", whole
		}
		var lines []string
		for _, r := range chosen {
			lines = append(lines, c.Text[r.Start:r.End])
		}
		return strings.Join(lines, "\n"), whole
	}
	holds := func(r row, k int) string { return strings.TrimSpace(strings.TrimPrefix(r.cells[k], names[k])) }
	var lines []string
	for _, k := range ofColumns {
		if len(chosen) == 1 {
			lines = append(lines, chosen[0].name+", "+names[k]+": "+holds(chosen[0], k)+".")
			continue
		}
		var cells []string
		for _, r := range chosen {
			cells = append(cells, r.name+" "+holds(r, k))
		}
		lines = append(lines, names[k]+": "+strings.Join(cells, "; ")+".")
	}
	return strings.Join(lines, "\n"), whole
}

var (
	asksWhether = regexp.MustCompile(`(?i)^\W*(?:is|are|do|does|can|could|will|would)\b`)

	asksLeast = regexp.MustCompile(`(?i)\b(?:cheapest|least expensive|lowest (?:price|cost|fare|rate))\b`)
	asksMost  = regexp.MustCompile(`(?i)\b(?:dearest|most expensive|highest (?:price|cost|fare|rate))\b`)
	aPrice    = regexp.MustCompile(`[£$€]\s?(\d[\d,]*(?:\.\d+)?)`)
)

// extremeAsked reports whether a question asks for what costs least, -1, or most, 1.
func extremeAsked(question string) int {
	switch {
	case asksLeast.MatchString(question):
		return -1
	case asksMost.MatchString(question):
		return 1
	}
	return 0
}

// A priced is a row, or an item of a list, with one of its prices.
type priced struct {
	at    int
	price float64
}

// prices are those of the rows and items of a passage.
func (c *Candidate) prices() (list []priced) {
	for i, s := range c.sentences {
		said := c.Text[s.Start:s.End]
		if !isRow(c.Text, s.Span) && !labelledItem.MatchString(said) {
			continue
		}
		for _, m := range aPrice.FindAllStringSubmatch(said, -1) {
			if of, err := strconv.ParseFloat(strings.ReplaceAll(m[1], ",", ""), 64); err == nil {
				list = append(list, priced{i, of})
			}
		}
	}
	return list
}

// tellsPrices reports whether a passage tells the prices of several things.
func (c *Candidate) tellsPrices() bool {
	list := c.prices()
	return len(list) > 1 && list[0].at != list[len(list)-1].at
}

// ofExtremePrice returns the row, or the item of a list, that costs least or most, where that is
// asked for and the passage tells the prices of several.
func (w *weigher) ofExtremePrice(c *Candidate, first int) int {
	if w.q.extreme == 0 || !c.tellsPrices() {
		return first
	}
	return slices.MaxFunc(c.prices(), func(a, b priced) int {
		return w.q.extreme * cmp.Compare(a.price, b.price)
	}).at
}

// extremeFirst puts a candidate that tells the prices of several things before the first, where it is
// asked for what costs least or most.
func (w *weigher) extremeFirst(candidates []Candidate) {
	if w.q.extreme == 0 {
		return
	}
	for i := range candidates[:min(choices, len(candidates))] {
		if candidates[i].tellsPrices() {
			if i > 0 {
				toFront(candidates, i)
			}
			return
		}
	}
}

// rowsNamed returns which rows the question names most of, and of these, or of all if it names
// none, those of which the message around it says the most: "... for my dog? He weighs 32 kilos."
func (w *weigher) rowsNamed(names []string) []int {
	chosen := w.named(names)
	if w.around == nil || len(chosen) == 1 {
		return chosen
	}
	among := slices.Clone(names)
	for i := range among {
		if len(chosen) > 0 && !slices.Contains(chosen, i) {
			among[i] = ""
		}
	}
	if said := w.around.named(among); len(said) > 0 {
		return said
	}
	return chosen
}

// numbersSaid are numbers in words.
var numbersSaid = text.Set("two three four five six seven eight nine ten eleven twelve fifteen twenty thirty forty fifty hundred")

// withoutOtherNumbers leaves out the names that hold a number which the question does not: who
// asks what one visit costs does not ask for "Ten visits".
func (w *weigher) withoutOtherNumbers(names []string) []string {
	list := slices.Clone(names)
	for i, name := range names {
		for word := range text.EachWord(name) {
			if isNumber(word.Folded) && !slices.ContainsFunc(w.q.terms, func(t term) bool { return t.Word == word.Folded }) {
				list[i] = ""
			}
		}
	}
	return list
}

func isNumber(folded string) bool {
	return numbersSaid[folded] || folded[0] >= '0' && folded[0] <= '9'
}

// named returns which of some names of rows or columns hold most of what the question
// tells, by weight; none if none holds anything.
func (w *weigher) named(names []string) (best []int) {
	most := 0.0
	for i, name := range names {
		held := w.held(name)
		sum := 0.0
		for k, t := range w.q.terms {
			sum += held[k] * t.weight
		}
		switch {
		case sum > most+1e-9:
			most, best = sum, []int{i}
		case sum > 0 && sum >= most-1e-9:
			best = append(best, i)
		}
	}
	return best
}

// rowAsked puts a row before the first candidate if the question asks for nothing but it, and it
// holds the kind of fact that is asked for: "what does Plus cost?" is answered by the row Plus of
// the prices, whatever else speaks of its cost.
func (w *weigher) rowAsked(candidates []Candidate) {
	for i := 1; i < min(choices, len(candidates)); i++ {
		first, c := candidates[0], candidates[i]
		if first.Question == "" && first.From.IsZero() && first.Until.IsZero() && !isRow(first.Text, first.Quote) && w.isRowAsked(&c) {
			toFront(candidates, i)
			return
		}
	}
}

func (w *weigher) isRowAsked(c *Candidate) bool {
	at := slices.IndexFunc(c.sentences, func(s sentence) bool { return s.Start >= c.Quote.Start })
	if at < 0 || w.q.fact == nil || w.telling == 0 || !isRow(c.Text, c.sentences[at].Span) || !w.q.fact.in(c.Text[c.sentences[at].Start:c.sentences[at].End]) {
		return false
	}
	name := w.analyzer.Telling(rowOf(c.Text, c.sentences[at].Span).name)
	for _, t := range w.q.terms {
		if !t.Light && !slices.ContainsFunc(name, func(o text.Term) bool { return o.Stem == t.Stem }) {
			return false
		}
	}
	return len(name) == w.telling
}

// ofCode is how sure one may be at least of the row whose name is a code that is asked about.
const ofCode = 0.75

// sureOfCode trusts the first candidate where it is the row of a code that the question names,
// whatever is told around it: "error E01 keeps coming up".
func (w *weigher) sureOfCode(candidates []Candidate) {
	if len(candidates) == 0 {
		return
	}
	first := &candidates[0]
	if first.Sure < 0.5 || first.Features.NoFact > 0 || !isRow(first.Text, first.Quote) {
		return
	}
	named := w.analyzer.Telling(rowOf(first.Text, first.Quote).name)
	if slices.ContainsFunc(w.q.terms, func(t term) bool {
		return isCode(t.Word) && slices.ContainsFunc(named, func(o text.Term) bool { return o.Stem == t.Stem })
	}) {
		first.Confidence = max(first.Confidence, ofCode)
	}
}
