package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"urgentparrot.example/internal/core/dialogue"
)

// A ToolCall is one call of a tool: what was sent, and what came of it.
type ToolCall struct {
	ID             string // of the effect, where one called it
	Tool           string
	ConversationID string // "" for none
	Caller         string // bot, flow, trial
	State          string // begun, done, failed
	Arguments      map[string]any
	Request        string
	Status         int
	Response       string
	Error          string
	Tries          int
	Took           time.Duration
	At             time.Time
}

// keptCalls is how many calls of a tool are kept.
const keptCalls = 500

// PutToolCall keeps a call, in place of what was noted of it before.
func (t *Tx) PutToolCall(c ToolCall) error {
	if _, err := t.exec(`INSERT INTO tool_call (id, tool, conversation_id, caller, state, arguments, request, status, response, error, tries, took, at)
		VALUES (?, ?, nullif(?, ''), ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET state = excluded.state, request = excluded.request, status = excluded.status, response = excluded.response, error = excluded.error, tries = excluded.tries, took = excluded.took`,
		c.ID, c.Tool, c.ConversationID, c.Caller, c.State, asJSON(c.Arguments), c.Request, c.Status, c.Response, c.Error, c.Tries, c.Took.Milliseconds(), millis(c.At)); err != nil {
		return err
	}
	_, err := t.exec(`DELETE FROM tool_call WHERE tool = ?1 AND state <> 'begun' AND id < (SELECT id FROM tool_call WHERE tool = ?1 ORDER BY id DESC LIMIT 1 OFFSET ?2)`, c.Tool, keptCalls)
	return err
}

const toolCallColumns = `SELECT id, tool, coalesce(conversation_id, ''), caller, state, arguments, request, status, response, error, tries, took, at FROM tool_call`

func scanToolCall(scan func(...any) error) (c ToolCall, err error) {
	var arguments string
	var took, at int64
	if err := scan(&c.ID, &c.Tool, &c.ConversationID, &c.Caller, &c.State, &arguments, &c.Request, &c.Status, &c.Response, &c.Error, &c.Tries, &took, &at); err != nil {
		return c, err
	}
	c.Took, c.At = time.Duration(took)*time.Millisecond, fromMillis(at)
	return c, json.Unmarshal([]byte(arguments), &c.Arguments)
}

// ToolCalls returns the latest calls of a tool, "" for all tools, at most so many.
func (s *Store) ToolCalls(ctx context.Context, tool string, limit int) (list []ToolCall, err error) {
	err = s.reader.rows(ctx, toolCallColumns+` WHERE ?1 = '' OR tool = ?1 ORDER BY id DESC LIMIT ?2`, []any{tool, limit}, func(scan func(...any) error) error {
		c, err := scanToolCall(scan)
		list = append(list, c)
		return err
	})
	return list, err
}

// ToolCall returns one call, or ErrNotFound.
func (s *Store) ToolCall(ctx context.Context, id string) (c ToolCall, err error) {
	err = ErrNotFound
	failed := s.reader.rows(ctx, toolCallColumns+` WHERE id = ?`, []any{id}, func(scan func(...any) error) error {
		c, err = scanToolCall(scan)
		return err
	})
	return c, errors.Join(failed, err)
}

// A ToolStat says how a tool has done, of the calls that are kept.
type ToolStat struct {
	Calls, Failed int
	LastAt        time.Time
	LastError     string // of the latest call, "" if it did not fail
}

// ToolStats returns how the tools have done for bots and flows, by name.
func (s *Store) ToolStats(ctx context.Context) (map[string]ToolStat, error) {
	stats := map[string]ToolStat{}
	// With one max, the other columns are those of its row.
	err := s.reader.rows(ctx, `SELECT tool, count(*), sum(state = 'failed'), max(id), at, error FROM tool_call WHERE caller <> 'trial' GROUP BY tool`, nil, func(scan func(...any) error) error {
		var name, id string
		var at int64
		var stat ToolStat
		if err := scan(&name, &stat.Calls, &stat.Failed, &id, &at, &stat.LastError); err != nil {
			return err
		}
		stat.LastAt = fromMillis(at)
		stats[name] = stat
		return nil
	})
	return stats, err
}

// An Allowance is a call that a person has to allow, and what they said.
type Allowance struct {
	ID, ConversationID string
	dialogue.Allow
	State   string // open, allowed, refused
	By, Why string
	AskedAt time.Time
}

func (t *Tx) putAllowance(conversation string, a dialogue.Allow, now time.Time) error {
	id := NewID()
	if _, err := t.exec(`INSERT INTO allowance (id, conversation_id, tool, body, state, asked_at) VALUES (?, ?, ?, ?, 'open', ?)`, id, conversation, a.Tool, asJSON(a), millis(now)); err != nil {
		return err
	}
	return t.event("allowance.asked", conversation, map[string]any{"conversation": conversation, "allowance": id}, now)
}

const allowanceColumns = `SELECT id, conversation_id, body, state, decided_by, why, asked_at FROM allowance`

func scanAllowance(scan func(...any) error) (a Allowance, err error) {
	var body string
	var at int64
	if err := scan(&a.ID, &a.ConversationID, &body, &a.State, &a.By, &a.Why, &at); err != nil {
		return a, err
	}
	a.AskedAt = fromMillis(at)
	return a, json.Unmarshal([]byte(body), &a.Allow)
}

// OpenAllowances returns the calls that wait for a person, the oldest first: of a
// conversation, or all for "".
func (s *Store) OpenAllowances(ctx context.Context, conversation string) (list []Allowance, err error) {
	err = s.reader.rows(ctx, allowanceColumns+` WHERE state = 'open' AND (?1 = '' OR conversation_id = ?1) ORDER BY id LIMIT 200`, []any{conversation}, func(scan func(...any) error) error {
		a, err := scanAllowance(scan)
		list = append(list, a)
		return err
	})
	return list, err
}

// ErrDecided is returned for a call that a person has decided on already.
var ErrDecided = errors.New("somebody has decided on it already")

// DecideAllowance notes what a person says to a call that waits, and wakes its conversation.
// One that is not there is ErrNotFound, one that was decided on ErrDecided; where a person
// leads the conversation or it is closed, it is ErrLead.
func (t *Tx) DecideAllowance(id string, yes bool, by, why, happened string, now time.Time) (a Allowance, err error) {
	var body, lead string
	if err := t.row(`SELECT conversation_id, body, a.state, lead FROM allowance a JOIN conversation c ON c.id = conversation_id WHERE a.id = ?`, []any{id}, &a.ConversationID, &body, &a.State, &lead); err != nil {
		return a, err
	}
	if err := json.Unmarshal([]byte(body), &a.Allow); err != nil {
		return a, err
	}
	switch {
	case a.State != "open":
		return a, ErrDecided
	case lead == string(dialogue.LedByPerson) || lead == string(dialogue.Closed):
		return a, ErrLead
	}
	state := "refused"
	if yes {
		state = "allowed"
	}
	if _, err := t.exec(`UPDATE allowance SET state = ?, decided_by = ?, why = ?, decided_at = ? WHERE id = ?`, state, by, why, millis(now), id); err != nil {
		return a, err
	}
	if err := t.happened(a.ConversationID, happened, now); err != nil {
		return a, err
	}
	if err := t.event("allowance.decided", a.ConversationID, map[string]any{"conversation": a.ConversationID, "allowance": id}, now); err != nil {
		return a, err
	}
	return a, t.Wake(a.ConversationID, string(dialogue.ByAllowance), asJSON(dialogue.Allowed{Allow: a.Allow, Yes: yes, Why: why, By: by}))
}
