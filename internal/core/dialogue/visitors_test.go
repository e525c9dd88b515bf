package dialogue_test

import (
	_ "embed"
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/dialogue"
)

//go:embed testdata/visitors.txt
var visitors string

// What visitors type is answered or offered, hardly anything wrongly, and what nobody knows is
// left to people; and that as well for questions that nobody looked at while the bots were made.
func TestVisitorsGetWhatIsKnown(t *testing.T) {
	type came struct{ known, right, offered, wrong, unknown, claimed int }
	counts := map[string]*came{"seen": {}, "held": {}}
	s, _ := brackwater(t)
	for line := range strings.Lines(visitors) {
		parts := strings.Split(strings.TrimSpace(line), " | ")
		if len(parts) != 3 {
			continue // what the file says of itself
		}
		n := counts[parts[0]]
		d, reply := talk(t, s, dialogue.Result{}, parts[1])
		sent := d.Trace.Code == dialogue.CodeAnswered || d.Trace.Code == dialogue.CodeAnsweredInPart
		if parts[2] == "nothing" {
			n.unknown++
			if sent {
				n.claimed++
			}
			continue
		}
		n.known++
		holds := slices.ContainsFunc(strings.Split(parts[2], " or "), func(part string) bool { return strings.Contains(reply, part) })
		switch {
		case sent && holds:
			n.right++
		case sent:
			n.wrong++
			t.Logf("%s: to %q it says %q", parts[0], parts[1], reply)
		case d.Trace.Code == dialogue.CodeOffered && (holds || strings.Contains(reply, "\n1. ")):
			n.offered++
		}
	}
	for part, least := range map[string]came{"seen": {right: 33, offered: 18, wrong: 1, claimed: 1}, "held": {right: 32, offered: 18, wrong: 1, claimed: 1}} {
		if n := counts[part]; n.known < 50 || n.right < least.right || n.right+n.offered < least.right+least.offered || n.wrong > least.wrong || n.claimed > least.claimed {
			t.Errorf("%s: %+v; it is to be no worse than %+v", part, *n, least)
		}
		t.Logf("%s: %+v", part, *counts[part])
	}
}
