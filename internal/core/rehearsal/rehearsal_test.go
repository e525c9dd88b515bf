package rehearsal

import (
	"context"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/steps"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
)

type bare struct{}

func (bare) Find(kind, _ string) document.Document {
	if kind == "settings" {
		return workspace.DefaultSettings("main")
	}
	return nil
}
func (bare) Names(string) []string { return nil }

// echo is a house whose bot says what it hears, and one flow.
func echo(t *testing.T) House {
	var flows []*flow.Checked
	for name, body := range map[string]string{
		"echo":  "speak_on: x\nsteps:\n  - start: { flow: nudge }\n",
		"again": "steps:\n  - start: { flow: again }\n",
		"nudge": "speak_on: x\nsteps:\n  - wait: 2d\n  - say: Still there?\n",
	} {
		f, err := (&flow.Language{Steps: steps.All, Triggers: triggers.All}).Parse(name, []byte("flow: "+name+"\nwhen: by hand\n"+body))
		if err != nil {
			t.Fatal(err)
		}
		checked, _ := f.Check(bare{})
		flows = append(flows, checked)
	}
	return House{
		Settings: workspace.DefaultSettings("main"),
		Channels: func(name string) (workspace.Channel, workspace.Abilities, bool) {
			return workspace.Channel{Name: name, Bot: "echo"}, workspace.Abilities{}, name == "web"
		},
		Snapshot: func(string) (dialogue.Snapshot, bool) { return dialogue.Snapshot{Brief: bot.Plain()}, true },
		Decide: func(ctx context.Context, s dialogue.Snapshot) dialogue.Decision {
			if len(s.Wakes) > 0 {
				return dialogue.Decide(ctx, s)
			}
			return dialogue.Decision{State: s.State, Effects: []dialogue.Effect{dialogue.Say{Parts: message.Of("You said: " + s.Messages[0].Text)}}, Trace: dialogue.Trace{Why: "echoes answer"}}
		},
		Flows: flows,
	}
}

// A rehearsal passes, or says at which line what happened instead.
func TestARehearsalSaysWhereItDiffers(t *testing.T) {
	const head = "rehearsal: A talk\nchannel: web\nscript:\n  - customer: hello there\n"
	for name, c := range map[string]struct {
		script string
		line   int // of the difference; 0: there is none
		says   string
	}{
		"as it is":           {"  - bot: { says: \"You said\" }\n", 0, ""},
		"a text alone":       {"  - bot: hello there\n", 0, ""},
		"any of":             {"  - bot: { any: [goodbye, hello], not: cats }\n", 0, ""},
		"what is not said":   {"  - bot: { says: goodbye }\n", 5, "You said: hello there"},
		"not":                {"  - bot: { not: hello }\n", 5, "You said"},
		"no question":        {"  - bot: { asks: hello }\n", 5, "You said"},
		"silence":            {"  - bot: silent\n", 5, "You said"},
		"after days":         {"  - start: { flow: nudge }\n  - pass_time: 47h\n  - bot: silent\n  - pass_time: 2h\n  - bot: { asks: Still there }\n", 0, ""},
		"too early":          {"  - start: { flow: nudge }\n  - pass_time: 1d\n  - bot: { says: Still }\n", 7, "nothing"},
		"an expectation":     {"  - expect: { tag: group }\n", 5, "the tags are []"},
		"no such flow":       {"  - start: { flow: nobody }\n", 5, "no flow of that name"},
		"in a circle":        {"  - start: { flow: again }\n  - expect: { ended: at last }\n", 6, "cut off"},
		"one starts another": {"  - start: { flow: echo }\n  - pass_time: 49h\n  - bot: Still there\n", 0, ""},
		"a person leads":     {"  - start: { flow: nudge }\n  - person: take\n  - pass_time: 3d\n  - bot: silent\n  - expect: { waits: person }\n  - person: return\n  - bot: Still there\n", 0, ""},
		"it was closed":      {"  - start: { flow: nudge }\n  - person: close\n  - pass_time: 3d\n  - bot: Still there\n", 0, ""},
		"a run that waits":   {"  - start: { flow: nudge }\n  - expect: { waits: time }\n", 0, ""},
	} {
		script, err := Parse("talk", []byte(head+c.script))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		report := Play(t.Context(), echo(t), script)
		line, happened := 0, ""
		for _, l := range report.Lines {
			if l.Wrong {
				line, happened = l.Line, l.Happened
			}
		}
		if line != c.line || !strings.Contains(happened, c.says) || report.Passed != (c.line == 0) {
			t.Errorf("%s: it differs in line %d: %q", name, line, happened)
		}
		if last := report.Lines[len(report.Lines)-1]; !report.Passed && strings.HasPrefix(c.script, "  - bot:") && (last.Kind != "why" || !strings.Contains(last.Happened, "echoes answer")) {
			t.Errorf("%s: it does not say how the reply came: %+v", name, last)
		}
	}
}

func TestMistakesInRehearsalsAreNamed(t *testing.T) {
	for source, says := range map[string]string{
		"": "begins with its title", "script: []": "needs a title", "rehearsal: A\nscript:\n  - custmer: x\n": "did you mean \"customer\"", "rehearsal: A\nscript:\n  - pass_time: soon\n": "not a time",
		"rehearsal: A\nscript:\n  - bot: { sas: x }\n": "did you mean \"says\"", "rehearsal: A\nscript:\n  - expect: { answered: perhaps }\n": "true or false", "rehearsal: A\nbegins: now\nscript:\n  - customer: x\n": "no time",
		"rehearsal: \"!\"\nscript:\n  - customer: x\n": "title with words", "rehearsal: A\nscript: []\n": "1 to 500 lines",
	} {
		if _, err := Parse("x", []byte(source)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", source, err)
		}
	}
}

// A rehearsal that is made of a real conversation holds none of the customer's details, and
// can be played.
func TestARecordedConversationHoldsNoDetails(t *testing.T) {
	at := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	text := Record("A talk: with \"quotes\"", "web", []Said{
		{"customer", "I'm Maren Holt, maren.holt@example.net, call 07700 900555", at}, {"bot", "Thank you, Maren. We write to maren.holt@example.net soon", at.Add(time.Minute)},
		{"person", "Robin here", at.Add(2 * time.Hour)}, {"customer", "holt again #5", at.Add(3 * time.Hour)},
	}, []string{"Maren Holt", "+447700900555"})
	for _, detail := range []string{"Maren", "Holt", "holt", "example.net", "900555"} {
		if strings.Contains(text, detail) {
			t.Errorf("it holds %q:\n%s", detail, text)
		}
	}
	script, err := Parse("x", []byte(text))
	if err != nil || len(script.Items) != 6 || script.Items[2].Pass != 119*time.Minute {
		t.Errorf("%v: %+v", err, script.Items)
	}
}
