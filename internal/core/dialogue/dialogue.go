// Package dialogue decides what to do with what a customer wrote. A decision is
// a pure function of a snapshot: it returns the new state and the effects, and
// touches nothing.
package dialogue

import (
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/template"
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
	Asked        []Asked       `json:"asked,omitempty"` // the latest questions, at most keptQuestions
	Choice       *Choice       `json:"choice,omitempty"`
	LastQuestion string        `json:"last_question,omitempty"`
	Replies      int           `json:"replies,omitempty"` // how many replies the bot made
	Angry        bool          `json:"angry,omitempty"`
	Captured     string        `json:"captured,omitempty"` // the details last written out
}

// An OpenQuestion waits for an argument of a tool.
type OpenQuestion struct {
	Tool      string         `json:"tool"`
	Arguments map[string]any `json:"arguments"`
	Missing   string         `json:"missing"`
	Question  string         `json:"question"` // what the customer had asked
	Tries     int            `json:"tries"`
}

// A Choice waits for the customer to say which of several answers is meant.
type Choice struct {
	Question string   `json:"question"`
	Options  []Option `json:"options"`
}

// An Option is one of the answers that may be meant.
type Option struct {
	Label     string `json:"label"`
	PassageID string `json:"passage_id"`
}

// Asked is a question and what became of it.
type Asked struct {
	Question string `json:"question"`
	Answer   string `json:"answer,omitempty"` // empty: it is open
}

const keptQuestions = 12

// A Snapshot is all that a turn is decided on.
type Snapshot struct {
	Now       time.Time // in the workspace's zone
	State     State
	Known     map[string]string // what is known of the contact, by detail
	Messages  []Incoming        // not yet decided on, oldest first
	LastReply string            // what the bot said last
	Results   []Result          // of the tools called in this turn
	Brief     bot.Brief
	Tools     []Tool // that the brief may use
	Settings  workspace.Settings
	Channel   workspace.Channel
	Finder    answer.Finder        // of what the bot may answer from
	Elapsed   func() time.Duration // for the trace; may be nil
}

// Incoming is one message of the customer.
type Incoming struct {
	ID   string
	Text string
}

// A Call asks for a tool to be called.
type Call struct {
	Tool      string         `json:"tool"`
	Arguments map[string]any `json:"arguments"`
}

// A Result is what came of a call.
type Result struct {
	Call
	Value any    `json:"value,omitempty"` // decoded JSON
	Error string `json:"error,omitempty"` // why there is none
}

// A Decision is what a turn comes to. While Calls is not empty nothing else
// holds but the trace: the turn is decided again with their results.
type Decision struct {
	Calls   []Call
	State   State
	Effects []Effect
	Trace   Trace
}

// An Effect is something to be done in the world, or to be recorded.
type Effect interface{ effect() }

// Say sends a reply to the customer; it answers the messages named.
type Say struct {
	Text      string
	Answers   []string
	Citations []answer.Citation
}

// Remember records what the customer said of themselves. It is a claim: it never
// replaces what was verified.
type Remember struct {
	Detail, Value string
	MessageID     string
}

// Escalate hands the conversation to people.
type Escalate struct {
	Reason   string
	Priority string // normal, high
	Summary  Summary
}

// Missed notes a question that the knowledge does not answer.
type Missed struct{ Question string }

// Notify tells people that a conversation waits, by mail.
type Notify struct {
	Connection, To string
	Subject, Body  string
}

// WriteRow writes the contact's row into a sheet, adding or updating it.
type WriteRow struct {
	Sheet string
	Cells map[string]string
}

// Sync writes the contact to a CRM.
type Sync struct {
	Connection string
	Details    map[string]string
}

func (Say) effect()      {}
func (Remember) effect() {}
func (Escalate) effect() {}
func (Missed) effect()   {}
func (Notify) effect()   {}
func (WriteRow) effect() {}
func (Sync) effect()     {}

// A Summary tells a person what they need to go on.
type Summary struct {
	Asked    []string `json:"asked"`     // questions, answered ones with the answer's first words
	Open     []string `json:"open"`      // questions without an answer
	Mood     string   `json:"mood"`      // calm, angry
	Details  []string `json:"details"`   // "email ada@example.org"
	LastSaid string   `json:"last_said"` // the customer's last words
}

// Trace records how a turn was decided.
type Trace struct {
	Understood []Understood `json:"understood"`
	Learnt     []string     `json:"learnt,omitempty"`
	Decision   string       `json:"decision"` // in a few words
	Why        string       `json:"why"`
	Threshold  float64      `json:"threshold"`
	Tools      []ToolUse    `json:"tools,omitempty"`
	Effects    []string     `json:"effects"`
	Timings    []Timing     `json:"timings"`
}

// Understood is one part of what came in and what it led to.
type Understood struct {
	answer.Part
	Outcome  string    `json:"outcome"`
	Mended   string    `json:"mended,omitempty"` // with misspelt words mended, if any were
	Passages []Weighed `json:"passages,omitempty"`
}

// Weighed is a passage that was looked at for an answer.
type Weighed struct {
	PassageID  string   `json:"passage_id"`
	Source     string   `json:"source"`
	Trail      []string `json:"trail,omitempty"`
	Question   string   `json:"question,omitempty"`
	Text       string   `json:"text"`
	Score      float64  `json:"score"`
	Coverage   float64  `json:"coverage"`
	Meaning    float64  `json:"meaning"`
	Confidence float64  `json:"confidence"`
	Missing    []string `json:"missing,omitempty"`
	Quoted     bool     `json:"quoted,omitempty"`
}

// ToolUse is one use of a tool in a turn.
type ToolUse struct {
	Tool      string         `json:"tool"`
	Likeness  float64        `json:"likeness"` // of the question to those the tool answers, 0 to 1
	Arguments map[string]any `json:"arguments"`
	Outcome   string         `json:"outcome"`
}

// Timing is how long one part of a turn took.
type Timing struct {
	Part         string `json:"part"`
	Microseconds int64  `json:"microseconds"`
}

func (s Snapshot) values(question string) template.Values {
	return template.Values{
		Contact: s.Known, Bot: s.Brief.Name, Workspace: s.Settings.Title,
		Question: question, Channel: s.Channel.Title, Now: s.Now,
	}
}
