package store

import (
	"context"
	"time"
)

// A Fact is what is known of a contact, and where it was learnt.
type Fact struct {
	Detail    string // name, email, phone
	Value     string
	Verified  bool
	MessageID string
	LearntAt  time.Time
}

// Facts returns what holds of a contact: of each detail the verified value, or
// else the newest.
func (s *Store) Facts(ctx context.Context, contactID string) (facts []Fact, err error) {
	err = s.reader.rows(ctx, `SELECT detail, value, verified, message_id, learnt_at FROM fact WHERE contact_id = ? ORDER BY detail, verified DESC, id DESC`,
		[]any{contactID}, func(scan func(...any) error) error {
			var f Fact
			var at int64
			if err := scan(&f.Detail, &f.Value, &f.Verified, &f.MessageID, &at); err != nil {
				return err
			}
			f.LearntAt = fromMillis(at)
			if len(facts) == 0 || facts[len(facts)-1].Detail != f.Detail {
				facts = append(facts, f)
			}
			return nil
		})
	return facts, err
}

// Contacts returns the newest contacts, at most limit, each with its facts.
func (s *Store) Contacts(ctx context.Context, limit int) (list []Contact, err error) {
	err = s.reader.rows(ctx, `SELECT c.id, c.created_at, h.channel, h.address FROM contact c JOIN handle h ON h.contact_id = c.id ORDER BY c.id DESC LIMIT ?`,
		[]any{limit}, func(scan func(...any) error) error {
			var c Contact
			var at int64
			err := scan(&c.ID, &at, &c.Channel, &c.Address)
			c.CreatedAt = fromMillis(at)
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

// A Contact is a person who wrote, by the handle they wrote from.
type Contact struct {
	ID, Channel, Address string
	CreatedAt            time.Time
	Facts                []Fact
}

func (t *Tx) learn(contactID string, f Fact) error {
	_, err := t.exec(`INSERT INTO fact (contact_id, detail, value, verified, message_id, learnt_at) VALUES (?, ?, ?, ?, ?, ?)`,
		contactID, f.Detail, f.Value, f.Verified, f.MessageID, millis(f.LearntAt))
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
