package steps

import "urgentparrot.example/internal/core/flow"

var count = &flow.StepKind{
	Name: "count", Group: do, Main: "milestone",
	About: "Marks a milestone for the reports.", Example: "- count: quote asked for",
	Fields: []flow.Field{{Name: "milestone", Label: "Milestone", Type: flow.Words, Required: true, About: "Its name, the same each time."}},
	Plain:  func(s *flow.Step) string { return "Count “" + s.Raw("milestone") + "”." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		r.Emit(flow.Count{Milestone: s.Raw("milestone")})
		r.Did("counted %s", s.Raw("milestone"))
		return flow.Next()
	},
}
