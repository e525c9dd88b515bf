package flow

import (
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
)

// Say sends a message to the customer.
type Say struct {
	Text    string
	Choices []string
	After   time.Duration // a pause before it
	Bot     string        // whose words they are; "": the conversation's
}

// Keep records a fact about the contact. It is a claim.
type Keep struct {
	contact.Fact
	MessageID string
}

// Tag marks the contact, or the conversation, or takes the mark away.
type Tag struct {
	Tag    string
	Off    bool
	OnTalk bool // the conversation's
}

// Words tell people what was marked.
func (e Tag) Words() string {
	switch {
	case e.OnTalk && e.Off:
		return "Conversation no longer tagged: " + e.Tag
	case e.OnTalk:
		return "Conversation tagged: " + e.Tag
	case e.Off:
		return "Tag taken away: " + e.Tag
	}
	return "Tagged: " + e.Tag
}

// Stand sets the contact's stage.
type Stand struct{ Stage string }

// Note puts a note in line with the messages, for people.
type Note struct{ Text string }

// Row writes a row of a sheet. Rows with the same key are one row, which is updated.
type Row struct {
	Sheet string
	Key   string
	Cells map[string]string
}

// Sync writes the contact to a CRM.
type Sync struct{ Connection string }

// Call calls a tool; the run waits for what comes of it under the key.
type Call struct {
	Tool      string
	Arguments map[string]any
	Key       string
}

// Notify tells people.
type Notify struct {
	To, Subject, Body string
	Connection        string // to a mail server, or to a system that takes alerts
}

// Escalate hands the conversation to people.
type Escalate struct{ To, Because, Priority string }

// Assign gives the conversation to a bot.
type Assign struct{ Bot string }

// Close ends the conversation.
type Close struct{ Why string }

// Start starts another flow for the contact, or for another one.
type Start struct {
	Flow   string
	For    string // the id of the other contact; "": the run's own
	Values map[string]any
	Key    string
}

// Count marks a milestone for the reports.
type Count struct{ Milestone string }

// The names of the kinds.
func (Say) Kind() string      { return "flow_say" }
func (Keep) Kind() string     { return "flow_keep" }
func (Tag) Kind() string      { return "tag" }
func (Stand) Kind() string    { return "stage" }
func (Note) Kind() string     { return "note" }
func (Row) Kind() string      { return "flow_row" }
func (Sync) Kind() string     { return "flow_sync" }
func (Call) Kind() string     { return "flow_call" }
func (Notify) Kind() string   { return "flow_notify" }
func (Escalate) Kind() string { return "flow_escalate" }
func (Assign) Kind() string   { return "assign" }
func (Close) Kind() string    { return "close" }
func (Start) Kind() string    { return "start" }
func (Count) Kind() string    { return "count" }

func (e Say) String() string  { return fmt.Sprintf("says %d characters", len([]rune(e.Text))) }
func (e Keep) String() string { return "keeps " + e.Field }
func (e Tag) String() string {
	if e.Off {
		return "takes the tag " + e.Tag + " away"
	}
	return "tags " + e.Tag
}
func (e Stand) String() string  { return "stage " + e.Stage }
func (e Note) String() string   { return "note" }
func (e Row) String() string    { return "row in the sheet " + e.Sheet }
func (e Sync) String() string   { return "contact to " + e.Connection }
func (e Call) String() string   { return "calls " + e.Tool }
func (e Notify) String() string { return "tells " + e.To }
func (e Escalate) String() string {
	return strings.TrimSpace("to people: " + e.Because)
}
func (e Assign) String() string { return "to the bot " + e.Bot }
func (e Close) String() string  { return "closes: " + e.Why }
func (e Start) String() string  { return "starts " + e.Flow }
func (e Count) String() string  { return "counts " + e.Milestone }
