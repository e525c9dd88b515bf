package steps

import (
	"strings"

	"urgentparrot.example/internal/core/flow"
)

// closing is the step close.
var closing = &flow.StepKind{
	Name: "close", Group: do, Talks: true, Main: "because", Ends: true,
	About:   "Ends the conversation, and the run.",
	Example: `- close: "Served"`,
	Fields:  []flow.Field{{Name: "because", Label: "Because", Type: flow.Text, About: "The reason, for people."}},
	Plain:   func(*flow.Step) string { return "Close the conversation." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		why, err := r.Text(s.Args["because"])
		if err != nil {
			return flow.Fail(err)
		}
		r.Emit(flow.Close{Why: why})
		return flow.Finish(flow.Done, strings.TrimSuffix("closed the conversation: "+why, ": "))
	},
}
