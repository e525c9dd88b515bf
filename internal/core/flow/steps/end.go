package steps

import "urgentparrot.example/internal/core/flow"

var end = &flow.StepKind{
	Name: "end", Group: decide, Main: "why", Ends: true,
	About:   "Ends the run.",
	Example: `- end: "The customer is served"`,
	Fields:  []flow.Field{{Name: "why", Label: "Because", Type: flow.Text, About: "The reason, for people."}},
	Plain:   func(*flow.Step) string { return "End here." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		why, err := r.Text(s.Args["why"])
		if err != nil {
			return flow.Fail(err)
		}
		if why == "" {
			why = "ended by the flow"
		}
		return flow.Finish(flow.Done, why)
	},
}
