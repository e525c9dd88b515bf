package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
)

// A Turn is one decision and how it was made.
type Turn struct {
	ID             string
	ConversationID string
	State          string // calling, done, dropped
	Code           dialogue.Code
	Results        []ToolResult
	Thoughts       []Thought // of a turn that waits for a model
	Trace          string    // JSON of dialogue.Trace
	At             time.Time
}

// A ToolResult is a call that a turn waits for, or what came of it.
type ToolResult struct {
	dialogue.Result
	Done bool `json:"done"`
}

// Turn returns one turn, or ErrNotFound.
func (s *Store) Turn(ctx context.Context, id string) (turn Turn, err error) {
	var results, thoughts string
	var at int64
	turn.ID = id
	err = s.reader.row(ctx, `SELECT conversation_id, state, code, results, thoughts, trace, at FROM turn WHERE id = ?`, []any{id}, &turn.ConversationID, &turn.State, &turn.Code, &results, &thoughts, &turn.Trace, &at)
	if err != nil {
		return turn, err
	}
	turn.At = fromMillis(at)
	return turn, errors.Join(json.Unmarshal([]byte(results), &turn.Results), json.Unmarshal([]byte(thoughts), &turn.Thoughts))
}

// A Commit is what a turn came to, to be kept as one.
type Commit struct {
	Turn      Turn
	Version   int  // of the conversation when the turn was decided
	Incoming  int  // and how many messages of the customer and wakes it then had had
	UpTo      int  // it covers the customer's messages up to this position
	Woken     bool // it covers wakes
	Recovered bool // turns of the conversation had failed before
	Lead      dialogue.Lead
	State     string
	Escalate  *dialogue.Escalate
	Said      []Said // in order
	Gaps      []GapQuestion
	Examples  []dialogue.Example
	Allow     []dialogue.Allow // calls that people are asked to allow
	Begun     []string         // what is put in line before the messages
	Happened  []string         // and after them
	Close     bool
	Promise   *Timer // the clock of the escalation; nil: it has none
	Bot       string // that it is given to; "": as it is
	Changes
}

// Changes are what is recorded beside a conversation, by turns and by runs of flows.
type Changes struct {
	Channel, Contact string
	Conversation     string
	Facts            []Fact
	Rows             []dialogue.WriteRow
	Effects          []Effect
	Tags             []flow.Tag // of the contact
	TalkTags         []flow.Tag // of the conversation
	Stage            *string
	OptOut           *dialogue.OptOut
	Address          string
	Milestones       []Milestone
	Happenings       []flow.Happening
	Runs             []Run
	Missed           []Missed
	Idle             []time.Duration // after which, without a message, flows may start
}

// Said is a message that a turn makes. Its id, its time and what it belongs to are
// filled in when it is kept.
type Said struct {
	Message
	Send *Effect // carries it, and gets its id; nil where it is held, or the channel fetches it

	TooLong time.Duration // after which people are told that it is still held; 0: never
}

// onlySays reports whether a turn does nothing but say something, so that it can be undone.
func (c *Commit) onlySays() bool {
	return c.Turn.State == "done" && c.Escalate == nil && c.Bot == "" && !c.Close && c.Stage == nil && c.OptOut == nil &&
		len(c.Turn.Results)+len(c.Effects)+len(c.Rows)+len(c.Allow)+len(c.Runs)+len(c.Gaps)+len(c.Tags)+len(c.TalkTags)+len(c.Milestones)+len(c.Happenings)+len(c.Missed)+len(c.Happened)+len(c.Begun) == 0
}

// CommitTurn keeps a turn, if the conversation is still as it was when the turn
// was decided: no new message, nobody took it. Otherwise it changes nothing and
// reports false.
func (t *Tx) CommitTurn(c Commit, now time.Time) (bool, error) {
	id, turn := c.Turn.ConversationID, c.Turn
	calling := ""
	if turn.State == "calling" {
		calling = turn.ID
	}
	shown, last, held := "", 0, false
	for _, said := range c.Said {
		if said.State == MessageHeld {
			held = true
		} else {
			shown = preview(said.Text)
		}
	}
	before := ""
	if held && c.onlySays() {
		if err := t.row(`SELECT state FROM conversation WHERE id = ?`, []any{id}, &before); err != nil {
			return false, err
		}
	}
	err := t.row(`UPDATE conversation SET lead = ?1, state = ?2, calling = ?3, version = version + 1, messages = messages + ?4,
		preview = CASE WHEN ?5 = '' THEN preview ELSE ?5 END, updated_at = ?6, bot = CASE WHEN ?10 = '' THEN bot ELSE ?10 END
		WHERE id = ?7 AND version = ?8 AND incoming = ?9 RETURNING messages`,
		[]any{c.Lead, c.State, calling, len(c.Begun) + len(c.Said), shown, millis(now), id, c.Version, c.Incoming, c.Bot}, &last)
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	results, thoughts := "[]", "[]"
	if len(turn.Results) > 0 {
		results = asJSON(turn.Results)
	}
	if len(turn.Thoughts) > 0 && turn.State == "calling" { // then they stand in the trace
		thoughts = asJSON(turn.Thoughts)
	}
	if _, err := t.exec(`INSERT INTO turn (id, conversation_id, state, code, results, thoughts, trace, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET state = excluded.state, code = excluded.code, results = excluded.results, thoughts = excluded.thoughts, trace = excluded.trace`,
		turn.ID, id, turn.State, turn.Code, results, thoughts, turn.Trace, millis(now)); err != nil {
		return false, err
	}
	if before != "" {
		if _, err := t.exec(`UPDATE turn SET before = ? WHERE id = ?`, before, turn.ID); err != nil {
			return false, err
		}
	}
	if turn.State != "calling" {
		if _, err := t.exec(`UPDATE message SET turn_id = ? WHERE conversation_id = ? AND author = 'customer' AND turn_id IS NULL AND position <= ?`, turn.ID, id, c.UpTo); err != nil {
			return false, err
		}
		if c.Recovered {
			if _, err := t.exec(`DELETE FROM turn_failure WHERE conversation_id = ?`, id); err != nil {
				return false, err
			}
		}
		if c.Woken {
			if _, err := t.exec(`DELETE FROM wake WHERE conversation_id = ?`, id); err != nil {
				return false, err
			}
		}
	}
	for i, what := range c.Begun {
		m := Message{ID: NewID(), ConversationID: id, Position: last - len(c.Said) - len(c.Begun) + 1 + i, Author: ByEvent, Text: what, At: now}
		if _, err := t.insert(m, c.Channel); err != nil {
			return false, err
		}
	}
	for i := range c.Said {
		// Ids are given here, in the order of commits, so that whoever reads on from
		// the last id they saw misses nothing.
		said := &c.Said[i]
		said.ID, said.Position = NewID(), last-len(c.Said)+1+i
		said.ConversationID, said.TurnID, said.At = id, turn.ID, now
		if said.Shown = said.ID; said.State == MessageHeld {
			said.Shown = ""
		}
		if err := t.putSaid(said.Message, c.Channel, said.Send, now); err != nil {
			return false, err
		}
		if said.State == MessageHeld && said.TooLong > 0 {
			if err := t.PutTimer(Timer{ID: "held/" + said.ID, Kind: "held", Subject: id, Body: said.ID, DueAt: now.Add(said.TooLong)}); err != nil {
				return false, err
			}
		}
	}
	if held && c.Escalate == nil {
		if _, err := t.exec(`UPDATE conversation SET waiting_since = coalesce(waiting_since, ?), reason = CASE reason WHEN '' THEN ? ELSE reason END WHERE id = ?`,
			millis(now), bot.Held, id); err != nil {
			return false, err
		}
	}
	if c.Promise != nil {
		if err := t.PutTimer(*c.Promise); err != nil {
			return false, err
		}
	}
	if c.Escalate != nil {
		if _, err := t.exec(`UPDATE conversation SET reason = ?, summary = ?, priority = ?, waiting_since = coalesce(waiting_since, ?) WHERE id = ?`,
			c.Escalate.Reason, asJSON(c.Escalate.Summary), c.Escalate.Priority, millis(now), id); err != nil {
			return false, err
		}
		if c.Escalate.Reason == bot.OnAnger {
			c.Milestones = append(c.Milestones, Milestone{Name: Complaint, Contact: c.Contact, Conversation: id})
		}
		if err := t.occur(flow.Happening{Kind: "conversation", Contact: c.Contact, Talk: id, Values: map[string]any{"what": "escalated", "reason": c.Escalate.Reason, "channel": c.Channel}}); err != nil {
			return false, err
		}
	}
	for _, q := range c.Gaps {
		if err := t.noteGap(q, id, turn.ID, now); err != nil {
			return false, err
		}
	}
	for _, e := range c.Examples {
		if err := t.noteExample(e, id, turn.ID, now); err != nil {
			return false, err
		}
	}
	for _, a := range c.Allow {
		if err := t.putAllowance(id, a, now); err != nil {
			return false, err
		}
	}
	for _, what := range c.Happened {
		if err := t.happened(id, what, now); err != nil {
			return false, err
		}
	}
	if err := t.change(&c.Changes, now); err != nil {
		return false, err
	}
	if c.Close {
		if err := t.ended(id, c.Contact, c.Channel, "bot", now); err != nil {
			return false, err
		}
	}
	kind := "turn.decided"
	if c.Escalate != nil {
		kind = "conversation.escalated"
	}
	return true, t.event(kind, id, map[string]any{"conversation": id, "turn": turn.ID}, now)
}

// A FailedTurn is a conversation that could not be decided on.
type FailedTurn struct {
	ConversationID string
	Times          int // in a row
	Error          string
}

// FailTurn counts a turn of a conversation that failed, and returns how many did in a
// row.
func (t *Tx) FailTurn(conversationID, why string, now time.Time) (times int, err error) {
	err = t.row(`INSERT INTO turn_failure (conversation_id, times, error, at) VALUES (?, 1, ?, ?)
		ON CONFLICT (conversation_id) DO UPDATE SET times = times + 1, error = excluded.error, at = excluded.at RETURNING times`,
		[]any{conversationID, why, millis(now)}, &times)
	return times, err
}

// FailedTurns returns the conversations that could not be decided on, and that no
// person has taken since.
func (s *Store) FailedTurns(ctx context.Context) (list []FailedTurn, err error) {
	err = s.reader.rows(ctx, `SELECT f.conversation_id, f.times, f.error FROM turn_failure f JOIN conversation c ON c.id = f.conversation_id
		WHERE c.lead IN ('bot', 'waiting') ORDER BY f.at DESC LIMIT 100`, nil, func(scan func(...any) error) error {
		var f FailedTurn
		err := scan(&f.ConversationID, &f.Times, &f.Error)
		list = append(list, f)
		return err
	})
	return list, err
}

// FinishCall keeps what came of a tool's call, so that its turn is decided again.
func (t *Tx) FinishCall(turnID string, result dialogue.Result) error {
	var stored, conversation string
	if err := t.row(`SELECT results, conversation_id FROM turn WHERE id = ? AND state = 'calling'`, []any{turnID}, &stored, &conversation); err != nil {
		if errors.Is(err, ErrNotFound) {
			return nil // the turn was dropped: a person has taken the conversation
		}
		return err
	}
	var results []ToolResult
	if err := json.Unmarshal([]byte(stored), &results); err != nil {
		return err
	}
	for i := range results {
		if !results[i].Done && asJSON(results[i].Call) == asJSON(result.Call) {
			results[i] = ToolResult{result, true}
			break
		}
	}
	_, err := t.exec(`UPDATE turn SET results = ? WHERE id = ?`, asJSON(results), turnID)
	return err
}

// A Decision is how often turns came to something.
type Decision struct {
	Code  dialogue.Code
	Times int
}

// Decisions counts what the turns since a time came to, the most frequent first.
func (s *Store) Decisions(ctx context.Context, since time.Time) (list []Decision, err error) {
	err = s.reader.rows(ctx, `SELECT code, count(*) FROM turn WHERE id >= ? AND state = 'done' GROUP BY code ORDER BY 2 DESC, 1`,
		[]any{firstID(since)}, func(scan func(...any) error) error {
			var d Decision
			err := scan(&d.Code, &d.Times)
			list = append(list, d)
			return err
		})
	return list, err
}
