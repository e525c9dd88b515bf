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
		"no such address":    {"  - start: { flow: nudge, post: { a: 1 } }\n", 5, "other systems post to"},
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

// People who come in, wishes and days that pass are rehearsed as they happen.
func TestPeopleAndTimeAreRehearsed(t *testing.T) {
	for name, lines := range map[string]string{
		"a person was told the answer":  "customer: party\nbot: { asks: How many }\nperson: take\ncustomer: we are thirty, Robin\nbot: silent\nperson: return\nbot: silent\nexpect: { waits: time, field: { name: Ada Moss } }\npass_time: 49h\nbot: 30 it is\nexpect: { ended: came to its end }",
		"a person was told nothing":     "customer: party\nbot: { asks: How many }\nperson: take\ncustomer: hello Robin\npass_time: 3d\nbot: silent\nperson: return\nbot: { asks: How many }\ncustomer: seven\nbot: Parties begin at eight\nexpect: { ended: too few }",
		"who wants no more messages":    "customer: party\nperson: take\ncustomer: STOP\nexpect: { ended: does not want to be written to }\nperson: return\nbot: silent\npass_time: 3d\nbot: silent",
		"closed, and waited for":        "customer: a picnic for 30 please\nperson: close\nexpect: { closed: true }\npass_time: 49h\nbot: 30 it is\nexpect: { closed: false }",
		"closed with a question open":   "customer: party\nperson: close\nexpect: { ended: the conversation was closed }\npass_time: 3d\nbot: silent",
		"a person is wanted":            "customer: party\ncustomer: I want to talk to a person\nexpect: { escalated: true, ended: people came in }",
		"patience ends":                 "customer: party\nbot: { asks: How many }\npass_time: 25h\nbot: silent\nexpect: { ended: nobody answered within 1 day }",
		"something nobody knows":        "customer: party\nbot: { asks: How many }\ncustomer: are there cats?\nbot: { says: cannot tell you, asks: How many }\ncustomer: a dozen\nexpect: { waits: time }",
		"another system posts":          "start: { flow: party, post: { people: 30 } }\nbot: { asks: How many }",
		"and what it posts fits nobody": "start: { flow: party, post: { people: 3 } }\nbot: silent",
	} {
		script, err := Parse("s", []byte("rehearsal: A talk\nchannel: web\nscript:\n  - "+strings.ReplaceAll(lines, "\n", "\n  - ")+"\n"))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		report := Play(t.Context(), desk(t), script)
		for _, l := range report.Lines {
			if l.Wrong {
				t.Errorf("%s: line %d, %s: expected %q, and %q happened", name, l.Line, l.Kind, l.Expected, l.Happened)
			}
		}
	}
}

// A conversation that there was is played again: what would be said otherwise is told, what
// tools gave is given again, and a person's part is not judged.
func TestAConversationIsPlayedAgain(t *testing.T) {
	at := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	said := func(lines ...string) (list []Said) {
		for i, l := range lines {
			by, words, _ := strings.Cut(l, ": ")
			list = append(list, Said{by, words, at.Add(time.Duration(i) * time.Minute)})
		}
		return list
	}
	for name, c := range map[string]struct {
		said    []Said
		changed string // the replies that would be others, "was > now"
	}{
		"as it was":            {said("customer: party", "bot: How many are you?", "customer: seven", "bot: Parties begin at eight."), ""},
		"another wording":      {said("customer: party", "bot: How many of you?", "customer: seven", "bot: Parties begin at eight."), "How many of you? > How many are you?"},
		"nothing was said":     {said("customer: do dogs travel free?"), " > Dogs travel free of charge."},
		"a person in between":  {said("customer: party", "bot: How many are you?", "person: Robin here", "customer: we are thirty", "person: Fine."), ""},
		"nobody said anything": {nil, ""},
	} {
		report := Replay(t.Context(), desk(t), Past{Title: name, Channel: "web", Said: c.said})
		var changed []string
		for _, l := range report.Lines {
			if l.Wrong {
				changed = append(changed, l.Expected+" > "+l.Happened)
			}
		}
		if got := strings.Join(changed, "; "); got != c.changed && !(c.changed != "" && strings.Contains(got, strings.TrimSpace(strings.TrimPrefix(c.changed, " >")))) || report.Passed != (c.changed == "") {
			t.Errorf("%s: %q, not %q", name, got, c.changed)
		}
	}
}
