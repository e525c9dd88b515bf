package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
)

// A Conversation is an exchange with one handle, from the first message until it
// is closed.
type Conversation struct {
	ID, Channel, Address string
	ContactID            string
	Bot                  string
	Lead                 dialogue.Lead
	Assignee             string
	Priority             string
	Reason               string
	Summary              string // JSON of dialogue.Summary, "" if none
	State                string // JSON of dialogue.State
	Outcome              string // of a closed one: bot, person, unknown
	Calling              string // the turn that waits for its tools, "" if none
	Version              int
	Messages             int
	Incoming             int
	Preview              string
	OpenedAt, UpdatedAt  time.Time
	WaitingSince         time.Time // zero: nobody waits for a person
	Tags                 []string
	Subject              string // of one of a channel with threads
	ContactName          string // "" if it is not known
	Woken                int    // how many wakes no turn has covered yet
	Who                  Who    // of ConversationWithMemory
}

// Who is what a turn needs to know of the contact beside its memory.
type Who struct {
	Blocked  bool
	NoBots   bool // bots do not write to it
	OptedOut bool // the handle wants no messages that nobody asked for
	Stage    string
	Tags     []string
	Runs     int // of flows in the conversation, that have not ended
}

const conversationColumns = `c.id, c.channel, c.address, c.contact_id, c.bot, c.lead, c.assignee, c.priority, c.reason, c.summary, c.state,
	c.outcome, c.calling, c.version, c.messages, c.incoming, c.preview, c.opened_at, c.updated_at, c.waiting_since, c.tags, c.subject`

func scanConversation(scan func(...any) error, more ...any) (c Conversation, err error) {
	var opened, updated int64
	var waiting sql.NullInt64
	var tags string
	into := append([]any{&c.ID, &c.Channel, &c.Address, &c.ContactID, &c.Bot, &c.Lead, &c.Assignee, &c.Priority, &c.Reason, &c.Summary, &c.State,
		&c.Outcome, &c.Calling, &c.Version, &c.Messages, &c.Incoming, &c.Preview, &opened, &updated, &waiting, &tags, &c.Subject}, more...)
	err = scan(into...)
	c.OpenedAt, c.UpdatedAt = fromMillis(opened), fromMillis(updated)
	if waiting.Valid {
		c.WaitingSince = fromMillis(waiting.Int64)
	}
	if tags != "[]" && err == nil {
		err = json.Unmarshal([]byte(tags), &c.Tags)
	}
	return c, err
}

// Conversation returns one conversation, or ErrNotFound.
func (s *Store) Conversation(ctx context.Context, id string) (c Conversation, err error) {
	found := false
	err = s.reader.rows(ctx, `SELECT `+conversationColumns+` FROM conversation c WHERE c.id = ?`, []any{id}, func(scan func(...any) error) error {
		found = true
		c, err = scanConversation(scan)
		return err
	})
	if err == nil && !found {
		err = ErrNotFound
	}
	return c, err
}

// ConversationWithMemory returns one conversation and what is known of its
// contact; or ErrNotFound.
func (s *Store) ConversationWithMemory(ctx context.Context, id string) (c Conversation, memory contact.Memory, err error) {
	var facts, tags string
	err = ErrNotFound
	failed := s.reader.rows(ctx, `SELECT `+conversationColumns+`,
		(SELECT json_group_array(json_array(field, value, verified)) FROM (SELECT field, value, verified FROM fact f WHERE f.contact_id = c.contact_id ORDER BY verified, id)),
		(SELECT count(*) FROM wake w WHERE w.conversation_id = c.id), k.blocked, NOT k.bots, k.stage, (SELECT json_group_array(tag) FROM contact_tag t WHERE t.contact_id = c.contact_id),
		EXISTS (SELECT 1 FROM opt_out o WHERE o.channel = c.channel AND o.address = c.address),
		(SELECT count(*) FROM run r WHERE r.conversation_id = c.id AND r.status IN ('going', 'waiting'))
		FROM conversation c JOIN contact k ON k.id = c.contact_id WHERE c.id = ?`, []any{id}, func(scan func(...any) error) error {
		woken, who := 0, Who{}
		c, err = scanConversation(scan, &facts, &woken, &who.Blocked, &who.NoBots, &who.Stage, &tags, &who.OptedOut, &who.Runs)
		c.Woken, c.Who = woken, who
		if tags != "[]" && err == nil {
			err = json.Unmarshal([]byte(tags), &c.Who.Tags)
		}
		return err
	})
	if err = errors.Join(failed, err); err != nil {
		return c, nil, err
	}
	if facts == "[]" {
		return c, nil, nil
	}
	var rows [][3]any
	if err := json.Unmarshal([]byte(facts), &rows); err != nil {
		return c, nil, err
	}
	memory = contact.Memory{}
	for _, row := range rows { // the later holds: verified ones come last
		field, _ := row[0].(string)
		value, _ := row[1].(string)
		memory[field] = contact.Fact{Field: field, Value: value, Verified: row[2] == 1.0}
	}
	return c, memory, nil
}

// A Filter chooses conversations.
type Filter struct {
	Leads  []dialogue.Lead // none: any
	Search string          // in names, addresses and previews
	Before string          // a cursor: "updated_at id" of the last one seen
	Limit  int
	Urgent bool   // those who wait for a person, the most urgent first; no cursor
	Name   string // the field that holds a contact's name
}

// urgency orders those who wait: how long, with high priority counting four times.
const urgency = `(?1 - c.waiting_since) * CASE c.priority WHEN 'high' THEN 4 ELSE 1 END DESC`

// Conversations returns conversations, the latest changed first.
func (s *Store) Conversations(ctx context.Context, f Filter, now time.Time) (list []Conversation, err error) {
	leads := make([]string, len(f.Leads))
	for i, lead := range f.Leads {
		leads[i] = string(lead)
	}
	order := `c.updated_at DESC, c.id DESC`
	where := ``
	if f.Urgent {
		order, where = urgency, ` AND c.waiting_since IS NOT NULL`
	}
	updated, id := int64(1<<62), ""
	if at, rest, ok := strings.Cut(f.Before, " "); ok {
		if t, err := time.Parse(time.RFC3339Nano, at); err == nil {
			updated, id = millis(t), rest
		}
	}
	pattern := ""
	if f.Search != "" {
		pattern = "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(f.Search) + "%"
	}
	err = s.reader.rows(ctx, `SELECT `+conversationColumns+`, coalesce((SELECT f.value FROM fact f WHERE f.contact_id = c.contact_id AND f.field = ?7 ORDER BY f.verified DESC, f.id DESC LIMIT 1), '') AS name
		FROM conversation c
		WHERE (?2 = '' OR instr(?2, ' ' || c.lead || ' ') > 0)
		AND (c.updated_at, c.id) < (?3, ?4)
		AND (?5 = '' OR name LIKE ?5 ESCAPE '\' OR c.address LIKE ?5 ESCAPE '\' OR c.preview LIKE ?5 ESCAPE '\' OR c.subject LIKE ?5 ESCAPE '\' OR c.tags LIKE ?5 ESCAPE '\'
			OR EXISTS (SELECT 1 FROM fact f WHERE f.contact_id = c.contact_id AND f.value LIKE ?5 ESCAPE '\'))`+where+`
		AND ?1 > 0 ORDER BY `+order+` LIMIT ?6`,
		[]any{millis(now), spaced(leads), updated, id, pattern, f.Limit, f.Name}, func(scan func(...any) error) error {
			var name string
			c, err := scanConversation(scan, &name)
			c.ContactName = name
			list = append(list, c)
			return err
		})
	return list, err
}

// ConversationsOf returns the latest conversations of a contact.
func (s *Store) ConversationsOf(ctx context.Context, contact string, limit int) (list []Conversation, err error) {
	err = s.reader.rows(ctx, `SELECT `+conversationColumns+` FROM conversation c WHERE c.contact_id = ? ORDER BY c.updated_at DESC, c.id DESC LIMIT ?`, []any{contact, limit}, func(scan func(...any) error) error {
		c, err := scanConversation(scan)
		list = append(list, c)
		return err
	})
	return list, err
}

// LastSaid returns when something was last said on each channel.
func (s *Store) LastSaid(ctx context.Context) (map[string]time.Time, error) {
	last := map[string]time.Time{}
	err := s.reader.rows(ctx, `SELECT channel, max(updated_at) FROM conversation GROUP BY channel`, nil, func(scan func(...any) error) error {
		var channel string
		var at int64
		err := scan(&channel, &at)
		last[channel] = fromMillis(at)
		return err
	})
	return last, err
}

// spaced joins names so that each stands between spaces; none give "".
func spaced(names []string) string {
	if len(names) == 0 {
		return ""
	}
	return " " + strings.Join(names, " ") + " "
}

// Counts says how many conversations stand where.
type Counts struct {
	ByLead  map[dialogue.Lead]int
	Waiting int // for a person
	Today   int // opened since a time
	ByBot   int // turns the bots decided since then
	Failed  int // effects that were given up
	Pending int // effects that are still to be carried out
}

// Counts counts, the day's figures since a time.
func (s *Store) Counts(ctx context.Context, since time.Time) (Counts, error) {
	counts := Counts{ByLead: map[dialogue.Lead]int{}}
	err := s.reader.rows(ctx, `SELECT lead, count(*) FROM conversation GROUP BY lead`, nil, func(scan func(...any) error) error {
		var lead dialogue.Lead
		var n int
		err := scan(&lead, &n)
		counts.ByLead[lead] = n
		return err
	})
	if err != nil {
		return counts, err
	}
	err = s.reader.row(ctx, `SELECT (SELECT count(*) FROM conversation WHERE waiting_since IS NOT NULL),
		(SELECT count(*) FROM conversation WHERE id >= ?1), (SELECT count(*) FROM message WHERE id >= ?1 AND author = 'bot'),
		(SELECT count(*) FROM effect WHERE state = 'failed'), (SELECT count(*) FROM effect WHERE state = 'pending')`,
		[]any{firstID(since)}, &counts.Waiting, &counts.Today, &counts.ByBot, &counts.Failed, &counts.Pending)
	return counts, err
}

// Undecided returns the conversations with messages or wakes that no turn covers
// yet.
func (s *Store) Undecided(ctx context.Context) (ids []string, err error) {
	err = s.reader.rows(ctx, `SELECT conversation_id FROM message WHERE author = 'customer' AND turn_id IS NULL UNION SELECT conversation_id FROM wake`, nil, func(scan func(...any) error) error {
		var id string
		err := scan(&id)
		ids = append(ids, id)
		return err
	})
	return ids, err
}

// ErrLead is returned when a conversation is not led by whom it should be.
var ErrLead = errors.New("someone else leads the conversation")

// Tag marks a conversation with tags, and takes others away, in their order. What happened
// is put in line with the messages, unless nothing changes.
func (t *Tx) Tag(id string, marks []flow.Tag, happened func(flow.Tag) string, now time.Time) error {
	var kept string
	if err := t.row(`SELECT tags FROM conversation WHERE id = ?`, []any{id}, &kept); err != nil {
		return err
	}
	var tags []string
	if err := json.Unmarshal([]byte(kept), &tags); err != nil {
		return err
	}
	changed := false
	for _, mark := range marks {
		at := slices.Index(tags, mark.Tag)
		switch {
		case mark.Off && at >= 0:
			tags = slices.Delete(tags, at, at+1)
		case !mark.Off && at < 0:
			tags = append(tags, mark.Tag)
		default:
			continue
		}
		changed = true
		if happened != nil {
			if err := t.happened(id, happened(mark), now); err != nil {
				return err
			}
		}
	}
	if !changed {
		return nil
	}
	if _, err := t.exec(`UPDATE conversation SET tags = ? WHERE id = ?`, asJSON(tags), id); err != nil {
		return err
	}
	return t.event("conversation.tagged", id, map[string]any{"conversation": id}, now)
}

// Take makes a person the assignee. What the bot had not sent yet is cancelled.
// Taking what another person has is ErrLead, unless over. What happened is put in
// line with the messages.
func (t *Tx) Take(id, person string, over bool, happened string, now time.Time) error {
	var lead dialogue.Lead
	var assignee, calling string
	if err := t.row(`SELECT lead, assignee, calling FROM conversation WHERE id = ?`, []any{id}, &lead, &assignee, &calling); err != nil {
		return err
	}
	if lead == dialogue.LedByPerson && assignee == person {
		return nil
	}
	if lead == dialogue.Closed || lead == dialogue.LedByPerson && !over {
		return ErrLead
	}
	if _, err := t.exec(`UPDATE conversation SET lead = 'person', assignee = ?, calling = '', version = version + 1, updated_at = ? WHERE id = ?`, person, millis(now), id); err != nil {
		return err
	}
	if err := t.silence(id, calling); err != nil {
		return err
	}
	if err := t.happened(id, happened, now); err != nil {
		return err
	}
	return t.event("conversation.taken", id, map[string]any{"conversation": id, "assignee": person}, now)
}

// silence cancels what a bot has not done yet in a conversation.
func (t *Tx) silence(id, calling string) error {
	if _, err := t.exec(`UPDATE message SET state = 'withdrawn', shown = NULL WHERE conversation_id = ?1 AND (state = 'held'
		OR state = 'made' AND id IN (SELECT id FROM effect WHERE conversation_id = ?1 AND state = 'pending' AND of_bot = 1))`, id); err != nil {
		return err
	}
	if _, err := t.exec(`UPDATE effect SET state = 'cancelled' WHERE conversation_id = ? AND state = 'pending' AND of_bot = 1`, id); err != nil {
		return err
	}
	if calling == "" {
		return nil
	}
	_, err := t.exec(`UPDATE turn SET state = 'dropped' WHERE id = ?`, calling)
	return err
}

// Return hands a conversation back to its bot, which is woken and answers what
// comes from now on. Only what a person leads, or waits for one, can be returned. Runs of
// flows that the person paused go on, or end.
func (t *Tx) Return(id, happened string, endRuns bool, now time.Time) error {
	n, err := t.exec(`UPDATE conversation SET lead = 'bot', assignee = '', waiting_since = NULL, reason = '', priority = 'normal', version = version + 1, updated_at = ? WHERE id = ? AND lead IN ('person', 'waiting')`, millis(now), id)
	if err != nil {
		return err
	}
	if n == 0 {
		return t.whyNot(id)
	}
	if err := t.Wake(id, string(dialogue.ByHandBack), asJSON(dialogue.HandBack{EndRuns: endRuns})); err != nil {
		return err
	}
	if err := t.happened(id, happened, now); err != nil {
		return err
	}
	return t.event("conversation.returned", id, map[string]any{"conversation": id}, now)
}

// Close ends a conversation. The next message of the customer opens a new one.
func (t *Tx) Close(id, happened string, now time.Time) error {
	var calling, contact, channel string
	if err := t.row(`SELECT calling, contact_id, channel FROM conversation WHERE id = ?`, []any{id}, &calling, &contact, &channel); err != nil {
		return err
	}
	n, err := t.exec(`UPDATE conversation SET outcome = CASE lead WHEN 'bot' THEN 'bot' WHEN 'person' THEN 'person' ELSE 'unknown' END,
		lead = 'closed', calling = '', waiting_since = NULL, version = version + 1, updated_at = ? WHERE id = ? AND lead <> 'closed'`, millis(now), id)
	if err != nil || n == 0 {
		return errors.Join(err, t.whyNot(id))
	}
	if err := t.silence(id, calling); err != nil {
		return err
	}
	if err := t.happened(id, happened, now); err != nil {
		return err
	}
	var concerned bool
	if err := t.row(`SELECT EXISTS (SELECT 1 FROM run WHERE conversation_id = ? AND status = 'waiting' AND waits_for IN ('reply', 'person'))`, []any{id}, &concerned); err != nil {
		return err
	}
	if concerned { // a turn tells them
		if err := t.Wake(id, string(dialogue.ByEvent), ""); err != nil {
			return err
		}
	}
	return t.ended(id, contact, channel, "", now)
}

// ended does what goes with the end of a conversation. With an outcome, it is set.
func (t *Tx) ended(id, contact, channel, outcome string, now time.Time) error {
	if outcome != "" {
		if _, err := t.exec(`UPDATE conversation SET outcome = ?, calling = '', waiting_since = NULL WHERE id = ?`, outcome, id); err != nil {
			return err
		}
	}
	if err := t.answeredGaps(id); err != nil {
		return err
	}
	if err := t.occur(flow.Happening{Kind: "conversation", Contact: contact, Talk: id, Values: map[string]any{"what": "closed", "reason": "", "channel": channel}}); err != nil {
		return err
	}
	return t.event("conversation.closed", id, map[string]any{"conversation": id}, now)
}

// whyNot says why nothing was changed: not there, or not led by whom it should be.
func (t *Tx) whyNot(id string) error {
	var there int
	if err := t.row(`SELECT 1 FROM conversation WHERE id = ?`, []any{id}, &there); err != nil {
		return err
	}
	return ErrLead
}

// AnswerWaiting adds a person's answer to a conversation that waits for one, or
// that a bot leads, and leaves it to the bot. It reports false, and changes
// nothing, where a person leads or the conversation is closed.
func (t *Tx) AnswerWaiting(id, person, words string, send *Effect, now time.Time) (bool, error) {
	m := personMessage(id, person, words, send, now)
	var channel string
	err := t.row(`UPDATE conversation SET lead = 'bot', messages = messages + 1, preview = ?, updated_at = ?, waiting_since = NULL, reason = '', priority = 'normal', version = version + 1
		WHERE id = ? AND lead IN ('waiting', 'bot') RETURNING messages, channel`, []any{preview(words), millis(now), id}, &m.Position, &channel)
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	if err := t.putSaid(m, channel, send, now); err != nil {
		return false, err
	}
	return true, t.event("message.replied", id, map[string]any{"conversation": id, "message": m.ID}, now)
}

// SayWhileWaiting adds a bot's word to a customer who waits for a person; nothing where nobody
// waits any more.
func (t *Tx) SayWhileWaiting(id, name, words string, send *Effect, now time.Time) error {
	m := personMessage(id, name, words, send, now)
	m.Author = ByBot
	var channel string
	err := t.row(`UPDATE conversation SET messages = messages + 1, version = version + 1, updated_at = ? WHERE id = ? AND lead = 'waiting' RETURNING messages, channel`, []any{millis(now), id}, &m.Position, &channel)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if err := t.putSaid(m, channel, send, now); err != nil {
		return err
	}
	return t.event("message.said", id, map[string]any{"conversation": id, "message": m.ID}, now)
}

// TalksBetween returns the conversations that were opened from one time to another, oldest
// first, at most limit.
func (s *Store) TalksBetween(ctx context.Context, from, to time.Time, limit int) (list []Conversation, err error) {
	err = s.reader.rows(ctx, `SELECT `+conversationColumns+` FROM conversation c WHERE c.updated_at >= ?1 AND c.opened_at >= ?1 AND c.opened_at < ?2 ORDER BY c.opened_at, c.id LIMIT ?3`, []any{millis(from), millis(to), limit}, func(scan func(...any) error) error {
		c, err := scanConversation(scan)
		list = append(list, c)
		return err
	})
	return list, err
}
