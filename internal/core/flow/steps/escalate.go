package steps

import "urgentparrot.example/internal/core/flow"

var escalate = &flow.StepKind{
	Name: "escalate", Group: do, Talks: true, Main: "because", Ends: true,
	About:   "Hands the conversation to people, with a summary and the reason, and ends the run.",
	Example: "- escalate: { to: team/crew, because: \"Group of {{ party_size }}\", priority: high }",
	Fields: []flow.Field{
		{Name: "because", Label: "Because", Type: flow.Text, Required: true, About: "The reason, for people."},
		{Name: "to", Label: "Who is told", Type: flow.Name, Kind: "people", About: "Who is told; as the brief says if it is left out."},
		{Name: "priority", Type: flow.Choice, Choices: []string{"normal", "high"}, Default: "normal", About: "How urgent it is."},
		{Name: "say", Label: "What the customer is told", Type: flow.Text, About: "What the customer is told."},
	},
	Plain: func(s *flow.Step) string {
		plain := "Hand the conversation to people"
		if s.Has("to") {
			plain = "Hand the conversation to " + s.Raw("to")
		}
		return plain + ", because " + flow.Quote(s.Raw("because")) + ". The run ends."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		because, err := r.Text(s.Args["because"])
		if err != nil {
			return flow.Fail(err)
		}
		words, err := r.Text(s.Args["say"])
		if err != nil {
			return flow.Fail(err)
		}
		if words != "" {
			r.Emit(flow.Say{Text: words})
		}
		r.Emit(flow.Escalate{To: s.Raw("to"), Because: because, Priority: s.Raw("priority")})
		return flow.Finish(flow.Done, "handed over: "+because)
	},
}
