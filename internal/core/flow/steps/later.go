package steps

import "urgentparrot.example/internal/core/flow"

// What follows is known to the language, and waits for a channel or system that it needs.
// Each becomes a file of its own with that.

func later(name, group, about, missing string, fields ...flow.Field) *flow.StepKind {
	return &flow.StepKind{
		Name: name, Group: group, About: about, Missing: missing, Fields: fields, Main: "text",
		Example: "- " + name + ": \"...\"",
		Saves:   fixed(flow.Any),
		Plain:   func(*flow.Step) string { return about },
		Run:     func(*flow.Running, *flow.Step) flow.Move { return flow.Next() },
	}
}

var (
	react  = later("react", converse, "Likes or marks the message that started the flow.", "no channel that is there yet has reactions", flow.Field{Name: "text", Type: flow.Words, About: "like, or a mark."})
	mail   = later("mail", converse, "Sends a mail, or lays it into Drafts.", "there is no mail channel yet; notify tells people by mail", flow.Field{Name: "to", Type: flow.Text, About: "To whom."}, flow.Field{Name: "subject", Type: flow.Text, About: "What it is about."}, flow.Field{Name: "text", Type: flow.Text, About: "What is said."})
	ticket = later("ticket", do, "Opens, comments on, assigns or solves a ticket.", "there is no ticket desk yet", flow.Field{Name: "text", Type: flow.Text, About: "What is done."})
	book   = later("book", do, "Offers free times of a diary, books, moves or cancels.", "there is no diary yet", flow.Field{Name: "text", Type: flow.Text, About: "What is booked."})
)
