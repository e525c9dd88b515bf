package steps

import (
	"fmt"

	"urgentparrot.example/internal/core/flow"
)

var branch = &flow.StepKind{
	Name: "branch", Group: decide, Main: "branch", Leads: flow.LeadsBranch,
	About:   "Takes the steps of the first case whose condition holds, or else those for all others.",
	Example: "- branch:\n    - if: \"party_size > 60\"\n      steps: [ { escalate: { because: A large group } } ]\n    - else: [ { say: \"Thank you.\" } ]",
	Fields: []flow.Field{
		{Name: "branch", Label: "The cases", Type: flow.Objects, Required: true, About: "The cases, in order.", Of: []flow.Field{
			{Name: "if", Label: "If", Type: flow.Condition, About: "When the case is taken."},
			{Name: "steps", Label: "Then", Type: flow.Steps, About: "What is done then."},
			{Name: "else", Label: "Otherwise", Type: flow.Steps, About: "What is done if no case before is taken."},
		}},
	},
	Plain: func(*flow.Step) string { return "Depending on what holds:" },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		for i, arm := range s.List("branch") {
			block := fmt.Sprintf("branch.%d", i)
			if arm.Has("else") {
				return flow.Into(block)
			}
			holds, words, err := r.Weighs(arm["if"])
			if err != nil {
				return flow.Fail(err)
			}
			if holds {
				r.Did("it is so that %s", words)
				return flow.Into(block)
			}
			r.Did("it is not so that %s", words)
		}
		return flow.Next()
	},
	Go: func(*flow.Running, *flow.Step, flow.Event) flow.Move { return flow.Next() },
}
