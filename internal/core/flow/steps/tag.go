package steps

import "urgentparrot.example/internal/core/flow"

var tag = &flow.StepKind{
	Name: "tag", Group: do, Main: "tag",
	About: "Marks the contact with a tag.", Example: "- tag: group",
	Fields: []flow.Field{{Name: "tag", Type: flow.Name, Kind: "tag", Required: true, About: "The tag; tags are declared in the settings."}},
	Plain:  func(s *flow.Step) string { return "Tag the contact " + s.Raw("tag") + "." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		r.Emit(flow.Tag{Tag: s.Raw("tag")})
		r.Did("tagged %s", s.Raw("tag"))
		return flow.Next()
	},
}

var untag = &flow.StepKind{
	Name: "untag", Group: do, Main: "tag",
	About: "Takes a tag away from the contact.", Example: "- untag: group",
	Fields: []flow.Field{{Name: "tag", Type: flow.Name, Kind: "tag", Required: true, About: "The tag."}},
	Plain:  func(s *flow.Step) string { return "Take the tag " + s.Raw("tag") + " away." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		r.Emit(flow.Tag{Tag: s.Raw("tag"), Off: true})
		r.Did("took the tag %s away", s.Raw("tag"))
		return flow.Next()
	},
}
