package dialogue

import (
	"maps"
	"slices"

	"urgentparrot.example/internal/core/answer"
)

// callsInTurn bounds how many tools one turn may call.
const callsInTurn = 4

// use calls a tool, or says what came of it, or asks for what is missing. It
// returns the outcome for the trace.
func (t *turn) use(tool Tool, arguments map[string]any, question string, likeness float64) string {
	record := func(outcome string) string {
		t.trace.Tools = append(t.trace.Tools, ToolUse{tool.Name, likeness, arguments, outcome})
		return outcome
	}
	if missing := tool.complete(arguments); missing != nil {
		t.next.Open = &OpenQuestion{Tool: tool.Name, Arguments: arguments, Missing: missing.Name, Question: question}
		t.answers = append(t.answers, missing.Ask)
		return record("asked for " + missing.Name)
	}
	t.next.Open = nil
	call := Call{tool.Name, arguments}
	if err := tool.CheckArguments(arguments); err != nil {
		t.unknown = append(t.unknown, question)
		return record("the arguments do not fit: " + err.Error())
	}
	at := slices.IndexFunc(t.Results, func(r Result) bool { return r.key() == call.key() })
	switch {
	case at < 0 && len(t.Results)+len(t.calls) >= callsInTurn:
		t.unknown = append(t.unknown, question)
		return record("too many calls in one turn")
	case at < 0:
		t.calls = append(t.calls, call)
		return record("called")
	case t.Results[at].Error != "":
		t.note(Asked{Question: question})
		t.answers = append(t.answers, tool.Sorry)
		return record("failed: " + t.Results[at].Error)
	}
	values := t.values(question)
	values.Arguments, values.Result = arguments, t.Results[at].Value
	words, err := tool.Fill(values)
	if err != nil {
		t.note(Asked{Question: question})
		t.answers = append(t.answers, tool.Sorry)
		return record("no words for the result: " + err.Error())
	}
	t.answered(question, words)
	return record("answered by the tool")
}

// askAgain is how often a tool's question is put before it is given up.
const askAgain = 2

// fillOpen takes the value that a tool waits for out of what was said. It
// reports whether that settled the turn; if not, the message is looked at like
// any other, and the question is put again behind the answer.
func (t *turn) fillOpen() bool {
	open := *t.next.Open
	at := slices.IndexFunc(t.Tools, func(tool Tool) bool { return tool.Name == open.Tool })
	if at < 0 {
		t.next.Open = nil
		return false
	}
	tool := t.Tools[at]
	heard := tool.hear(t.said, open.Missing, t.Now)
	if _, ok := heard[open.Missing]; ok {
		arguments := map[string]any{}
		maps.Copy(arguments, open.Arguments)
		maps.Copy(arguments, heard)
		outcome := t.use(tool, arguments, open.Question, 1)
		t.trace.Understood = append(t.trace.Understood, Understood{
			Part: answer.Part{Text: t.said, Kind: answer.Statement}, Outcome: "filled " + open.Missing + "; " + outcome,
		})
		switch {
		case len(t.calls) > 0:
			t.came(CodeCalling, "the missing detail was given")
		case len(t.unknown) > 0:
			t.conclude(false, false)
		default:
			t.came(CodeAnswered, "a tool gave the answer")
		}
		return true
	}
	open.Tries++
	t.next.Open = &open
	if open.Tries >= askAgain {
		t.next.Open = nil
	}
	return false
}
