// Package steps holds the steps of flows: one file for each, with its fields, its check,
// its words and what it does. Adding a step is a file and a line in All.
package steps

import (
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/text"
)

// All are the steps, in the order in which they are explained.
var All = []*flow.StepKind{
	say, ask, awaitReply, react, mail,
	answer, extract, classify, phrase, summarise,
	branch, wait, loop, start, end,
	set, tag, untag, note, record, sync, ticket, call, book, notify, assign, escalate, closing, count,
}

// The groups of steps.
const (
	converse = "converse"
	think    = "think"
	decide   = "decide"
	do       = "do"
)

// speech is what is said in the workspace's language.
func speech(r *flow.Running) text.Speech { return r.Flow.Settings.Speech() }

// fixed is Saves of steps whose results are always of one kind.
func fixed(k flow.Kind) func(*flow.Step) flow.Kind {
	return func(*flow.Step) flow.Kind { return k }
}

// needsModel says of a field of a step that only a model follows it, where the workspace has
// none: a bot may have one of its own.
func needsModel(c *flow.Checking, s *flow.Step, field, without string) {
	if s.Has(field) && c.Settings.Model == "" {
		c.Doubt(s.Args[field].At, "%s is for a model, and the settings name none: unless the bot has one of its own, %s", field, without)
	}
}
