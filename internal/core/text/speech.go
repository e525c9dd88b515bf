package text

import (
	"slices"
	"strings"
)

// Speech is what a language says for the everyday things that a dialogue turns on. Lists
// hold folded words and phrases.
type Speech struct {
	Yes, No    []string
	Stop       []string           // the wish not to be written to: the whole message is one of these
	Start      []string           // and to be written to again
	Correct    []string           // what begins a correction
	Numbers    map[string]float64 // of words
	NotClear   string             // before a question that is put again
	NotHere    string             // to a question in between that nobody can answer now
	StillNeed  string             // before the parts of an answer that are still to come
	IsItRight  string             // reads %s back
	StopDone   string             // after an opt-out
	Unclear    string             // before a person is brought in
	GivenUp    string             // when a step fails for good while the customer waits
	StartAgain string             // after a wish to be written to again
}

// SpeechOf returns the speech of a language by its ISO 639-1 code; what a language lacks
// is said in English.
func SpeechOf(code string) Speech {
	s, ok := speeches[code]
	if !ok {
		return speeches["en"]
	}
	en := speeches["en"]
	english := en.wordings()
	for name, words := range s.wordings() {
		if *words == "" {
			*words = *english[name]
		}
	}
	return s
}

// With returns the speech with phrases of a workspace: more of them in the lists "yes",
// "no", "stop", "start"; other words for what is said, by the names of PhraseNames.
func (s Speech) With(more map[string][]string) Speech {
	for _, list := range []struct {
		name string
		of   *[]string
	}{{"yes", &s.Yes}, {"no", &s.No}, {"stop", &s.Stop}, {"start", &s.Start}} {
		if words := more[list.name]; len(words) > 0 {
			*list.of = slices.Clone(*list.of)
			for _, w := range words {
				*list.of = append(*list.of, spacedWords(w))
			}
		}
	}
	for name, words := range s.wordings() {
		if own := more[name]; len(own) > 0 && own[0] != "" {
			*words = own[0]
		}
	}
	return s
}

// wordings are what is said, by name.
func (s *Speech) wordings() map[string]*string {
	return map[string]*string{
		"not_clear": &s.NotClear, "still_need": &s.StillNeed, "not_here": &s.NotHere, "is_it_right": &s.IsItRight, "stopped": &s.StopDone, "started_again": &s.StartAgain, "unclear": &s.Unclear, "given_up": &s.GivenUp,
	}
}

// PhraseNames are the names under which a workspace may have phrases of its own: words that
// customers say, and what is said to them.
func PhraseNames() []string {
	names := []string{"yes", "no", "stop", "start"}
	for name := range (&Speech{}).wordings() {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// Needs asks for the parts of an answer that are still to come.
func (s Speech) Needs(parts []string) string {
	return strings.ReplaceAll(s.StillNeed, "%s", strings.Join(parts, ", "))
}

// Readback asks whether a value is right.
func (s Speech) Readback(value string) string { return strings.ReplaceAll(s.IsItRight, "%s", value) }

// spacedWords is a text as folded words with a space between each.
func spacedWords(s string) string {
	var words []string
	for w := range EachWord(s) {
		words = append(words, w.Folded)
	}
	return strings.Join(words, " ")
}

// YesOrNo reports whether a reply says yes or no; ok is false where it says neither, or
// both.
func (s Speech) YesOrNo(said string) (yes, ok bool) {
	words := spacedWords(Plain(said))
	says := func(list []string) bool {
		return slices.ContainsFunc(list, func(w string) bool {
			return words == w || strings.HasPrefix(words, w+" ") || len(words) < 40 && strings.HasSuffix(words, " "+w)
		})
	}
	yes, no := says(s.Yes), says(s.No)
	return yes, yes != no
}

// OptsOut reports whether a message is the wish not to be written to any more.
func (s Speech) OptsOut(said string) bool { return slices.Contains(s.Stop, spacedWords(Plain(said))) }

// OptsIn reports whether a message is the wish to be written to again.
func (s Speech) OptsIn(said string) bool { return slices.Contains(s.Start, spacedWords(Plain(said))) }

// Corrects reports whether a message corrects what was said before, and returns the rest
// of it.
func (s Speech) Corrects(said string) (rest string, ok bool) {
	words := Words(said)
	longest := 0
	for _, mark := range s.Correct {
		n := len(strings.Fields(mark))
		if len(words) <= n || n <= longest {
			continue
		}
		lead := make([]string, n)
		for i := range n {
			lead[i] = words[i].Folded
		}
		if strings.Join(lead, " ") == mark {
			rest, longest, ok = said[words[n].Start:], n, true
		}
	}
	if !ok {
		return said, false
	}
	return rest, true
}

// A Figure is a number that stands in a text.
type Figure struct {
	Span
	Value float64
}

// Figures returns the numbers in a text, in digits or words, in order. What belongs to a
// day, a time, a price, an address or a telephone number is left out.
func (s Speech) Figures(said string) (list []Figure) {
	blanked := []byte(said)
	for _, pattern := range []interface {
		FindAllStringIndex(string, int) [][]int
	}{isoDate, dayMonth, clockTime, emailPattern} {
		for _, at := range pattern.FindAllStringIndex(said, mostDetails) {
			copy(blanked[at[0]:at[1]], strings.Repeat(" ", at[1]-at[0]))
		}
	}
	for _, at := range phonePattern.FindAllStringIndex(string(blanked), mostDetails) {
		if digits := strings.Map(onlyDigits, said[at[0]:at[1]]); len(digits) >= 9 {
			copy(blanked[at[0]:at[1]], strings.Repeat(" ", at[1]-at[0]))
		}
	}
	text := string(blanked)
	words := Words(text)
	for i := 0; i < len(words); i++ {
		w := words[i]
		if n, ok := digitsOf(w.Folded); ok {
			if w.Start > 0 && strings.ContainsAny(text[w.Start-1:w.Start], "$€#") || strings.HasSuffix(text[:w.Start], "£") {
				continue
			}
			end := w.End
			// 1,200 and 2.5 stand in two words.
			for i+1 < len(words) && words[i+1].Start == end+1 {
				next, more := digitsOf(words[i+1].Folded)
				switch {
				case more && text[end] == ',' && words[i+1].End-words[i+1].Start == 3:
					n = n*1000 + next
				case more && text[end] == '.':
					n += next / pow10(words[i+1].End-words[i+1].Start)
				default:
					more = false
				}
				if !more {
					break
				}
				end, i = words[i+1].End, i+1
			}
			list = append(list, Figure{Span{w.Start, end}, n})
			continue
		}
		n, last, ok := s.inWords(words, i)
		if ok {
			list = append(list, Figure{Span{w.Start, words[last].End}, n})
			i = last
		}
	}
	return list
}

func onlyDigits(r rune) rune {
	if r >= '0' && r <= '9' {
		return r
	}
	return -1
}

// digitsOf is a number that begins a word, as in "30" and "30ish".
func digitsOf(word string) (float64, bool) {
	digits := word
	for _, tail := range []string{"ish", "x", "pax", "ppl"} {
		if cut, ok := strings.CutSuffix(digits, tail); ok && cut != "" {
			digits = cut
		}
	}
	return Number(digits)
}

func pow10(n int) float64 {
	p := 1.0
	for range n {
		p *= 10
	}
	return p
}

// inWords reads a number in words from a place on: "thirty four", "two hundred and ten".
func (s Speech) inWords(words []Word, at int) (n float64, last int, ok bool) {
	const hundred, thousand = 100, 1000
	total, last := 0.0, at
	for i := at; i < len(words); i++ {
		value, known := s.Numbers[words[i].Folded]
		switch {
		case known && value == hundred && ok && n > 0 && n < 10:
			n *= hundred
		case known && value == thousand && ok && n > 0:
			total, n = total+n*thousand, 0
		case known && ok && (n == 0 || n >= 20 && int(n)%10 == 0 && value < 10 || n >= hundred && value < hundred):
			n += value
		case known && !ok:
			n = value
		case ok && n >= hundred && words[i].Folded == "and" && i+1 < len(words) && s.Numbers[words[i+1].Folded] > 0:
			continue
		default:
			return total + n, last, ok
		}
		ok, last = true, i
	}
	return total + n, last, ok
}
