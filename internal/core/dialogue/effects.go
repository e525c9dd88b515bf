package dialogue

import (
	"fmt"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/message"
)

// An Effect is something that a turn decides to record, or to do in the world.
// The engine has a kind of effect of the same name, which keeps and carries it
// out; a workspace does not open while one is missing.
type Effect interface {
	// Kind names the kind of effect.
	Kind() string
	// String says in a few words what it is, for the trace.
	String() string
}

// Effects are the kinds of effects that turns decide on, one of each.
var Effects = []Effect{
	Say{}, Remember{}, Escalate{}, Pass{}, Missed{}, Example{}, Notify{}, WriteRow{}, Sync{}, OptOut{}, Allow{}, Propose{},
	flow.Tag{}, flow.Stand{}, flow.Note{}, flow.Call{}, flow.Assign{}, flow.Close{}, flow.Start{}, flow.Count{},
}

// Say sends a message to the customer; it answers the messages named. A turn may
// say several things, in order.
type Say struct {
	Parts     []message.Part
	Answers   []string
	Citations []answer.Citation
	Hold      bool // it waits for a person's approval, whatever the channel says
}

// Remember records what the customer said of themselves. It is a claim: it never
// replaces what was verified.
type Remember struct {
	contact.Fact
	MessageID string
}

// Escalate hands the conversation to people.
type Escalate struct {
	Reason   string
	Priority string // normal, high
	Summary  Summary
}

// Pass gives the conversation to another bot, or tells that it was given to people.
type Pass struct {
	To  string // bot/NAME, team/NAME or person/NAME
	Who string // in words
	Why string
}

// Missed notes a question that the knowledge does not answer.
type Missed struct{ Question string }

// Example notes what a customer said to something that was offered for a question: it
// teaches what answers such questions. What was right is a gap no more.
type Example struct {
	Question      string
	PassageID     string
	Source, Label string
	Words         string // what was offered
	Right         bool
	How           string // yes, chosen; no, other words, another was chosen
}

// Notify tells people that a conversation waits, by mail.
type Notify struct {
	Connection, To string // a mail address, team/NAME or person/NAME
	Subject, Body  string
}

// OptOut records that the customer does not want to be written to, or wants it again.
type OptOut struct{ Again bool }

// WriteRow writes a row into a sheet, adding or updating it.
type WriteRow struct {
	Sheet string
	Key   string // "": the contact's row
	Cells map[string]string
}

// Sync writes the contact to a CRM.
type Sync struct {
	Connection string
	Memory     contact.Memory
}

// Allow asks people to allow a call of a tool. What they say wakes the conversation.
type Allow struct {
	Call
	Said map[string]any `json:"said"` // the arguments that were said
}

// Propose proposes a house answer, for a person to approve: what a customer says was meant.
type Propose struct {
	Question, Answer string
}

// The names of the kinds.
func (Say) Kind() string      { return "say" }
func (Remember) Kind() string { return "remember" }
func (Escalate) Kind() string { return "escalate" }
func (Pass) Kind() string     { return "pass" }
func (Missed) Kind() string   { return "gap" }
func (Example) Kind() string  { return "example" }
func (Notify) Kind() string   { return "notify" }
func (WriteRow) Kind() string { return "row" }
func (Sync) Kind() string     { return "sync" }
func (OptOut) Kind() string   { return "opt_out" }
func (Allow) Kind() string    { return "allow" }
func (Propose) Kind() string  { return "propose" }

func (e Say) String() string {
	return fmt.Sprintf("reply of %d characters", len([]rune(message.Plain(e.Parts))))
}
func (e Remember) String() string { return "remember " + e.Field }
func (e Escalate) String() string { return "escalate: " + e.Reason }
func (e Pass) String() string     { return "pass to " + e.To }
func (e Missed) String() string   { return "gap: " + e.Question }
func (e Example) String() string {
	if e.Right {
		return "example: " + e.Label + " answers it"
	}
	return "example: " + e.Label + " does not answer it"
}
func (e Notify) String() string   { return "notify " + e.To }
func (e WriteRow) String() string { return "row in sheet " + e.Sheet }
func (e Allow) String() string    { return "ask people to allow " + e.Tool }
func (e Propose) String() string  { return "propose a house answer: " + e.Question }
func (e Sync) String() string     { return "contact to " + e.Connection }
func (e OptOut) String() string {
	if e.Again {
		return "wants to be written to again"
	}
	return "opts out"
}
