package steps

import "urgentparrot.example/internal/core/flow"

var note = &flow.StepKind{
	Name: "note", Group: do, Main: "text",
	About:   "Puts a note for people in line with the messages.",
	Example: `- note: "Wants to pay by invoice"`,
	Fields:  []flow.Field{{Name: "text", Label: "The note", Type: flow.Text, Required: true, About: "The note."}},
	Plain:   func(s *flow.Step) string { return "Note " + flow.Quote(s.Raw("text")) + " for the team." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		words, err := r.Text(s.Args["text"])
		if err != nil {
			return flow.Fail(err)
		}
		r.Emit(flow.Note{Text: words})
		r.Did("noted %s", flow.Quote(words))
		return flow.Next()
	},
}
