package textline

import (
	"strings"
	"testing"
)

func TestSegmentsAreCountedAsTheNetworkDoes(t *testing.T) {
	for text, want := range map[string]int{
		"":                        1,
		strings.Repeat("a", 160):  1,
		strings.Repeat("a", 161):  2,
		strings.Repeat("a", 306):  2,
		strings.Repeat("a", 307):  3,
		strings.Repeat("€", 80):   1, // two places each
		strings.Repeat("€", 81):   2,
		strings.Repeat("я", 70):   1, // not in the GSM alphabet
		strings.Repeat("я", 71):   2,
		strings.Repeat("🦜", 35):   1, // two units of UCS-2 each
		strings.Repeat("🦜", 36):   2,
		"The fare is £6.20, free": 1,
	} {
		if got := Segments(text); got != want {
			t.Errorf("%.10q of %d characters: %d segments, want %d", text, len([]rune(text)), got, want)
		}
	}
}
