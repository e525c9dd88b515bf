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
