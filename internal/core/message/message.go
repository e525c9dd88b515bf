// Package message holds what a message to a customer is made of.
package message

import "strings"

// A Part is one part of a message.
type Part struct {
	Kind Kind   `json:"kind" required:"true" enum:"text"`
	Text string `json:"text,omitempty"`
}

// Kind is the kind of a part.
type Kind string

// The kinds of parts. A channel that cannot carry a kind gets it as text.
const Text Kind = "text"

// Of returns a message of one text.
func Of(words string) []Part { return []Part{{Kind: Text, Text: words}} }

// Plain returns a message as text alone, a paragraph each part.
func Plain(parts []Part) string {
	var texts []string
	for _, p := range parts {
		if p.Text != "" {
			texts = append(texts, p.Text)
		}
	}
	return strings.Join(texts, "\n\n")
}
