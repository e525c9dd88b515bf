package answer

import (
	"strings"

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

// Words returns the sentences that answer, or what a table says, within limit runes (0: no limit),
// cut only between sentences.
func (c Candidate) Words(limit int) string {
	said := c.said
	if said == "" {
		said = strings.TrimSpace(c.Text[c.Quote.Start:c.Quote.End])
	}
	return text.Fit(said, limit, false)
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
		return c.Trail[len(c.Trail)-1]
	}
	return c.Title
}
