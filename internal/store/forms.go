package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/flow"
)

// A FormEntry is what was sent with a form.
type FormEntry struct {
	ID, Form  string
	Said      map[string]string // as it was typed
	Cleaned   map[string]any
	Doubtful  []string // fields that could not be cleaned
	ContactID string
	At        time.Time
}

// newContact makes a contact without a handle, with what is claimed of it.
func (t *Tx) newContact(facts []contact.Fact, now time.Time) (id string, err error) {
	id = NewID()
	if _, err := t.exec(`INSERT INTO contact (id, created_at) VALUES (?, ?)`, id, millis(now)); err != nil {
		return "", err
	}
	if err := t.contactChanged(id, "created", "", ""); err != nil {
		return "", err
	}
	for _, f := range facts {
		if err := t.learn(id, Fact{Fact: f, LearntAt: now}); err != nil {
			return "", err
		}
	}
	return id, nil
}

// PutFormEntry keeps what was sent with a form, makes a contact of who sent it, and notes
// that it may start flows.
func (t *Tx) PutFormEntry(form string, said map[string]string, cleaned map[string]any, doubtful []string, facts []contact.Fact, now time.Time) (id string, err error) {
	who, err := t.newContact(facts, now)
	if err != nil {
		return "", err
	}
	id = NewID()
	if doubtful == nil {
		doubtful = []string{}
	}
	if _, err := t.exec(`INSERT INTO form_entry (id, form, said, cleaned, doubtful, contact_id, at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		id, form, asJSON(said), asJSON(cleaned), asJSON(doubtful), who, millis(now)); err != nil {
		return "", err
	}
	values := map[string]any{"form": form, "entry": id}
	for field, value := range cleaned {
		values[field] = value
	}
	if err := t.occur(flow.Happening{Kind: "form", Contact: who, Values: values}); err != nil {
		return "", err
	}
	return id, t.event("form.submitted", form, map[string]any{"form": form, "entry": id, "contact": who}, now)
}

// FormEntries returns what was sent with a form, the newest first, at most limit.
func (s *Store) FormEntries(ctx context.Context, form string, limit int) (list []FormEntry, err error) {
	err = s.reader.rows(ctx, `SELECT id, form, said, cleaned, doubtful, coalesce(contact_id, ''), at FROM form_entry WHERE form = ? ORDER BY id DESC LIMIT ?`, []any{form, limit}, func(scan func(...any) error) error {
		var e FormEntry
		var said, cleaned, doubtful string
		var at int64
		if err := scan(&e.ID, &e.Form, &said, &cleaned, &doubtful, &e.ContactID, &at); err != nil {
			return err
		}
		e.At = fromMillis(at)
		list = append(list, e)
		kept := &list[len(list)-1]
		return errors.Join(json.Unmarshal([]byte(said), &kept.Said), json.Unmarshal([]byte(cleaned), &kept.Cleaned), json.Unmarshal([]byte(doubtful), &kept.Doubtful))
	})
	return list, err
}

// A Posted body was posted to a flow.
type Posted struct {
	ID, Flow, Body string
	Error          string // why it did not fit; "": it did
	At             time.Time
}

// keptPosted is how many posted bodies are kept of each flow.
const keptPosted = 200

// PutPosted keeps a body that was posted to a flow; again is that which is played again, ""
// for a new one. Where it fits, a contact is made of who it is about, if it says so, and the
// flow may start.
func (t *Tx) PutPosted(again, name, body, why string, facts map[string]string, h flow.Happening, now time.Time) error {
	if again != "" {
		if _, err := t.exec(`UPDATE posted SET error = ? WHERE id = ?`, why, again); err != nil {
			return err
		}
	} else {
		if _, err := t.exec(`INSERT INTO posted (id, flow, body, error, at) VALUES (?, ?, ?, ?, ?)`, NewID(), name, body, why, millis(now)); err != nil {
			return err
		}
		if _, err := t.exec(`DELETE FROM posted WHERE flow = ?1 AND id NOT IN (SELECT id FROM posted WHERE flow = ?1 ORDER BY id DESC LIMIT ?2)`, name, keptPosted); err != nil {
			return err
		}
	}
	if why != "" {
		return t.missed(Missed{Flow: name, Why: "a posted body does not fit: " + why}, now)
	}
	if len(facts) > 0 {
		var claims []contact.Fact
		for field, value := range facts {
			claims = append(claims, contact.Fact{Field: field, Value: value})
		}
		who, err := t.newContact(claims, now)
		if err != nil {
			return err
		}
		h.Contact = who
	}
	return t.Happen(h)
}

// PostedTo returns the bodies that were posted to a flow, the newest first.
func (s *Store) PostedTo(ctx context.Context, name string, limit int) (list []Posted, err error) {
	err = s.reader.rows(ctx, `SELECT id, flow, body, error, at FROM posted WHERE flow = ? ORDER BY id DESC LIMIT ?`, []any{name, limit}, func(scan func(...any) error) error {
		p, err := scanPosted(scan)
		list = append(list, p)
		return err
	})
	return list, err
}

// PostedBody returns one posted body, or ErrNotFound.
func (s *Store) PostedBody(ctx context.Context, id string) (p Posted, err error) {
	err = ErrNotFound
	failed := s.reader.rows(ctx, `SELECT id, flow, body, error, at FROM posted WHERE id = ?`, []any{id}, func(scan func(...any) error) error {
		p, err = scanPosted(scan)
		return err
	})
	if failed != nil {
		err = failed
	}
	return p, err
}

func scanPosted(scan func(...any) error) (p Posted, err error) {
	var at int64
	err = scan(&p.ID, &p.Flow, &p.Body, &p.Error, &at)
	p.At = fromMillis(at)
	return p, err
}
