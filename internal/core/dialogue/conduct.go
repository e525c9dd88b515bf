package dialogue

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/support"
	"urgentparrot.example/internal/core/thinker"
)

// conduct is how a run has bots answer in a turn.
type conduct struct{ t *turn }

// Answer is flow.Conduct's. The bot decides as it does on its own, with a turn in the turn;
// in between (not whole) only what it surely knows counts.
func (c conduct) Answer(name, question string, whole bool) (a flow.Answered, there bool) {
	t := c.t
	ask := func(s Snapshot, ok bool) {
		if !ok {
			there = true
			return
		}
		s.State = t.next
		if s.State.Open, s.State.Offer = nil, nil; s.State.Lead != Waiting {
			s.State.Lead = LedByBot
		}
		s.Messages = []Incoming{{ID: askedByFlow(question), Text: question}}
		s.Wakes, s.Runs, s.Flows = nil, nil, Flows{}
		s.Memory, s.LastReply, s.Streak = t.Memory, t.LastReply, 0
		d := Decide(t.ctx, s)
		if len(d.Calls) > 0 || d.Think != nil {
			t.calls, t.think = d.Calls, d.Think
			t.came(CodeCalling, "a bot thinks about what a flow asks it")
			return
		}
		there = true
		a.Known = d.Trace.Code == CodeAnswered
		for _, u := range d.Trace.Understood {
			if len(u.Passages) > 0 {
				a.Confidence = max(a.Confidence, u.Passages[0].Confidence)
			}
		}
		if !whole && !a.Known {
			return
		}
		t.trace.Understood = append(t.trace.Understood, d.Trace.Understood...)
		t.replies = append(t.replies, d.Replies...)
		t.next = d.State
		a.Handed = d.State.Lead != t.State.Lead && d.State.Lead == Waiting
		for _, e := range d.Effects {
			if say, ok := e.(Say); ok {
				a.Words = message.Plain(say.Parts)
				say.Answers = nil
				t.LastReply = a.Words
				e = say
			}
			a.Effects = append(a.Effects, e)
		}
	}
	if name == "" || name == t.Brief.Name || t.Other == nil {
		ask(t.Snapshot, true)
	} else {
		t.Other(name, ask)
	}
	return a, there
}

// Classify is flow.Conduct's. The model's label counts if it is one of those given; else the
// built-in means decide.
func (c conduct) Classify(said string, labels []flow.Label) (string, float64, bool) {
	task := thinker.Task{Kind: thinker.Classify, Said: said}
	for _, l := range labels {
		task.Labels = append(task.Labels, thinker.Label{Name: l.Name, About: l.About, Examples: l.Examples})
	}
	o, had, there := c.think(task)
	if !there {
		return "", 0, false
	}
	const byModel = 0.9 // how sure a label of the model's counts
	if had && slices.ContainsFunc(labels, func(l flow.Label) bool { return l.Name == o.Label }) {
		return o.Label, byModel, true
	}
	if c.t.Flows.Label == nil {
		return "", 0, true
	}
	label, sure := c.t.Flows.Label(said, labels)
	return label, sure, true
}

// Extract is flow.Conduct's. What the model takes out counts only where it stands in the text.
func (c conduct) Extract(said string, wanted []flow.Wanted) (map[string]string, bool) {
	task := thinker.Task{Kind: thinker.Extract, Said: said}
	for _, w := range wanted {
		task.Fields = append(task.Fields, thinker.Field{Name: w.Name, Label: w.Label, Type: w.As.As, Choices: w.As.Choices})
	}
	o, _, there := c.think(task)
	for name, value := range o.Values {
		if _, stands := flow.Contains(said, []string{value}); !stands {
			delete(o.Values, name)
		}
	}
	return o.Values, there
}

// Phrase is flow.Conduct's. What the model writes counts only where all of it stands on the
// facts.
func (c conduct) Phrase(facts, instructions string, most int) (string, bool) {
	o, had, there := c.think(thinker.Task{Kind: thinker.Phrase, Said: facts, Instructions: instructions, Brief: thinker.Brief{Limit: most}})
	if !had || !c.checker().Says(o.Text, facts) {
		return "", there
	}
	return o.Text, there
}

// Sum is flow.Conduct's. Of what the model writes those sentences count whose numbers, times
// and names were said; a number in its bounds, and a choice of those that there are.
func (c conduct) Sum(lines []flow.Line, instructions string, parts []flow.Part) (flow.Sum, bool) {
	task := thinker.Task{Kind: thinker.Summarise, Instructions: instructions}
	said := ""
	for _, l := range lines {
		task.Talk = append(task.Talk, thinker.Line{By: l.By, Text: l.Text})
		said += l.Text + "\n"
	}
	for _, p := range parts {
		task.Fields = append(task.Fields, thinker.Field{Name: p.Name, Label: p.About, Type: p.Words(), Choices: p.Choices})
	}
	o, had, there := c.think(task)
	if !had {
		return flow.Sum{}, there
	}
	check := c.checker()
	stands := func(words string) string { return check.Standing(words, said) }
	sum := flow.Sum{Text: stands(o.Text), Parts: map[string]any{}}
	for _, p := range parts {
		sum.Parts[p.Name] = p.Take(o.Values[p.Name], stands)
	}
	return sum, there
}

// checker holds what a model writes for a flow against what it may stand on.
func (c conduct) checker() support.Checker {
	return support.Checker{Analyzer: c.t.Finder.Index.Analyzer(), Language: c.t.Settings.Language, Names: []string{c.t.Settings.Title, c.t.Brief.Persona}}
}

// askedByFlow names something that a flow asks for among what else is asked in a turn: the
// same thing has the same name, however often the turn is decided.
func askedByFlow(what string) string {
	sum := sha256.Sum256([]byte(what))
	return "asked by a flow: " + hex.EncodeToString(sum[:16])
}

// think puts a task to the model, if the bot has one that may be asked. had says whether it
// gave something that can be used; there is false while it is still to come.
func (c conduct) think(task thinker.Task) (o thinker.Outcome, had, there bool) {
	t := c.t
	if t.Model == nil || strings.TrimSpace(task.Said) == "" && len(task.Talk) == 0 {
		return o, false, true
	}
	about, err := json.Marshal(task)
	if err != nil {
		return o, false, true // values of texts can always be encoded
	}
	r := &reader{turn: t, on: askedByFlow(string(about))}
	r.thoughts = slices.DeleteFunc(slices.Clone(t.Thoughts), func(th Thought) bool { return th.On != r.on })
	if why := t.Model.Unavailable(t.Brief); why != "" && len(r.thoughts) == 0 {
		t.trace.BuiltIn = why
		return o, false, true
	}
	task.Brief = r.told()
	o, _, why, known := r.ask(task)
	if why != "" {
		t.trace.BuiltIn = why
	}
	return o, known && why == "", known
}
