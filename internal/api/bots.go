package api

import (
	"encoding/json"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
)

func ask(q *request) (any, error) {
	var in client.Question
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if err := text(in.Question, "question", 4000); err != nil {
		return nil, err
	}
	turn, err := q.workspace.Try(q.Request.Context(), engine.Trial{Bot: q.Param("name"), Message: in.Question})
	if err != nil {
		return nil, err
	}
	a := client.Answer{Answer: turn.Reply, Citations: citations(turn.Citations)}
	if a.Trace, err = trace(turn.Decision.Trace); err != nil {
		return nil, err
	}
	for _, asked := range turn.State.Asked {
		a.Answered = a.Answered || asked.Answer != ""
	}
	for _, u := range turn.Decision.Trace.Understood {
		for _, p := range u.Passages {
			a.Confidence = max(a.Confidence, p.Confidence)
		}
	}
	for _, tool := range turn.Decision.Trace.Tools {
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
	return out, convert(t, &out)
}

func convert(from, into any) error {
	raw, err := json.Marshal(from)
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, into)
}

func try(q *request) (any, error) {
	var in client.Trial
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if bad := channel.CheckText(in.Message); bad != nil {
		bad.Field = "message"
		return nil, bad
	}
	t := engine.Trial{Bot: q.Param("name"), Brief: in.Brief, Message: in.Message, Known: in.Memory.Known, LastReply: in.Memory.LastReply}
	if err := convert(in.Memory.State, &t.State); err != nil {
		return nil, problem.New(problem.BadInput, "the memory is not one that a trial gave", "memory")
	}
	t.State.Lead = dialogue.Lead(in.Memory.Lead)
	turn, err := q.workspace.Try(q.Request.Context(), t)
	if err != nil {
		return nil, err
	}
	out := client.TrialTurn{
		Reply: turn.Reply, Citations: citations(turn.Citations),
		Memory: client.TrialMemory{Lead: string(turn.State.Lead), Known: turn.Known, LastReply: turn.Reply},
	}
	if err := convert(turn.State, &out.Memory.State); err != nil {
		return nil, err
	}
	out.Trace, err = trace(turn.Decision.Trace)
	return out, err
}
