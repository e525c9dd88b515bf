package dialogue_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/steps"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/workspace"
)

// bare is a workspace with settings alone.
type bare struct{ settings workspace.Settings }

func (b bare) Find(kind, _ string) document.Document {
	if kind == "settings" {
		return b.settings
	}
	return nil
}
func (bare) Names(string) []string { return nil }

const sorting = `flow: sorting
when:
  - message: { contains: [van] }
steps:
  - classify: { text: "{{ message.text }}", labels: [ { label: cargo, about: vans and freight, examples: ["Can I bring a van?"] }, { label: people, about: people, examples: ["We are two"] } ] }
    save: kind_of
  - extract: { from: "{{ message.text }}", values: [ { name: when_said, as: text, about: the time of day }, { name: how_many, as: integer } ] }
    save: found
  - say: "{{ kind_of }} / {{ found.when_said }} / {{ found.how_many }}"
`

// playing gives a snapshot a live flow.
func playing(t *testing.T, s dialogue.Snapshot, source string) dialogue.Snapshot {
	t.Helper()
	f, err := (&flow.Language{Steps: steps.All, Triggers: triggers.All}).Parse("flow", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	s.Settings.Model = "m"
	checked, found := f.Check(bare{s.Settings})
	for _, x := range found {
		if !x.Warning {
			t.Fatal(x.Problem)
		}
	}
	s.Flows = dialogue.Flows{
		Live: []*flow.Checked{checked}, Stage: flow.Stage{Talk: &flow.Talk{}}, NewID: func() string { return "run" }, May: func(*flow.Checked) string { return "" },
		Label: func(string, []flow.Label) (string, float64) { return "people", 0.7 },
	}
	return s
}

// With a model, a flow's thinking is put to it in the turn, held to what is there, and done by
// the built-in means where it fails.
func TestAFlowThinksWithTheModel(t *testing.T) {
	for name, c := range map[string]struct {
		replies []any
		says    string
	}{
		"well":                   {[]any{`{"label": "cargo"}`, `{"values": {"when_said": "early morning"}}`}, "cargo / early morning / 2"},
		"a made-up label":        {[]any{`{"label": "pirates"}`, `{"values": {"when_said": "early morning"}}`}, "people / early morning / 2"},
		"a value that is not so": {[]any{`{"label": "cargo"}`, `{"values": {"when_said": "late at night"}}`}, "cargo /  / 2"},
		"out of order":           {[]any{errors.New("down"), errors.New("down")}, "people /  / 2"},
	} {
		t.Run(name, func(t *testing.T) {
			m := &scripted{t: t, replies: c.replies}
			d := m.hears(playing(t, reader(t), sorting), "2 vans in the early morning, van drivers too")
			if len(d.Runs) != 1 || !slices.Equal(said(d), []string{c.says}) {
				t.Errorf("it says %q in %d runs", said(d), len(d.Runs))
			}
			if d.Trace.Code != dialogue.CodeInFlow {
				t.Errorf("the turn came to %s", d.Trace.Code)
			}
		})
	}
}

const writing = `flow: writing
when:
  - message: { contains: [van] }
steps:
  - phrase: { from: ["Two vans to Gannet Holm cost £48."], instructions: "Warm and short; begin with the price.", at_most: 120 }
    save: offer
  - phrase: { from: ["The boat leaves at 07:10."] }
    save: plain
  - summarise:
      instructions: What the garage needs to know.
      more:
        - { name: warmth, about: how keen they are, as: number, from: 1, to: 5 }
        - { name: load, about: what they carry, as: choice, choices: [goods, people] }
        - { name: wishes, about: what they wish, as: list }
        - { name: doubt, about: what holds them back }
    save: sum
  - say: "{{ offer }} / {{ plain }} / {{ sum.text }} / {{ sum.warmth == null ? 'none' : string(sum.warmth) }} / {{ sum.load }} / {{ size(sum.wishes) }} / {{ sum.doubt }} / {{ sum.mood }}"
`

// What a model writes for a flow counts as far as it stands on what it was given: all of a
// text on its facts, of a summary each sentence on what was said, a number within its bounds.
func TestWhatAModelWritesForAFlowStandsOnWhatItWasGiven(t *testing.T) {
	const asked = "2 vans (one long van) to Gannet Holm at 8:30, we carry goods. Is that dear?"
	const built = "Two vans to Gannet Holm cost £48. / The boat leaves at 07:10. / Asked: Is that dear? Mood: calm. Grade: 5 of 5 (nothing speaks against it)."
	for name, c := range map[string]struct {
		replies []any
		says    string
	}{
		"well": {[]any{"£48 is what two vans to Gannet Holm cost.", `{"text": "They bring 2 vans to Gannet Holm at 8:30.", "values": {"warmth": 4, "load": "goods", "wishes": ["2 vans at 8:30"], "doubt": "They ask whether it is dear."}}`},
			"£48 is what two vans to Gannet Holm cost. / The boat leaves at 07:10. / They bring 2 vans to Gannet Holm at 8:30. / 4 / goods / 1 / They ask whether it is dear. / calm"},
		"with what nobody said": {[]any{"Only £20 for two vans to Gannet Holm!", `{"text": "They bring 2 vans to Gannet Holm. They booked for 17:45.", "values": {"warmth": 9, "load": "pirates", "wishes": ["a discount of 30 %", "2 vans"], "doubt": "They pay £99."}}`},
			"Two vans to Gannet Holm cost £48. / The boat leaves at 07:10. / They bring 2 vans to Gannet Holm. / none /  / 1 /  / calm"},
		"in another form": {[]any{errors.New("down"), "They bring 2 vans."}, built + " / none /  / 0 /  / calm"},
		"out of order":    {[]any{errors.New("down"), errors.New("down")}, built + " / none /  / 0 /  / calm"},
	} {
		t.Run(name, func(t *testing.T) {
			m := &scripted{t: t, replies: c.replies}
			d := m.hears(playing(t, reader(t), writing), asked)
			if !slices.Equal(said(d), []string{c.says}) {
				t.Errorf("it says %q, not %q", said(d), c.says)
			}
			for i, part := range []string{"begin with the price", "What the garage needs to know"} {
				if !contains(m.asked[i].Messages[0].Text, part) {
					t.Errorf("the model is not told %q but %q", part, m.asked[i].Messages[0].Text)
				}
			}
		})
	}
	s := frontDesk(t)
	s = playing(t, s, writing)
	s.Messages = []dialogue.Incoming{{ID: "1", Text: asked}}
	if got := said(dialogue.Decide(t.Context(), s)); !slices.Equal(got, []string{built + " / none /  / 0 /  / calm"}) {
		t.Errorf("without a model it says %q", got)
	}
}

// Two things that a flow asks of a model about one long text are two questions.
func TestEachThoughtOfAFlowIsItsOwn(t *testing.T) {
	const twice = `flow: twice
when:
  - message: { contains: [van] }
steps:
  - extract: { from: "{{ message.text }}", values: [ { name: where, as: text, about: where to } ] }
    save: first
  - extract: { from: "{{ message.text }}", values: [ { name: what, as: text, about: what for } ] }
    save: second
  - say: "{{ first.where }} / {{ second.what }}"
`
	m := &scripted{t: t, replies: []any{`{"values": {"where": "the far island"}}`, `{"values": {"what": "a wedding"}}`}}
	d := m.hears(playing(t, reader(t), twice), "We need a van on the far island for a wedding, and would be glad of any help that you can give us with the question of how we should ever get all of it over there in time")
	if !slices.Equal(said(d), []string{"the far island / a wedding"}) {
		t.Errorf("it says %q", said(d))
	}
}

func said(d dialogue.Decision) (words []string) {
	for _, e := range d.Effects {
		if say, ok := e.(dialogue.Say); ok {
			words = append(words, say.Parts[0].Text)
		}
	}
	return words
}

// Who asks for a person, or is angry, is not held by a flow; who wants no more messages ends it.
func TestPeopleComeBeforeFlows(t *testing.T) {
	const asks = "flow: asks\nwhen:\n  - message: { contains: [begin] }\nsteps:\n  - ask: How many?\n    save: n\n    as: integer\n  - say: Thanks.\n"
	begun := func() dialogue.Snapshot {
		s := playing(t, frontDesk(t), asks)
		s.Messages = []dialogue.Incoming{{ID: "1", Text: "begin"}}
		d := dialogue.Decide(t.Context(), s)
		if len(d.Runs) != 1 || d.Runs[0].State.Wait == nil {
			t.Fatalf("it did not begin: %+v", d.Runs)
		}
		s.State, s.Runs = d.State, []dialogue.Run{d.Runs[0].Run}
		return s
	}
	for words, ended := range map[string]string{
		"can I talk to a person please": "people came in", "This is ridiculous! I have had enough of you!!": "people came in", "stop": "does not want to be written to",
	} {
		s := begun()
		s.Messages = []dialogue.Incoming{{ID: "2", Text: words}}
		d := dialogue.Decide(t.Context(), s)
		if len(d.Runs) != 1 || d.Runs[0].State.End == nil || !contains(d.Runs[0].State.End.Why, ended) {
			t.Errorf("after %q the run is %+v", words, d.Runs)
		}
	}
	s := begun()
	s.State.Lead = dialogue.LedByPerson
	s.Messages = []dialogue.Incoming{{ID: "2", Text: "12"}}
	if d := dialogue.Decide(t.Context(), s); len(d.Effects) != 0 {
		t.Errorf("while a person leads it does %v", d.Effects)
	}
}

// Who wants to be called is handed to people, unless a flow foresees that, or it answers what
// a flow asks.
func TestAWishToBeCalledGoesToTheFlowThatForeseesIt(t *testing.T) {
	const calls = "flow: calls\nwhen:\n  - message: { contains: [ring me, call me] }\nsteps:\n  - ask: On which number?\n    save: number_given\n    as: phone\n  - ask: When suits you?\n    save: at\n    as: time\n  - say: \"{{ number_given }} at {{ at }}.\"\n"
	const other = "flow: other\nwhen:\n  - message: { if: \"event.first\" }\nsteps:\n  - ask: How many?\n    save: n\n    as: integer\n"
	for name, c := range map[string]struct {
		flow  string
		said  []string
		words string // said at the end
	}{
		"foreseen":                 {calls, []string{"could somebody ring me please"}, "On which number?"},
		"and answered":             {calls, []string{"could somebody ring me please", "call me on 07700 900321", "call me at 16:30"}, "+447700900321 at 16:30."},
		"a person all the same":    {calls, []string{"call me, I want to talk to a person"}, ""},
		"a person is wanted first": {calls, []string{"I want to talk to a person, call me"}, ""},
		"not foreseen":             {other, []string{"could somebody ring me please"}, ""},
		"no answer":                {other, []string{"hello", "call me back"}, ""},
	} {
		s := playing(t, frontDesk(t), c.flow)
		s.Flows.First = true
		var d dialogue.Decision
		for i, words := range c.said {
			s.Messages = []dialogue.Incoming{{ID: fmt.Sprint(i), Text: words}}
			d = dialogue.Decide(t.Context(), s)
			s.State, s.Flows.First, s.Runs = d.State, false, nil
			for _, r := range d.Runs {
				s.Runs = append(s.Runs, r.Run)
			}
		}
		handed := d.State.Lead == dialogue.Waiting
		if words := strings.Join(said(d), " "); handed != (c.words == "") || !handed && words != c.words {
			t.Errorf("%s: it says %q, handed over: %v", name, words, handed)
		}
	}
}

func contains(s, part string) bool { _, ok := flow.Contains(s, []string{part}); return ok }
