package steps

import "urgentparrot.example/internal/core/flow"

var sync = &flow.StepKind{
	Name: "sync", Group: do, Main: "connection",
	About:   "Writes the contact to a CRM: updates what it finds there by what is verified, else makes a new record.",
	Example: "- sync: client-book",
	Fields:  []flow.Field{{Name: "connection", Label: "Which CRM", Type: flow.Name, Kind: "connection", Required: true, About: "The connection to the CRM."}},
	Plain:   func(s *flow.Step) string { return "Write the contact to " + s.Raw("connection") + "." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		r.Emit(flow.Sync{Connection: s.Raw("connection")})
		r.Did("wrote the contact to %s", s.Raw("connection"))
		return flow.Next()
	},
}
