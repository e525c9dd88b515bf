// Package dialogue decides what to do with what a customer wrote. A decision is
// a pure function of a snapshot: it returns the new state and the effects, and
// touches nothing.
package dialogue

import (
	"slices"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/workspace"
)

// Lead says who leads a conversation.
type Lead string

// Who may lead.
const (
	LedByBot    Lead = "bot"
	Waiting     Lead = "waiting" // escalated; no person has taken it yet
	LedByPerson Lead = "person"
	Closed      Lead = "closed"
)

// State is what a conversation carries from one turn to the next.
type State struct {
	Lead         Lead          `json:"-"` // kept in a column of its own
	Open         *OpenQuestion `json:"open,omitempty"`
	Asked        []Asked       `json:"asked,omitempty"`   // the latest questions, at most keptQuestions
	Earlier      []Asked       `json:"earlier,omitempty"` // those before, cut short, at most keptEarlier
	Used         *Used         `json:"used,omitempty"`
	Offer        *Offer        `json:"offer,omitempty"`
	Offered      []string      `json:"offered,omitempty"` // the latest questions that something was offered for, at most keptOffers
	LastQuestion string        `json:"last_question,omitempty"`
	Bot          string        `json:"bot,omitempty"`        // that the conversation was passed to last
	From         []string      `json:"from,omitempty"`       // the bots that it can be handed back to, the last first to be asked
	Passes       int           `json:"passes,omitempty"`     // how often it was passed, in the latest turns
	AskedBack    bool          `json:"asked_back,omitempty"` // the model's last reply ends in a question
	Replies      int           `json:"replies,omitempty"`    // how many replies the bot made
	Angry        bool          `json:"angry,omitempty"`
	Marked       []string      `json:"marked,omitempty"`   // the marks that the bot gave
	Captured     string        `json:"captured,omitempty"` // the facts last written to the sheet
	Synced       string        `json:"synced,omitempty"`   // and to the CRM
}

// An OpenQuestion waits for an argument of a tool.
type OpenQuestion struct {
	Tool      string         `json:"tool"`
	Arguments map[string]any `json:"arguments"` // that were said
	Missing   string         `json:"missing"`
	Question  string         `json:"question"` // what the customer had asked
	Tries     int            `json:"tries"`
}

// Asked is a question and what became of it.
type Asked struct {
	Question string `json:"question"`
	Answer   string `json:"answer,omitempty"` // empty: it is open
}

const (
	keptQuestions = 12
	keptEarlier   = 40
	earlierRunes  = 160 // of a question, and of its answer
)

// Questions is all that was asked in the talk, oldest first, as far as it is kept. It is the
// running sum of a long talk.
func (s State) Questions() []Asked { return slices.Concat(s.Earlier, s.Asked) }

// Sum tells what was answered from what is still open; what was asked again and answered then
// is not open.
func (s State) Sum() (answered, open []string) {
	settled := map[string]bool{}
	for _, a := range slices.Backward(s.Questions()) {
		switch key := text.Fold(text.Squeeze(a.Question)); {
		case settled[key]:
		case a.Answer == "":
			open = append(open, a.Question)
			settled[key] = true
		default:
			answered = append(answered, a.Question)
			settled[key] = true
		}
	}
	slices.Reverse(answered)
	slices.Reverse(open)
	return answered, open
}

// A Snapshot is all that a turn is decided on.
type Snapshot struct {
	Now       time.Time // in the workspace's zone
	State     State
	Memory    contact.Memory // what is known of the contact
	Messages  []Incoming     // not yet decided on, oldest first
	Wakes     []Wake         // what else woke the turn
	LastReply string         // what the bot said last
	Results   []Result       // of the tools called in this turn
	Streak    int            // see Streak
	Brief     bot.Brief
	Tools     []Tool // that the brief may use
	Settings  workspace.Settings
	Channel   workspace.Channel
	Abilities workspace.Abilities  // of the channel
	Finder    answer.Finder        // of what the bot may answer from
	Elapsed   func() time.Duration // for the trace; may be nil
	Model     *Model               // that the bot thinks with; nil: the built-in thinker
	Talk      []thinker.Line       // what was said lately, oldest first, without Messages
	Thoughts  []Thought            // what was put to the model in this turn, in order
	Flows     Flows                // what may happen step by step
	Runs      []Run                // of flows in the conversation that have not ended, oldest first
	Blocked   bool                 // the contact is not answered
	NoBots    bool                 // people answer the contact, not bots

	// Other runs work with the snapshot of another bot, with its knowledge; it may run it
	// again. nil: there is no other.
	Other func(bot string, work func(other Snapshot, there bool))
}

// leftToPeople returns why people answer here instead of bots; "": bots do.
func (s Snapshot) leftToPeople() string {
	switch {
	case s.NoBots:
		return "bots do not write to this contact"
	case s.Channel.Replies == workspace.Off:
		return "bots do not answer on this channel"
	case s.Brief.Mode == workspace.Off:
		return "the bot is switched off"
	}
	return ""
}

// Incoming is one message of the customer.
type Incoming struct {
	ID   string
	Text string
	Left bool // it came while a person led: it is theirs, and not answered
}

// A Wake is what wakes a turn beside a message.
type Wake struct {
	Kind WakeKind
	Body string // what it carries, as JSON; "" for nothing
}

// WakeKind says what woke a turn.
type WakeKind string

// What wakes turns.
const (
	ByTimer    WakeKind = "timer"     // a time that was waited for has come
	ByResult   WakeKind = "result"    // a call has an answer
	ByHandBack WakeKind = "hand_back" // a person gave the conversation back
	ByEvent    WakeKind = "event"     // something happened elsewhere
	ByRun      WakeKind = "run"       // something happened to a run of a flow: Body is a RunWake

	ByAllowance WakeKind = "allowance" // a person decided on a call that waited for them: Body is an Allowed
)

// A Call asks for a tool to be called.
type Call struct {
	Tool      string         `json:"tool"`
	Arguments map[string]any `json:"arguments"`
	Question  string         `json:"question,omitempty"` // that it is called for; calls that differ in it alone are the same
}

// A Result is what came of a call.
type Result struct {
	Call
	Value any    `json:"value,omitempty"` // decoded JSON
	Error string `json:"error,omitempty"` // why there is none
}

// A Decision is what a turn comes to. While Calls is not empty, or Think is there, nothing
// else holds but the trace: the turn is decided again with what came of them.
type Decision struct {
	Calls   []Call
	Think   *Thought // to be put to the model
	State   State
	Effects []Effect
	Trace   Trace
	Runs    []RunChange
	Bot     string         // that decided: the conversation may have been passed to it
	Replies []answer.Reply // what was found for each thing asked; it is not kept
}

// A Summary tells a person what they need to go on.
type Summary struct {
	Asked    []string `json:"asked"`          // questions, answered ones with the answer's first words
	Open     []string `json:"open"`           // questions without an answer
	Mood     string   `json:"mood"`           // calm, angry
	Memory   []string `json:"memory"`         // "E-mail: ada@example.org"
	LastSaid string   `json:"last_said"`      // the customer's last words
	Gist     string   `json:"gist,omitempty"` // what a model makes of it, once it has
}

func (s Snapshot) values(question string) template.Values {
	known := s.Settings.Fields.Values(s.Memory)
	if s.Brief.Formal() {
		delete(known, contact.FirstName)
	}
	return template.Values{
		Contact: known, Bot: s.Brief.Persona, Workspace: s.Settings.Title,
		Question: question, Channel: s.Channel.Title, Now: s.Now,
	}
}
