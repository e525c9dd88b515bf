package flow_test

import (
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/steps"
	"urgentparrot.example/internal/core/flow/triggers"
)

var whole = &flow.Language{Steps: steps.All, Triggers: triggers.All}

// The form of a flow is made of its language: each step and trigger can be begun, each of its
// fields is filled in as its type wants it, and what the example of a step says can be said in
// its form.
func TestTheFormIsMadeOfTheLanguage(t *testing.T) {
	entries := whole.Entries()
	kinds := map[string]document.EntryKind{}
	for _, e := range entries["steps"] {
		kinds[e.Name] = e
	}
	if len(entries["steps"]) != len(steps.All) || len(entries["triggers"]) != len(triggers.All) {
		t.Fatalf("the form knows %d steps and %d triggers", len(entries["steps"]), len(entries["triggers"]))
	}
	field := func(step, key string) document.Field {
		at := slices.IndexFunc(kinds[step].Fields, func(f document.Field) bool { return f.Key == key })
		if at < 0 {
			t.Fatalf("the step %s has no field %s", step, key)
		}
		return kinds[step].Fields[at]
	}
	for _, c := range []struct {
		step, key string
		as        document.FieldAs
	}{
		{"say", "text", document.AsParagraph}, {"say", "choices", document.AsTexts}, {"say", "if", document.AsCondition}, {"say", "on_error", document.AsEntries},
		{"ask", "as", document.AsChoice}, {"ask", "patience", document.AsTime}, {"ask", "tries", document.AsNumber}, {"ask", "reuse", document.AsYesNo}, {"ask", "fields", document.AsBlocks}, {"ask", "if_silent", document.AsEntries},
		{"branch", "branch", document.AsBlocks}, {"record", "row", document.AsCells}, {"record", "sheet", document.AsDocument}, {"escalate", "to", document.AsText}, {"wait", "until", document.AsValue}, {"loop", "steps", document.AsEntries},
	} {
		if f := field(c.step, c.key); f.As != c.as {
			t.Errorf("%s of %s is filled in as %q, not %q", c.key, c.step, f.As, c.as)
		}
	}
	if f := field("ask", "reuse"); f.Default != "true" {
		t.Errorf("what is known is left out by default, and the form says %q", f.Default)
	}
	if f := field("ask", "save"); !f.Needed || f.Label != "Keep the value as" {
		t.Errorf("the name of the value is asked for as %+v", f)
	}
	if slices.ContainsFunc(kinds["end"].Fields, func(f document.Field) bool { return f.Key == "save" }) {
		t.Error("a step without a result asks what it is kept as")
	}
	for name, k := range kinds {
		if k.About == "" || k.Group == "" {
			t.Errorf("the step %s has no words", name)
		}
		seen := map[string]bool{}
		for _, f := range k.Fields {
			if seen[f.Key] {
				t.Errorf("the step %s asks for %s twice", name, f.Key)
			}
			seen[f.Key] = true
			if strings.EqualFold(strings.TrimSuffix(f.About, "."), f.Label) {
				t.Errorf("the help of %s of %s says no more than its label", f.Key, name)
			}
			if f.As == document.AsChoice && slices.ContainsFunc(f.Choices, func(c document.Choice) bool { return c.Label == "" }) {
				t.Errorf("a choice of %s of %s has no words", f.Key, name)
			}
		}
	}
	for _, part := range whole.Form() {
		for _, f := range part.Fields {
			if f.As == document.AsEntries && entries[f.Of] == nil {
				t.Errorf("the form lists %q, of which nothing is known", f.Of)
			}
		}
	}
}

// Each line of a script has a sentence at its place, each block its heading, and each trigger
// its own; what the steps keep is named for conditions.
func TestEveryLineOfAScriptIsTold(t *testing.T) {
	f, err := whole.Parse("f", []byte(`flow: f
when:
  - message: { exactly: [go] }
  - by hand
steps:
  - ask: "How many?"
    save: people
    as: integer
    if_silent:
      - say: "Still there?"
      - await_reply: { at_most: 1d }
  - branch:
      - if: "people > 3"
        steps:
          - say: "Many"
      - else:
          - say: "Few"
            on_error:
              - end: "Broken"
  - classify: "{{ message.text }}"
    labels: [ { label: a, about: b }, { label: c, about: d } ]
    save: mood
`))
	if err != nil {
		t.Fatal(err)
	}
	told := map[string]string{}
	for _, s := range f.Explain() {
		if s.Path != "" {
			told[s.Path] = s.Words
		}
	}
	for path, words := range map[string]string{
		"0": "How many?", "0/if_silent": "If nobody answers", "0/if_silent/1": "Wait", "1": "Depending", "1/branch.0": "If people is more than 3:", "1/branch.0/0": "Many",
		"1/branch.1": "Otherwise:", "1/branch.1/0": "Few", "1/branch.1/0/on_error": "If that fails:", "1/branch.1/0/on_error/0": "End here.", "2": "mood",
	} {
		if !strings.Contains(told[path], words) {
			t.Errorf("at %s stands %q, not %q", path, told[path], words)
		}
	}
	starts := f.ExplainStarts()
	if len(starts) != 2 || starts[0].Path != "0" || !strings.Contains(starts[0].Words, "just “go”") || starts[1].Path != "1" {
		t.Errorf("it starts %+v", starts)
	}
	if names := f.Names(); !slices.Contains(names, "people") || !slices.Contains(names, "mood") || !slices.Contains(names, "replied") {
		t.Errorf("conditions may use %v", names)
	}
}

// A step or start that is only begun reads as that, without a hole in its sentence.
func TestWhatIsOnlyBegunReadsAsThat(t *testing.T) {
	reads := func(text string) (words []string) {
		f, _ := whole.Parse("f", []byte(text)) // what is begun is not right yet
		for _, s := range append(f.ExplainStarts(), f.Explain()...) {
			words = append(words, s.Words)
			if strings.Contains(s.Words, flow.Quote("")) || strings.Contains(s.Words, "  ") || strings.Contains(s.Words, " .") || strings.Contains(s.Words, ": .") {
				t.Errorf("it reads %q", s.Words)
			}
		}
		return words
	}
	for _, k := range steps.All {
		if words := reads("flow: f\nwhen: by hand\nsteps:\n  - " + k.Name + ":\n"); len(words) != 3 {
			t.Errorf("the step %s reads %q", k.Name, words)
		}
	}
	for _, k := range triggers.All {
		if words := reads("flow: f\nwhen:\n  - " + k.Name + ":\nsteps:\n  - say: Hello\n"); len(words) != 3 {
			t.Errorf("the start %s reads %q", k.Name, words)
		}
	}
	if words := reads("flow: f\nwhen: by hand\nsteps:\n  - record: { sheet: enquiries }\n  - ask: \"How many?\"\n"); words[2] != "Record: not complete yet." || words[3] != "Ask “How many?”: not complete yet." {
		t.Errorf("what is half there reads %q", words)
	}
}

// A flow names documents at places; a name in what is said is none.
func TestMentionsAreWhereDocumentsAreNamed(t *testing.T) {
	const text = `flow: f
speak_on: crew
when: { form: crew }
steps:
  - say: "crew crew"
  - escalate: { because: "the crew", to: team/crew }
  - start: crew
`
	for kind, lines := range map[string][]int{"channel": {2}, "form": {3}, "team": {6}, "flow": {7}, "bot": nil} {
		var got []int
		for _, at := range whole.Mentions([]byte(text), kind, "crew") {
			got = append(got, at.Line)
		}
		if !slices.Equal(got, lines) {
			t.Errorf("a %s called crew is named in the lines %v, not %v", kind, got, lines)
		}
	}
}
