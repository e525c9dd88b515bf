package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
)

// bringRuns brings the runs of closed conversations with a handle into the one that was
// opened after them, with what they were told: they hear what is said there. Those that want
// to speak are brought by GiveTalk.
func (t *Tx) bringRuns(channel, address, into string) error {
	const closed = `(SELECT id FROM conversation WHERE channel = ?1 AND address = ?2 AND lead = 'closed')`
	n, err := t.exec(`UPDATE run SET conversation_id = ?3, revision = revision + 1 WHERE status IN ('going', 'waiting') AND waits_for <> 'talk' AND conversation_id IN `+closed, channel, address, into)
	if err != nil || n == 0 {
		return err
	}
	_, err = t.exec(`UPDATE wake SET conversation_id = ?3 WHERE kind = ?4 AND conversation_id IN `+closed, channel, address, into, string(dialogue.ByRun))
	return err
}

// bringListeners brings the runs that have no conversation yet, and talk or wait for a reply
// of the contact, into the one in which the contact writes, with what happened to them: they
// hear what is said there. Those that want to speak are brought by GiveTalk.
func (t *Tx) bringListeners(conversation string) error {
	n, err := t.exec(`UPDATE run SET conversation_id = ?1, revision = revision + 1 WHERE contact_id = (SELECT contact_id FROM conversation WHERE id = ?1)
		AND conversation_id IS NULL AND status IN ('going', 'waiting') AND (talks = 1 AND waits_for <> 'talk' OR waits_for = 'reply')`, conversation)
	if err != nil || n == 0 {
		return err
	}
	for {
		var run, event string
		err := t.row(`DELETE FROM run_event WHERE id = (SELECT min(e.id) FROM run_event e JOIN run r ON r.id = e.run_id WHERE r.conversation_id = ?) RETURNING run_id, event`, []any{conversation}, &run, &event)
		if errors.Is(err, ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		wake := dialogue.RunWake{Run: run}
		if err := json.Unmarshal([]byte(event), &wake.Event); err != nil {
			return err
		}
		if err := t.Wake(conversation, string(dialogue.ByRun), asJSON(wake)); err != nil {
			return err
		}
	}
}

// GiveTalk puts a run into the open conversation with a handle, opening one if there is
// none, and lets it go on there.
func (t *Tx) GiveTalk(r Run, channel, address, bot string, now time.Time) (conversation string, err error) {
	if conversation, err = t.openConversation(Incoming{Channel: channel, Address: address, Bot: bot}, now); err != nil {
		return "", err
	}
	n, err := t.exec(`UPDATE run SET conversation_id = ?, revision = revision + 1 WHERE id = ? AND revision = ? AND status = 'waiting'`, conversation, r.ID, r.Revision)
	if err != nil || n == 0 {
		return "", err
	}
	if _, err := t.exec(`DELETE FROM run_event WHERE run_id = ?`, r.ID); err != nil {
		return "", err
	}
	return conversation, t.Wake(conversation, string(dialogue.ByRun), asJSON(dialogue.RunWake{Run: r.ID, Event: flow.Event{Kind: flow.Resumed}}))
}

// Homeless returns the runs that wait for a conversation in which they could speak.
func (s *Store) Homeless(ctx context.Context) (list []Run, err error) {
	err = s.reader.rows(ctx, `SELECT `+runColumns+` FROM run r WHERE status = 'waiting' AND waits_for = 'talk' ORDER BY id LIMIT 1000`, nil, func(scan func(...any) error) error {
		r, err := scanRun(scan)
		list = append(list, r)
		return err
	})
	return list, err
}
