package steps_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/flow"
)

// pieces are steps that random flows are made of; S is more steps.
var pieces = []string{
	`say: "hello {{ contact.first_name.orValue('you') }}"`, `{ say: "x", pause: 1s, choices: [a, b] }`, `{ ask: "how many?", save: n%d, as: integer, tries: 2 }`,
	`{ ask: "which?", save: c%d, choices: [red, blue], confirm: true, patience: 1h, if_silent: [ S ], if_unclear: [ S ] }`, `{ ask: "mail?", save: contact.email, patience: 1m, if_silent: [ { await_reply: 1h }, S ] }`,
	`await_reply: 1h`, `wait: 1h`, `{ wait: { for: 2d, or_reply: true } }`, `{ wait: { office_hours: ticket-office } }`, `{ wait: { until: "now - duration('1h')", if_past: end } }`,
	`{ loop: { at_most: 3, steps: [ S, S ] } }`, `{ loop: { each: "['a', 'b']", steps: [ S ] } }`, `{ branch: [ { if: "now.getMinutes() > 30", steps: [ S ] }, { else: [ S ] } ] }`,
	`{ set: { values: { v%d: "{{ now }}" } } }`, `{ set: { stage: booked } }`, `tag: group`, `untag: group`, `note: x`, `count: x`, `sync: client-book`,
	`{ record: { sheet: group-enquiries, row: { Name: "{{ contact.name.orValue('') }}" } } }`, `{ classify: { text: "{{ message.text }}", labels: [ { label: a, about: x, examples: [hello] } ] }, save: l%d }`,
	`{ extract: { from: "{{ message.text }}", values: [ { name: e, as: integer } ] }, save: x%d }`, `{ summarise: { parts: [grade] }, save: s%d }`, `{ phrase: { from: [a, b] }, save: p%d }`,
	`{ answer: { question: "wifi" } }`, `{ call: { tool: timetable }, save: t%d, on_error: [ S ] }`, `{ if: "now.getHours() > 12", say: afternoon }`, `{ escalate: x }`, `{ close: x }`, `end`, `{ start: thanks }`,
	`{ loop: { at_most: 1000, steps: [ { set: { values: { g: "{{ 'x' }}" } } } ] } }`, `{ loop: { over: contacts, steps: [ S ] } }`,
}

func randomFlow(r *rand.Rand) string {
	n := 0
	var step func(depth int) string
	step = func(depth int) string {
		for {
			piece := pieces[r.IntN(len(pieces))]
			if depth > 3 && strings.Contains(piece, "S") {
				continue
			}
			n++
			piece = strings.ReplaceAll(piece, "%d", fmt.Sprint(n))
			for strings.Contains(piece, "S") && !strings.HasPrefix(piece, "STOP") {
				at := strings.Index(piece, " S")
				if at < 0 {
					break
				}
				piece = piece[:at+1] + step(depth+1) + piece[at+2:]
			}
			if !strings.HasPrefix(piece, "{") && piece != "end" {
				piece = "{ " + piece + " }"
			}
			return piece
		}
	}
	var b strings.Builder
	b.WriteString("flow: random\nwhen: by hand\nspeak_on: website\nsteps:\n")
	for range 1 + r.IntN(6) {
		b.WriteString("  - " + step(0) + "\n")
	}
	return b.String()
}

// walk gives a run random events; each state is one that can be kept, and waits or has ended.
func walk(t *testing.T, checked *flow.Checked, r *rand.Rand) {
	begun := time.Now()
	now := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	state := flow.Begin(nil, flow.Heard{ID: "0", Text: "hello", At: now})
	talk := &flow.Talk{}
	memory := contact.Memory{}
	event := flow.Event{Kind: flow.Began}
	for i := range 40 {
		stage := flow.Stage{
			Now: now, Run: "r", Started: now, Contact: memory, Talk: talk, Conduct: knows{question: "wifi", answer: "none"}, Fresh: r.IntN(2) == 0, Busy: r.IntN(9) == 0, OptedOut: r.IntN(30) == 0,
			Lists: func(string) []any { return []any{"a", map[string]any{"b": 1.0}} },
			Open:  func(_ string, at time.Time) (bool, time.Time, bool) { return r.IntN(2) == 0, at.Add(time.Hour), true },
		}
		talk.ByPerson, talk.Closed = r.IntN(12) == 0, r.IntN(12) == 0
		if r.IntN(15) == 0 {
			stage.Talk = nil
		}
		out := checked.Advance(state, event, stage)
		raw, err := json.Marshal(out.State)
		if err != nil {
			t.Fatalf("its state cannot be kept: %v", err)
		}
		state = flow.State{}
		if err := json.Unmarshal(raw, &state); err != nil {
			t.Fatal(err)
		}
		if state.End != nil {
			return
		}
		if state.Wait == nil {
			t.Fatalf("it neither waits nor has ended at %s after %+v", state.Path(), event)
		}
		if len(out.Effects) > 2000 {
			t.Fatalf("one event has %d effects", len(out.Effects))
		}
		w := state.Wait
		if now = now.Add(time.Duration(r.IntN(7200)) * time.Second); w.Until.After(now) && r.IntN(2) == 0 {
			now = w.Until
		}
		switch r.IntN(6) {
		case 0:
			event = flow.Event{Kind: flow.Time, Wait: w.ID}
		case 1:
			event = flow.Event{Kind: flow.Time, Wait: w.ID - 1}
		case 2:
			event = flow.Event{Kind: flow.Result, Effect: w.Effect, Value: map[string]any{"a": 1.0}, Error: []string{"", "down"}[r.IntN(2)]}
		case 3:
			event = flow.Event{Kind: []flow.EventKind{flow.Resumed, flow.Skipped, flow.Retried, flow.Began}[r.IntN(4)]}
		default:
			said := []string{"30", "red", "yes", "no", "no sorry, 12", "ada@example.org", "wifi?", "hm", "", strings.Repeat("x", 5000)}[r.IntN(10)]
			event = flow.Event{Kind: []flow.EventKind{flow.Reply, flow.Reply, flow.Reply, flow.Aside}[r.IntN(4)], Heard: flow.Heard{ID: fmt.Sprint(i + 1), Text: said, At: now}}
		}
	}
	if took := time.Since(begun); took > 5*time.Second {
		t.Errorf("it took %s", took)
	}
}

// Whatever flow it is and whatever happens: no panic, no endless run, each commit consistent.
func TestRandomFlowsOnRandomEvents(t *testing.T) {
	d := ferries(t)
	r := rand.New(rand.NewPCG(7, 26))
	fine := 0
	for range 400 {
		source := randomFlow(r)
		f, err := language.Parse("random", []byte(source))
		if err != nil {
			t.Fatalf("%v in\n%s", err, source)
		}
		checked, findings := f.Check(d)
		errors := 0
		for _, x := range findings {
			if !x.Warning {
				errors++
			}
		}
		if errors > 0 {
			continue
		}
		fine++
		walk(t, checked, r)
	}
	if fine < 100 {
		t.Errorf("only %d of 400 random flows could be played", fine)
	}
}

func FuzzFlow(f *testing.F) {
	cases, err := os.ReadFile("testdata/checks.txt")
	if err != nil {
		f.Fatal(err)
	}
	for _, one := range strings.Split("\n"+string(cases), "\n== ")[1:] {
		_, body, _ := strings.Cut(one, "\n")
		f.Add([]byte("flow: t\nwhen: by hand\nspeak_on: website\nsteps:\n  "+strings.ReplaceAll(body, "\n", "\n  ")), uint64(1))
	}
	f.Add([]byte(group), uint64(2))
	d := ferries(f)
	f.Fuzz(func(t *testing.T, source []byte, seed uint64) {
		if len(source) > 4<<10 {
			return
		}
		begun := time.Now()
		language.Look("fuzz", source, d)
		parsed, err := language.Parse("fuzz", source)
		parsed.Explain()
		if err == nil {
			checked, findings := parsed.Check(d)
			for _, x := range findings {
				if !x.Warning {
					checked = nil
				}
			}
			if checked != nil {
				walk(t, checked, rand.New(rand.NewPCG(seed, 1)))
			}
		}
		if took := time.Since(begun); took > 5*time.Second {
			t.Errorf("it took %s", took)
		}
	})
}

// FuzzExpression evaluates expressions that pass the check; none costs much, or panics.
func FuzzExpression(f *testing.F) {
	for _, x := range []string{"1 + 2", "size('abc') > 2", "['a'].map(x, x + x)", "now + duration('1h')", "'a'.matches('(a+)+$')", "contact.name.orValue('x')[0]", "{'a': [1, 2]}", "event.item.orValue('')", "[1, 2, 3].exists(i, i > 2)"} {
		f.Add(x)
	}
	d := ferries(f)
	f.Fuzz(func(t *testing.T, x string) {
		if len(x) > 300 {
			return
		}
		quoted, _ := json.Marshal("{{ " + x + " }}")
		source := fmt.Sprintf("flow: t\nwhen: by hand\nspeak_on: website\nsteps:\n  - set: { values: { v: %s } }\n  - say: %s\n", quoted, quoted)
		parsed, err := language.Parse("fuzz", []byte(source))
		if err != nil {
			return
		}
		checked, findings := parsed.Check(d)
		for _, found := range findings {
			if !found.Warning {
				return
			}
		}
		begun := time.Now()
		walk(t, checked, rand.New(rand.NewPCG(1, 1)))
		if took := time.Since(begun); took > 3*time.Second {
			t.Errorf("%q took %s", x, took)
		}
	})
}
