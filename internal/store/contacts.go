package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"urgentparrot.example/internal/core/contact"
)

// A Fact is the value of a field of a contact, and where it was learnt.
type Fact struct {
	contact.Fact
	VerifiedBy string // the channel or person that vouches for it; "" if it is claimed
	MessageID  string // where it was said; "" if it was not
	LearntAt   time.Time
}

// Facts returns what holds of a contact: of each field the newest verified value,
// or else the newest.
func (s *Store) Facts(ctx context.Context, contactID string) (facts []Fact, err error) {
	err = s.reader.rows(ctx, `SELECT field, value, verified, verified_by, message_id, learnt_at FROM fact WHERE contact_id = ? ORDER BY field, verified DESC, id DESC`,
		[]any{contactID}, func(scan func(...any) error) error {
			var f Fact
			var at int64
			if err := scan(&f.Field, &f.Value, &f.Verified, &f.VerifiedBy, &f.MessageID, &at); err != nil {
				return err
			}
			f.LearntAt = fromMillis(at)
			if len(facts) == 0 || facts[len(facts)-1].Field != f.Field {
				facts = append(facts, f)
			}
			return nil
		})
	return facts, err
}

// A Contact is a person who wrote, by the handle they wrote from.
type Contact struct {
	ID, Channel, Address string
	Stage                string // "" for none
	Tags                 []string
	CreatedAt            time.Time
	Facts                []Fact
}

const contactColumns = `c.id, c.stage, c.created_at, coalesce(h.channel, ''), coalesce(h.address, ''), (SELECT json_group_array(tag) FROM contact_tag t WHERE t.contact_id = c.id)
	FROM contact c LEFT JOIN handle h ON h.contact_id = c.id`

func scanContact(scan func(...any) error) (c Contact, err error) {
	var at int64
	var tags string
	if err := scan(&c.ID, &c.Stage, &at, &c.Channel, &c.Address, &tags); err != nil {
		return c, err
	}
	c.CreatedAt = fromMillis(at)
	return c, json.Unmarshal([]byte(tags), &c.Tags)
}

// Contacts returns the newest contacts, at most limit, each with its facts.
func (s *Store) Contacts(ctx context.Context, limit int) (list []Contact, err error) {
	err = s.reader.rows(ctx, `SELECT `+contactColumns+` ORDER BY c.id DESC LIMIT ?`, []any{limit}, func(scan func(...any) error) error {
		c, err := scanContact(scan)
		list = append(list, c)
		return err
	})
	for i := range list {
		if err == nil {
			list[i].Facts, err = s.Facts(ctx, list[i].ID)
		}
	}
	return list, err
}

// Contact returns one contact with its facts, or ErrNotFound.
func (s *Store) Contact(ctx context.Context, id string) (c Contact, err error) {
	err = ErrNotFound
	failed := s.reader.rows(ctx, `SELECT `+contactColumns+` WHERE c.id = ? LIMIT 1`, []any{id}, func(scan func(...any) error) error {
		c, err = scanContact(scan)
		return err
	})
	if err = errors.Join(failed, err); err != nil {
		return c, err
	}
	c.Facts, err = s.Facts(ctx, id)
	return c, err
}

// A ContactChange is what a person changes about a contact.
type ContactChange struct {
	Facts   []Fact   // that the person vouches for
	Forget  []string // fields whose facts are removed
	Stage   *string  // nil: as it is
	Tags    []string // with SetTags: all that it has from now on
	SetTags bool
}

// ChangeContact changes a contact; one that is not there is ErrNotFound.
func (t *Tx) ChangeContact(id string, change ContactChange, now time.Time) error {
	var there int
	if err := t.row(`SELECT 1 FROM contact WHERE id = ?`, []any{id}, &there); err != nil {
		return err
	}
	for _, field := range change.Forget {
		if _, err := t.exec(`DELETE FROM fact WHERE contact_id = ? AND field = ?`, id, field); err != nil {
			return err
		}
	}
	for _, f := range change.Facts {
		if err := t.learn(id, f); err != nil {
			return err
		}
	}
	if change.Stage != nil {
		if _, err := t.exec(`UPDATE contact SET stage = ? WHERE id = ?`, *change.Stage, id); err != nil {
			return err
		}
	}
	if change.SetTags {
		if _, err := t.exec(`DELETE FROM contact_tag WHERE contact_id = ?`, id); err != nil {
			return err
		}
		for _, tag := range change.Tags {
			if _, err := t.exec(`INSERT INTO contact_tag (contact_id, tag) VALUES (?, ?) ON CONFLICT DO NOTHING`, id, tag); err != nil {
				return err
			}
		}
	}
	return t.event("contact.changed", id, map[string]any{"contact": id}, now)
}

func (t *Tx) learn(contactID string, f Fact) error {
	_, err := t.exec(`INSERT INTO fact (contact_id, field, value, verified, verified_by, message_id, learnt_at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		contactID, f.Field, f.Value, f.Verified, f.VerifiedBy, f.MessageID, millis(f.LearntAt))
	return err
}

// contactOf returns the contact of a handle, making one if it is new.
func (t *Tx) contactOf(channel, address string, now time.Time) (id string, err error) {
	err = t.row(`SELECT contact_id FROM handle WHERE channel = ? AND address = ?`, []any{channel, address}, &id)
	if err != ErrNotFound {
		return id, err
	}
	id = NewID()
	if _, err := t.exec(`INSERT INTO contact (id, created_at) VALUES (?, ?)`, id, millis(now)); err != nil {
		return "", err
	}
	_, err = t.exec(`INSERT INTO handle (channel, address, contact_id) VALUES (?, ?, ?)`, channel, address, id)
	return id, err
}

// vouch keeps what a channel vouches for, unless it is known already.
func (t *Tx) vouch(contactID string, f Fact) error {
	var there int
	err := t.row(`SELECT 1 FROM fact WHERE contact_id = ? AND field = ? AND value = ? AND verified = 1 LIMIT 1`, []any{contactID, f.Field, f.Value}, &there)
	if errors.Is(err, ErrNotFound) {
		return t.learn(contactID, f)
	}
	return err
}

// ContactRecord returns the id of the record that stands for a contact in the system
// of a connection, "" if there is none yet.
func (s *Store) ContactRecord(ctx context.Context, contactID, connection string) (id string, err error) {
	err = s.reader.row(ctx, `SELECT record_id FROM contact_record WHERE contact_id = ? AND connection = ?`, []any{contactID, connection}, &id)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return id, err
}

// PutContactRecord keeps which record stands for a contact.
func (t *Tx) PutContactRecord(contactID, connection, id string) error {
	_, err := t.exec(`INSERT INTO contact_record (contact_id, connection, record_id) VALUES (?, ?, ?)
		ON CONFLICT (contact_id, connection) DO UPDATE SET record_id = excluded.record_id`, contactID, connection, id)
	return err
}
