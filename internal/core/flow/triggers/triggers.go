// Package triggers holds what starts flows: one file for each kind, with its fields, its
// check, its words and when it fires. Adding a trigger is a file and a line in All.
package triggers

import "urgentparrot.example/internal/core/flow"

// All are the kinds of triggers, in the order in which they are explained.
var All = []*flow.TriggerKind{message, comment, mail, form, ticket, contact, conversation, appointment, schedule, webhook, byHand}

// The names of those that the engine fires.
const (
	Message      = "message"
	Form         = "form"
	Contact      = "contact"
	Conversation = "conversation"
	Schedule     = "schedule"
	Webhook      = "webhook"
)

func text(v any) string { s, _ := v.(string); return s }
