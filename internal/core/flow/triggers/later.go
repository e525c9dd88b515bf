package triggers

import "urgentparrot.example/internal/core/flow"

// What follows is known to the language, and waits for a channel or system that it needs.

func later(name, about, missing string) *flow.TriggerKind {
	return &flow.TriggerKind{
		Name: name, About: about, Missing: missing, Example: "- " + name, Talks: true,
		Fields: []flow.Field{{Name: "contains", Type: flow.Texts, About: "Any of these words."}, {Name: "about", Type: flow.Texts, About: "What it is about, in examples."}},
		Plain:  func(*flow.Trigger) string { return lower(about) },
	}
}

var (
	comment     = later("comment", "Somebody comments on a public post.", "there is no channel with public posts yet")
	mail        = later("mail", "A mail arrives.", "there is no mail channel yet")
	ticket      = later("ticket", "A ticket is opened or solved.", "there is no ticket desk yet")
	appointment = later("appointment", "An appointment is booked, moved, cancelled, or near.", "there is no diary yet")
)

func lower(s string) string { return string(s[0]|0x20) + s[1:len(s)-1] }
