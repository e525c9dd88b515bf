package dialogue_test

import (
	_ "embed"
	"os"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/dialogue"
)

//go:embed testdata/conversations.txt
var conversations string

// Twenty conversations of ten messages, as ten kinds of visitor hold them: a good clerk
// would say what stands behind each message. CONVERSATIONS=NAME prints those whose title
// holds the name, to be read.
func TestConversationsAsVisitorsHoldThem(t *testing.T) {
	departures := dialogue.Result{Value: map[string]any{"departures": []any{
		map[string]any{"from": "Brackwater", "to": "Hallow Point", "day": "today", "leaves": "10:30", "arrives": "11:15", "boat": "Tern"},
		map[string]any{"from": "Brackwater", "to": "Hallow Point", "day": "today", "leaves": "12:30", "arrives": "13:15", "boat": "Tern"},
	}}}
	shown := os.Getenv("CONVERSATIONS")
	held, unmet := 0, 0
	for _, conversation := range strings.Split(conversations, "\n## ")[1:] {
		title, lines, _ := strings.Cut(conversation, "\n")
		t.Run(title, func(t *testing.T) {
			s, as := brackwater(t)
			said := ""
			for line := range strings.Lines(lines) {
				if trimmed := strings.TrimSpace(line); trimmed == "" {
					continue
				} else if !strings.HasPrefix(line, " ") {
					said = trimmed
					continue
				}
				held++
				d, reply := talk(t, s, departures, said)
				s.State, s.LastReply = d.State, reply
				s = as(s, d.Bot)
				for _, e := range find[dialogue.Remember](d) {
					s.Memory = s.Memory.With(e.Fact)
				}
				if shown != "" && strings.Contains(title, shown) {
					t.Logf("%s\n      [%s] %s", said, d.Trace.Code, strings.ReplaceAll(reply, "\n", "\n      "))
				}
				wanted, wish := strings.CutPrefix(strings.TrimSpace(line), "~ ")
				for _, part := range strings.Split(wanted, " & ") {
					if holds(reply, string(d.Trace.Code), part) {
						continue
					}
					if wish {
						unmet++
						t.Logf("wished for: %q: %s; it says [%s] %s", said, part, d.Trace.Code, reply)
						break
					} else {
						t.Errorf("%q: wanted %s; it says [%s] %s", said, part, d.Trace.Code, reply)
					}
				}
			}
		})
	}
	if unmet > mostUnmet {
		t.Errorf("%d wishes are not met; there were %d", unmet, mostUnmet)
	}
	t.Logf("of %d messages %d are not answered yet as a good clerk would", held, unmet)
	if held != 200 {
		t.Errorf("there are %d messages; twenty conversations have 200", held)
	}
}

// mostUnmet is how many messages are not answered yet as a good clerk would.
const mostUnmet = 36

// holds reports whether a reply, or the code of its turn, is one of the alternatives.
func holds(reply, code, alternatives string) bool {
	for _, one := range strings.Split(alternatives, " | ") {
		wanted, not := strings.CutPrefix(one, "!")
		there := strings.Contains(strings.ToLower(reply), strings.ToLower(wanted))
		if name, isCode := strings.CutPrefix(wanted, "["); isCode {
			there = code == strings.TrimSuffix(name, "]")
		}
		if there != not {
			return true
		}
	}
	return false
}
