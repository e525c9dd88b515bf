package api

import (
	"encoding/json"
	"fmt"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/problem"
)

func ask(q *request, in client.Question) (a client.Answer, err error) {
	if err := text(in.Question, "question", 4000); err != nil {
		return a, err
	}
	turn, err := q.workspace.Try(q.Request.Context(), engine.Trial{Bot: q.Param("name"), Message: in.Question})
	if err != nil {
		return a, err
	}
	return Answer(turn.Answer)
}

// Answer is what a bot says to one question, as it goes over the wire.
func Answer(said library.Answer) (a client.Answer, err error) {
	a = client.Answer{Answer: said.Words, Citations: citations(said.Citations)}
	if a.Trace, err = trace(said.Decision.Trace); err != nil {
		return a, err
	}
	for _, asked := range said.Decision.State.Asked {
		a.Answered = a.Answered || asked.Answer != ""
	}
	for _, u := range said.Decision.Trace.Understood {
		for _, p := range u.Passages {
			a.Confidence = max(a.Confidence, p.Confidence)
		}
	}
	for _, tool := range said.Decision.Trace.Tools {
		a.Confidence = max(a.Confidence, tool.Likeness)
	}
	return a, nil
}

func citations(list []answer.Citation) []client.Citation {
	out := make([]client.Citation, len(list))
	for i, c := range list {
		out[i] = client.Citation(c)
	}
	return out
}

// trace turns the core's trace into the wire's: both have the same JSON.
func trace(t dialogue.Trace) (out client.Trace, err error) {
	out.Decision = t.Code.Words()
	return out, convert(t, &out)
}

func convert(from, into any) error {
	raw, err := json.Marshal(from)
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, into)
}

// memory takes in what a trial knows of its customer.
func (q *request) memory(typed map[string]string) (m contact.Memory, err error) {
	settings := q.workspace.Documents.Settings()
	for name, value := range typed {
		field, ok := settings.Fields.Named(name)
		if !ok {
			return nil, problem.New(problem.BadInput, fmt.Sprintf("there is no field called %.80q", name), "before.memory")
		}
		if value, err = field.Read(value, settings.Region, q.workspace.Clock.Now()); err != nil {
			return nil, problem.New(problem.BadInput, err.Error(), "before.memory")
		}
		m = m.With(contact.Fact{Field: name, Value: value})
	}
	return m, nil
}

// talked is how many lines of a trial's talk are carried on.
const talked = 12

func try(q *request, in client.Trial) (out client.TrialTurn, err error) {
	if bad := channel.CheckText(in.Message); bad != nil {
		bad.Field = "message"
		return out, bad
	}
	t := engine.Trial{Bot: q.Param("name"), Brief: in.Brief, Message: in.Message, LastReply: in.Before.LastReply}
	for _, line := range in.Before.Talk {
		t.Talk = append(t.Talk, thinker.Line{By: line.By, Text: line.Text})
	}
	if err := convert(in.Before.State, &t.State); err != nil {
		return out, problem.New(problem.BadInput, "the state is not one that a trial gave", "before")
	}
	t.State.Lead = dialogue.Lead(in.Before.Lead)
	if t.Memory, err = q.memory(in.Before.Memory); err != nil {
		return out, err
	}
	turn, err := q.workspace.Try(q.Request.Context(), t)
	if err != nil {
		return out, err
	}
	out = client.TrialTurn{
		Reply: turn.Words, Citations: citations(turn.Citations),
		After: client.TrialState{Lead: string(turn.State.Lead), Memory: map[string]string{}, LastReply: turn.Words},
	}
	out.After.Talk = append(in.Before.Talk[max(0, len(in.Before.Talk)-talked):], client.Line{By: "customer", Text: in.Message}, client.Line{By: "bot", Text: turn.Words})
	for field, fact := range turn.Memory {
		out.After.Memory[field] = fact.Value
	}
	if err := convert(turn.State, &out.After.State); err != nil {
		return out, err
	}
	out.Trace, err = trace(turn.Decision.Trace)
	return out, err
}

func explainBot(q *request, in client.DocumentText) (out client.BotExplained, err error) {
	brief, err := bot.Parse(q.Param("name"), []byte(in.Text))
	if err != nil {
		return out, err
	}
	powers, missing, err := q.workspace.ExplainBot(q.Request.Context(), brief)
	out.Powers, out.Missing = make([]client.Power, len(powers)), append([]string{}, missing...)
	for i, p := range powers {
		out.Powers[i] = client.Power(p)
	}
	return out, err
}

// mostNotes is how many letters of notes are set in order at once.
const mostNotes = 20_000

func orderNotes(q *request, in client.Notes) (out client.NotesInOrder, err error) {
	if err := text(in.Notes, "notes", mostNotes); err != nil {
		return out, err
	}
	p := q.workspace.SetInOrder(q.Request.Context(), in.Notes)
	out = client.NotesInOrder{Values: p.Values, By: p.By, Why: p.Why, Placed: make([]client.PlacedNote, len(p.Placed))}
	for i, one := range p.Placed {
		out.Placed[i] = client.PlacedNote{Sentence: one.Sentence, Key: one.Key}
	}
	return out, nil
}
