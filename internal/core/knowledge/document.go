// Package knowledge turns documents into passages and finds the passages that
// speak of a question. It computes in memory and opens nothing.
package knowledge

import (
	"strings"
	"time"
	"unicode/utf8"

	"urgentparrot.example/internal/core/text"
)

// A Document is what a reader made of one file or page: sections of plain text
// under their headings, or pairs of questions and answers.
type Document struct {
	Title    string
	Sections []Section
	Pairs    []Pair
}

// ItemMark begins each item of a list.
const ItemMark = "- "

// A Section is the text between two headings. Paragraphs are separated by a
// blank line; table rows and list items, which begin with ItemMark, stand on
// lines of their own.
type Section struct {
	Trail []string // the headings above, outermost first
	Text  string
}

// A Pair is a question with the answer that a person wrote for it.
type Pair struct{ Question, Answer string }

// A Passage is the piece of a document that an answer quotes. A house answer is
// a passage with a question.
type Passage struct {
	ID       string    `json:"id"`
	SourceID string    `json:"source_id"`
	Source   string    `json:"source"`            // the source's name
	Title    string    `json:"title,omitempty"`   // the document's title, for citing
	Address  string    `json:"address,omitempty"` // where a reader finds it, if anywhere
	Trail    []string  `json:"trail,omitempty"`
	Question string    `json:"question,omitempty"`
	Asked    []string  `json:"asked,omitempty"` // questions that it answers, in customers' words
	Text     string    `json:"text"`
	Position int       `json:"position"` // its place in the source, from 0
	ReadAt   time.Time `json:"read_at"`
	From     time.Time `json:"from,omitzero"`  // holds from then on; zero: always did
	Until    time.Time `json:"until,omitzero"` // and until then; zero: for good
	Only     string    `json:"only,omitempty"` // who alone may use it; "": whoever may use its source

	Views  []Code `json:"-"` // the vectors of what Said returns, once they are known
	Tokens []byte `json:"-"` // those of its sentences, as encoder.Bytes keeps them; an index does not hold them
}

// ViewsVersion tells apart vectors of passages that were made of other texts than
// those that Said returns now.
const ViewsVersion = "3"

// SentencesFrom is the place in what Said returns from which on its sentences stand.
const SentencesFrom = 2

// Said returns what is encoded of a passage, so that it is found by its meaning:
// its question or innermost heading, the whole, then each of its sentences below
// that heading: many a sentence only says what it is about together with it. The questions
// that it is said to answer come last.
func (p *Passage) Said() []string {
	head := p.Question
	if head == "" && len(p.Trail) > 0 {
		head = text.Unnumbered(p.Trail[len(p.Trail)-1])
	}
	said := []string{head, p.Text}
	for _, span := range text.Sentences(p.Text) {
		sentence := p.Text[span.Start:span.End]
		if head != "" {
			sentence = head + ": " + sentence
		}
		said = append(said, sentence)
	}
	return append(said, p.Asked...)
}

const (
	passageWords    = 110 // a passage is closed once it holds as many words
	passageMaxWords = 180 // and never holds more, unless one sentence does
)

// Passages cuts a document into passages of about 60 to 180 words, at ends of
// sentences, never across sections. The passages have Trail, Question, Text and
// Position; the caller adds the rest.
func (d Document) Passages() []Passage {
	var passages []Passage
	add := func(p Passage) {
		for _, p.Text = range inPieces(p.Text) {
			if p.Text = strings.TrimSpace(p.Text); saysSomething(p.Text) {
				p.Position = len(passages)
				passages = append(passages, p)
			}
		}
	}
	for _, pair := range d.Pairs {
		add(Passage{Question: text.Squeeze(pair.Question), Text: pair.Answer})
	}
	for _, section := range d.Sections {
		for _, piece := range cut(section.Text) {
			add(Passage{Trail: section.Trail, Text: piece})
		}
	}
	return passages
}

// saysSomething reports whether a text holds a word: marks alone answer nobody.
func saysSomething(s string) bool {
	for range text.EachWord(s) {
		return true
	}
	return false
}

// longestPassage is the longest passage, in bytes: what is longer, without an end of a
// sentence or even of a word, is cut all the same.
const longestPassage = 6_000

// inPieces cuts a text that is longer than a passage may be, at a space if there is one.
func inPieces(s string) (pieces []string) {
	for len(s) > longestPassage {
		end := longestPassage
		for end > 0 && !utf8.RuneStart(s[end]) {
			end--
		}
		if i := strings.LastIndexAny(s[:end], " \n"); i > end/2 {
			end = i
		}
		pieces, s = append(pieces, s[:end]), s[end:]
	}
	return append(pieces, s)
}

// cut divides a section's text at paragraphs, and long paragraphs at sentences.
// A line that ends in a colon stays with what it introduces.
func cut(s string) []string {
	var pieces []string
	var piece strings.Builder
	words := 0
	flush := func() {
		if piece.Len() > 0 {
			pieces = append(pieces, piece.String())
			piece.Reset()
			words = 0
		}
	}
	for _, paragraph := range strings.Split(s, "\n\n") {
		joint := "\n\n"
		for _, span := range text.Sentences(paragraph) {
			sentence := paragraph[span.Start:span.End]
			n := len(strings.Fields(sentence))
			if words > 0 && words+n > passageMaxWords {
				flush()
			}
			if piece.Len() > 0 {
				piece.WriteString(joint)
			}
			piece.WriteString(sentence)
			words += n
			joint = " "
			if rest := paragraph[span.End:]; strings.HasPrefix(strings.TrimLeft(rest, " "), "\n") {
				joint = "\n"
			}
		}
		if words >= passageWords && !strings.HasSuffix(strings.TrimSpace(paragraph), ":") {
			flush()
		}
	}
	flush()
	return pieces
}
