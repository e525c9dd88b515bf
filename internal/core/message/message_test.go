package message

import "testing"

// A message reads the same where there are no buttons: a paragraph each part, choices with
// numbers, nothing for what is empty.
func TestMessagesReadAsText(t *testing.T) {
	for _, c := range []struct {
		parts []Part
		plain string
		is    string // the text that it is just
	}{
		{nil, "", "anything"},
		{Of("Hello"), "Hello", "Hello"},
		{Of(""), "", ""},
		{[]Part{{Kind: Text, Text: "Which?"}, {Kind: Choices, Choices: []string{"Gannet Holm", "Hallow Point"}}}, "Which?\n\n1. Gannet Holm\n2. Hallow Point", ""},
		{[]Part{{Kind: Text}, {Kind: Choices}, {Kind: Text, Text: "Bye"}}, "Bye", ""},
		{[]Part{{Kind: Choices, Choices: []string{"Hello"}}}, "1. Hello", ""},
	} {
		if got := Plain(c.parts); got != c.plain {
			t.Errorf("%+v reads %q, not %q", c.parts, got, c.plain)
		}
		if c.is != "" && !IsText(c.parts, c.is) {
			t.Errorf("%+v is not just %q", c.parts, c.is)
		}
		if IsText(c.parts, "another text") != (len(c.parts) == 0) {
			t.Errorf("%+v is taken for another text", c.parts)
		}
	}
}
