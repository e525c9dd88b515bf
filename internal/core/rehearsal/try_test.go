package rehearsal

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/steps"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/workspace"
)

const party = `flow: party
when:
  - message: { exactly: [party] }
  - message: { contains: [party, picnic], if: "event.first" }
  - webhook: { if: "event.body.people > 7" }
  - by hand: { with: [people] }
speak_on: web
steps:
  - ask: How many are you?
    save: people
    as: integer
  - branch:
      - if: "people > 60"
        steps:
          - escalate: { because: A large party }
      - if: "people < 8"
        steps:
          - say: Parties begin at eight.
          - end: too few
      - else:
          - set: { values: { contact.name: Ada Moss } }
  - wait: 2d
  - say: { text: "{{ people }} it is.", if: "people != 9" }
`

// desk is a house with a bot that knows of dogs, and the flow of parties.
func desk(t *testing.T) House {
	h := echo(t)
	f, err := (&flow.Language{Steps: steps.All, Triggers: triggers.All}).Parse("party", []byte(party))
	if err != nil {
		t.Fatal(err)
	}
	checked, found := f.Check(bare{})
	for _, x := range found {
		if !x.Warning && !strings.Contains(x.Message, "no channel called") {
			t.Fatal(x.Problem)
		}
	}
	h.Flows = append(h.Flows, checked)
	finder := answer.Finder{Index: knowledge.Build(h.Settings.Analyzer(), []knowledge.Passage{{Trail: []string{"Dogs"}, Text: "Dogs travel free of charge."}})}
	h.Snapshot = func(string) (dialogue.Snapshot, bool) {
		return dialogue.Snapshot{Brief: bot.Plain(), Settings: workspace.DefaultSettings("main")}, true
	}
	h.Decide = func(ctx context.Context, s dialogue.Snapshot) dialogue.Decision {
		s.Finder = finder
		return dialogue.Decide(ctx, s)
	}
	return h
}

// A flow is tried on something that happened: which trigger it fires and why the others do
// not, what each condition came to, what was said and what stands at the end.
func TestAFlowIsTried(t *testing.T) {
	says := func(text string) flow.Happening {
		return flow.Happening{Kind: triggers.Message, Values: map[string]any{"text": text, "first": true}}
	}
	posts := func(n float64) flow.Happening {
		return flow.Happening{Kind: triggers.Webhook, Values: map[string]any{"body": map[string]any{"people": n}}}
	}
	byHand := flow.Happening{Kind: flow.ByHand, Values: map[string]any{"people": "12"}}
	for name, c := range map[string]struct {
		t      Trying
		fits   string // of the triggers: "no: why; yes"
		steps  string // words that stand in its steps, in order
		talk   string
		stands string
	}{
		"the first trigger":     {Trying{Starts: says("party")}, "yes", "1 asked", "customer: party|bot: How many are you?", "waits for a reply, until Wed 4 Mar 10:00"},
		"another trigger":       {Trying{Starts: says("a picnic for 30 please")}, "no: none of the messages under exactly|yes", "1 not asked: 30 was said already|2 not so that people is more than 60 (people is 30)|2 not so that people is less than 8 (people is 30)|2c.1 contact.name is", "customer: a picnic for 30 please", "waits for its time, until Thu 5 Mar 10:00"},
		"two days later":        {Trying{Starts: says("a picnic for 30 please"), Pass: 49 * time.Hour}, "no: none|yes", "4 said", "customer: a picnic for 30 please|bot: 30 it is.", "is done: came to its end"},
		"what is said then":     {Trying{Starts: says("party"), Says: []string{"do dogs travel free?", "seven"}}, "yes", "1 asked|1 answered|1 heard “7”|2 not so that people is more than 60 (people is 7)|2 so that people is less than 8 (people is 7)|too few", "customer: party|bot: How many|customer: do dogs|bot: Dogs travel free|bot: How many|customer: seven|bot: Parties begin at eight", "is done: too few"},
		"after some time":       {Trying{Starts: says("party"), Says: []string{"+3h", "seven"}}, "yes", "1 heard “7”", "customer: party|bot: How many|customer: seven", "is done: too few"},
		"people are wanted":     {Trying{Starts: says("party"), Says: []string{"seventy"}}, "yes", "2 so that people is more than 60 (people is 70)", "customer: party|bot: How many|customer: seventy", "is done: handed over: A large party"},
		"no trigger":            {Trying{Starts: says("a boat please")}, "no: none of the messages under exactly|no: none of the words under contains", "", "", ""},
		"a body":                {Trying{Starts: posts(30)}, "yes", "1 asked", "bot: How many", "waits for a reply"},
		"a body that is none":   {Trying{Starts: posts(3)}, "no: it is not so that event.body.people is more than 7 (event.body is people: 3)", "", "", ""},
		"by hand":               {Trying{Starts: byHand, Known: nil}, "yes", "1 asked", "bot: How many", "waits for a reply"},
		"up to a step":          {Trying{Starts: says("a picnic for 30 please"), Before: "2"}, "no: none|yes", "1 not asked", "customer: a picnic", "stops: it stands before step 2"},
		"one step":              {Trying{Step: "4", Values: map[string]any{"people": 12.0}}, "", "4 said", "bot: 12 it is.", "stops: step 4 is taken"},
		"one that is left out":  {Trying{Step: "4", Values: map[string]any{"people": 9.0}}, "", "4 left out: it is not so that people is not 9 (people is 9)", "", "stops: step 4 is taken"},
		"one with steps inside": {Trying{Step: "2", Values: map[string]any{"people": 30.0}}, "", "2 not so|2 not so|2c.1 contact.name", "", "stops: step 2 is taken"},
		"one inside another":    {Trying{Step: "2b.1"}, "", "2b.1 said", "bot: Parties begin at eight.", "stops: step 2b.1 is taken"},
		"one that asks":         {Trying{Step: "1", Says: []string{"a dozen"}}, "", "1 asked|1 heard “12”", "bot: How many|customer: a dozen", "stops: step 1 is taken"},
		"without its value":     {Trying{Step: "4"}, "", "", "", "fails: step 4 (line 23): people is not set"},
		"who wants a person":    {Trying{Starts: says("party"), Says: []string{"a person please"}}, "yes", "1 asked", "customer: party|bot: How many|customer: a person please", "stops: people came in"},
	} {
		c.t.Flow = "party"
		tried, err := Try(t.Context(), desk(t), c.t)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		var fits, taken, talk []string
		for _, f := range tried.Fits {
			fits = append(fits, map[bool]string{true: "yes", false: "no: " + f.Why}[f.Fits])
		}
		for _, s := range tried.Steps {
			taken = append(taken, s.Number+" "+s.Words)
		}
		for _, l := range tried.Talk {
			talk = append(talk, l.By+": "+l.Text)
		}
		within(t, name, "its triggers say", c.fits, fits)
		within(t, name, "its steps are", c.steps, taken)
		within(t, name, "it is said", c.talk, talk)
		if !strings.HasPrefix(tried.Stands, c.stands) || (tried.Stands == "") != (tried.Missed != "") {
			t.Errorf("%s: it stands %q, missed %q, not %q", name, tried.Stands, tried.Missed, c.stands)
		}
	}
	for says, trying := range map[string]Trying{
		"is not there":            {Flow: "patry", Starts: says("party")},
		"no step \"9\"":           {Flow: "party", Step: "9"},
		"no channel called \"x\"": {Flow: "party", Channel: "x", Starts: says("party")},
	} {
		if _, err := Try(t.Context(), desk(t), trying); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, not one that says %q", err, says)
		}
	}
	tried, err := Try(t.Context(), desk(t), Trying{Flow: "party", Starts: says("a picnic for 30 please")})
	if err != nil || tried.Values["people"] != 30.0 || !slices.Contains(tried.Happened, "keep name: Ada Moss") {
		t.Errorf("kept is %v, and happened %q, %v", tried.Values, tried.Happened, err)
	}
}

// within looks for parts, with bars between them, in texts in their order.
func within(t *testing.T, name, what, parts string, texts []string) {
	t.Helper()
	rest := strings.Join(texts, "\n")
	if parts == "" {
		if rest != "" {
			t.Errorf("%s: %s %q, and not nothing", name, what, rest)
		}
		return
	}
	for part := range strings.SplitSeq(parts, "|") {
		number, words, numbered := strings.Cut(part, " ")
		at := strings.Index(rest, part)
		if numbered && at < 0 { // the words further on in the line
			if line := strings.Index(rest, number+" "); line >= 0 {
				if found := strings.Index(rest[line:], words); found >= 0 {
					at = line + found
				}
			}
		}
		if at < 0 {
			t.Errorf("%s: %s %q, without %q", name, what, texts, part)
			return
		}
		rest = rest[at:]
	}
}

// What a trigger is for may be filled in with values of one's own.
func TestASampleTakesValues(t *testing.T) {
	h := echo(t)
	f, err := (&flow.Language{Steps: steps.All, Triggers: triggers.All}).Parse("sorry", []byte("flow: sorry\nwhen:\n  - conversation: { becomes: escalated, if: \"event.reason == 'anger'\" }\nsteps:\n  - note: Call them\n"))
	if err != nil {
		t.Fatal(err)
	}
	checked, _ := f.Check(bare{})
	h.Flows = append(h.Flows, checked)
	for reason, stands := range map[string]string{"anger": "is done: came to its end", "wish": "", "": ""} {
		tried, err := Try(t.Context(), h, Trying{Flow: "sorry", Channel: "web", Starts: flow.Happening{Values: map[string]any{"reason": reason}}})
		if err != nil || tried.Stands != stands {
			t.Errorf("for %q it stands %q, %v", reason, tried.Stands, err)
		}
	}
}
