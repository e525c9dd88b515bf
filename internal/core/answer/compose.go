package answer

import (
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// A Citation leads to the place that a reply stands on.
type Citation struct {
	PassageID string   `json:"passage_id"`
	Source    string   `json:"source" description:"The source's name."`
	Title     string   `json:"title,omitempty" description:"The title of the document."`
	Question  string   `json:"question,omitempty" description:"Of a house answer: the question it answers."`
	Address   string   `json:"address,omitempty"`
	Trail     []string `json:"trail,omitempty"`
	Text      string   `json:"text"`
}

// Quoted returns the sentences that answer, as they stand in the passage.
func (c Candidate) Quoted() string { return c.quoted(c.Quote) }

// quoted is what stands in a place of the passage, without the mark of an item that stands there
// by itself, and of those that have a number.
func (c Candidate) quoted(at text.Span) string {
	said := strings.TrimSpace(c.Text[at.Start:at.End])
	if isItem(said) && !strings.Contains(said, "\n"+knowledge.ItemMark) {
		said = said[len(knowledge.ItemMark):]
	}
	return countedItem.ReplaceAllString(said, "$1")
}

var countedItem = regexp.MustCompile(`(?m)^- (\(?\d{1,2}[.)] )`)

// Words returns the sentences that answer, or what a table says, within limit runes (0: no limit),
// cut only between sentences.
func (c Candidate) Words(limit int) string {
	said := c.said
	if said == "" {
		said = c.Quoted()
	}
	return text.Fit(said, limit, false)
}

// offeredRunes is how much is said of a passage that may be meant, about.
const offeredRunes = 280

// Offered returns what is said of a candidate that may be meant: the sentences that answer
// with those around them, so that the customer sees what it is about. Which of them answers
// is less sure than with an answer.
func (c Candidate) Offered(limit int) string {
	sentences := text.Sentences(c.Text)
	first := slices.IndexFunc(sentences, func(s text.Span) bool { return s.Start >= c.Quote.Start })
	if c.said != "" || c.Question != "" || first < 0 || isRow(c.Text, sentences[first]) {
		return c.Words(limit)
	}
	last := first
	for last+1 < len(sentences) && sentences[last+1].End <= c.Quote.End {
		last++
	}
	says := func(i int) string { return c.Text[sentences[i].Start:sentences[i].End] }
	apart := func(i, from int) bool { // what stands in a list by itself is not about what stands beside it
		if isItem(says(i)) != isItem(says(from)) {
			return !strings.HasSuffix(says(min(i, from)), ":")
		}
		return isItem(says(i)) && (isWhole(says(i)) || isWhole(says(from)))
	}
	fits := func(first, last int) bool {
		return last-first < quoteSentences && utf8.RuneCountInString(c.Text[sentences[first].Start:sentences[last].End]) <= offeredRunes
	}
	for {
		switch {
		case last+1 < len(sentences) && !apart(last+1, last) && fits(first, last+1):
			last++
		case first > 0 && !apart(first-1, first) && fits(first-1, last):
			first--
		default:
			said := c.quoted(text.Span{Start: sentences[first].Start, End: sentences[last].End})
			if question := c.repliesTo(said); question != "" {
				said = question + " " + said // to which it says yes or no
			}
			return text.Fit(said, limit, false)
		}
	}
}

// Cite returns the citation for a candidate.
func (c Candidate) Cite() Citation {
	return Citation{PassageID: c.ID, Source: c.Source, Title: c.Title, Question: c.Question, Address: c.Address, Trail: c.Trail, Text: c.Text}
}

// Label names what a candidate is about, for asking whether it is meant: its
// question or its innermost heading.
func (c Candidate) Label() string {
	if c.Question != "" {
		return c.Question
	}
	if len(c.Trail) > 0 {
		return text.Unnumbered(c.Trail[len(c.Trail)-1])
	}
	return c.Title
}
