// Package message holds what a message to a customer is made of.
package message

import (
	"fmt"
	"strings"
)

// A Part is one part of a message.
type Part struct {
	Kind    Kind     `json:"kind" required:"true" enum:"text,choices"`
	Text    string   `json:"text,omitempty"`
	Choices []string `json:"choices,omitempty" description:"What the customer may choose from, in order: buttons, or lines with numbers where there are none."`
}

// Kind is the kind of a part.
type Kind string

// The kinds of parts. A channel that cannot carry a kind gets it as text.
const (
	Text    Kind = "text"
	Choices Kind = "choices"
)

// Beside is what came with a message beside its text, where its channel brings it, as mails
// do. People are told as "Name <address>".
type Beside struct {
	Subject   string   `json:"subject,omitempty"`
	From      string   `json:"from,omitempty"`
	ReplyTo   string   `json:"reply_to,omitempty"` // the address that an answer goes to, where it is not the one that it is from
	To        []string `json:"to,omitempty"`
	Copy      []string `json:"copy,omitempty"`
	Quoted    string   `json:"quoted,omitempty"` // what was written before, and stood below
	Signature string   `json:"signature,omitempty"`
	Silent    string   `json:"silent,omitempty"`   // why nothing answers it
	Proof     string   `json:"proof,omitempty"`    // what is known of whether it is from whom it says
	Problems  []string `json:"problems,omitempty"` // what of it could not be read
}

// IsEmpty reports whether nothing came beside the text.
func (b Beside) IsEmpty() bool {
	return b.Subject+b.From+b.ReplyTo+b.Quoted+b.Signature+b.Silent+b.Proof == "" && len(b.To)+len(b.Copy)+len(b.Problems) == 0
}

// Of returns a message of one text.
func Of(words string) []Part { return []Part{{Kind: Text, Text: words}} }

// IsText reports whether a message is just this text.
func IsText(parts []Part, words string) bool {
	return len(parts) == 0 || len(parts) == 1 && parts[0].Kind == Text && parts[0].Text == words
}

// Plain returns a message as text alone, a paragraph each part.
func Plain(parts []Part) string {
	var texts []string
	for _, p := range parts {
		words := p.Text
		if p.Kind == Choices {
			words = Numbered(p.Choices)
		}
		if words != "" {
			texts = append(texts, words)
		}
	}
	return strings.Join(texts, "\n\n")
}

// Numbered returns choices as lines with numbers.
func Numbered(choices []string) string {
	lines := make([]string, len(choices))
	for i, choice := range choices {
		lines[i] = fmt.Sprintf("%d. %s", i+1, choice)
	}
	return strings.Join(lines, "\n")
}
