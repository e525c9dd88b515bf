package steps

import "urgentparrot.example/internal/core/flow"

var notify = &flow.StepKind{
	Name: "notify", Group: do,
	About:   "Tells people, by mail through a connection to a mail server, or by an alert through one to a pager.",
	Example: "- notify: { connection: office-mail, to: team/crew, subject: A large group, text: \"{{ party_size }} people\" }",
	Fields: []flow.Field{
		{Name: "connection", Type: flow.Name, Kind: "connection", Required: true, About: "To the mail server, or to the system that takes alerts."},
		{Name: "to", Type: flow.Name, Kind: "people", Required: true, About: "A team, a person, or a mail address."},
		{Name: "subject", Type: flow.Text, Required: true, About: "What it is about."},
		{Name: "text", Type: flow.Text, About: "What is said."},
	},
	Plain: func(s *flow.Step) string { return "Tell " + s.Raw("to") + ": " + flow.Quote(s.Raw("subject")) + "." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		subject, err := r.Text(s.Args["subject"])
		if err != nil {
			return flow.Fail(err)
		}
		words, err := r.Text(s.Args["text"])
		if err != nil {
			return flow.Fail(err)
		}
		r.Emit(flow.Notify{Connection: s.Raw("connection"), To: s.Raw("to"), Subject: subject, Body: words})
		r.Did("told %s: %s", s.Raw("to"), flow.Quote(subject))
		return flow.Next()
	},
}
