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
