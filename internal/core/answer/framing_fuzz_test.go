package answer

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/text"
)

// Whatever is written, what is read of it stands in it, in order, and a message that asks
// something is not left without anything to answer.
func FuzzSplit(f *testing.F) {
	for _, s := range []string{
		"sorry to bother you, how much is a van?? thanks", "hi!!! can you help", "Do dogs travel free? Best regards,\nMartin", "and for my son?", "please please please", "¿Cuánto cuesta? gracias",
		"... - , ; (thanks)", "yo mate, um, ok so", "I lost my hat, can you help me please", strings.Repeat("what, ", 300),
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, said string) {
		if len(said) > 4000 {
			return
		}
		squeezed := text.Squeeze(said)
		asked, parts := false, Split(said)
		for _, p := range parts {
			asked = asked || p.Kind != Told
			read := strings.TrimRight(p.Text, "?")
			if unread := unframed(p.Text); len(text.Words(unread)) > len(text.Words(p.Text)) {
				t.Errorf("%q is read as %q", p.Text, unread)
			}
			for _, w := range text.Words(read) {
				if word := read[w.Start:w.End]; !strings.Contains(squeezed, word) {
					t.Errorf("%q is read in %q", word, said)
				}
			}
		}
		if again := unframed(unframed(squeezed)); len(again) > len(squeezed)+1 {
			t.Errorf("%q grows to %q", squeezed, again)
		}
		if strings.HasSuffix(squeezed, "?") && len(text.Words(squeezed)) > 0 && !asked {
			t.Errorf("%q asks nothing: %+v", said, parts)
		}
	})
}
