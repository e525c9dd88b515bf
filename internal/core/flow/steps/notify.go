package steps

import (
	"cmp"

	"urgentparrot.example/internal/core/flow"
)

var notify = &flow.StepKind{
	Name: "notify", Group: do,
	About:   "Tells people, by mail through a connection to a mail server, or by an alert through one to a pager.",
	Example: "- notify: { connection: office-mail, to: team/crew, subject: A large group, text: \"{{ party_size }} people\" }",
	Fields: []flow.Field{
		{Name: "connection", Label: "Through", Type: flow.Name, Kind: "connection", About: "To the mail server, or to the system that takes alerts; the one mail server that there is, if it is left out."},
		{Name: "to", Label: "Who is told", Type: flow.Name, Kind: "people", Required: true, About: "A team, a person, or a mail address."},
		{Name: "subject", Label: "What it is about", Type: flow.Text, Required: true, About: "What it is about."},
		{Name: "text", Label: "What is said", Type: flow.Text, About: "What is said."},
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		if !s.Has("connection") && c.Mail == "" {
			c.Wrong(s.At, "say by which connection people are told: there is no mail server, or more than one")
		}
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
		r.Emit(flow.Notify{Connection: cmp.Or(s.Raw("connection"), r.Flow.Mail), To: s.Raw("to"), Subject: subject, Body: words})
		r.Did("told %s: %s", s.Raw("to"), flow.Quote(subject))
		return flow.Next()
	},
}
