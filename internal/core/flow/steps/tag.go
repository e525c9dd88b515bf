package steps

import "urgentparrot.example/internal/core/flow"

var tag = &flow.StepKind{
	Name: "tag", Group: do, Main: "tag",
	About: "Marks the contact, or the conversation, with a tag.", Example: "- tag: group",
	Fields: tagFields("The tag; tags are declared in the settings."),
	Check:  checkTag,
	Plain:  func(s *flow.Step) string { return "Tag the " + marked(s) + " " + s.Raw("tag") + "." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		r.Mark(flow.Tag{Tag: s.Raw("tag"), OnTalk: marked(s) == "conversation"})
		r.Did("tagged the %s %s", marked(s), s.Raw("tag"))
		return flow.Next()
	},
}

var untag = &flow.StepKind{
	Name: "untag", Group: do, Main: "tag",
	About: "Takes a tag away from the contact, or the conversation.", Example: "- untag: group",
	Fields: tagFields("The tag."),
	Check:  checkTag,
	Plain:  func(s *flow.Step) string { return "Take the tag " + s.Raw("tag") + " away from the " + marked(s) + "." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		r.Mark(flow.Tag{Tag: s.Raw("tag"), Off: true, OnTalk: marked(s) == "conversation"})
		r.Did("took the tag %s away from the %s", s.Raw("tag"), marked(s))
		return flow.Next()
	},
}

func tagFields(about string) []flow.Field {
	return []flow.Field{
		{Name: "tag", Label: "Tag", Type: flow.Name, Kind: "tag", Required: true, About: about},
		{Name: "on", Label: "What is marked", Type: flow.Choice, Choices: []string{"contact", "conversation"}, Default: "contact", About: "What is marked."},
	}
}

// marked is what a step marks.
func marked(s *flow.Step) string {
	if s.Raw("on") == "conversation" {
		return "conversation"
	}
	return "contact"
}

// checkTag holds that there is a conversation to be marked.
func checkTag(c *flow.Checking, s *flow.Step) {
	if marked(s) == "conversation" && !c.InTalk() {
		c.Doubt(s.Args["on"].At, "no trigger of the flow brings a conversation, so that there may be none to be marked here")
	}
}
