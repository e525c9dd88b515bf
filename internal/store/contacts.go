package store

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/flow"
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

// A Contact is a person who wrote, or was entered, with the handle they used last.
type Contact struct {
	ID, Channel, Address string
	Stage                string // "" for none
	Tags                 []string
	CreatedAt            time.Time
	Blocked              bool
	NoBots               bool   // bots do not write to it
	Merged               string // the contact that stands for it, "" if it does itself
	Facts                []Fact
}

const contactColumns = `c.id, c.stage, c.created_at, c.blocked, NOT c.bots, coalesce(c.merged_into, ''), coalesce(h.channel, ''), coalesce(h.address, ''), (SELECT json_group_array(tag) FROM contact_tag t WHERE t.contact_id = c.id)
	FROM contact c LEFT JOIN handle h ON (h.channel, h.address) = (SELECT channel, address FROM handle o WHERE o.contact_id = c.id
		ORDER BY (SELECT max(updated_at) FROM conversation v WHERE v.channel = o.channel AND v.address = o.address) DESC LIMIT 1)`

func scanContact(scan func(...any) error) (c Contact, err error) {
	var at int64
	var tags string
	if err := scan(&c.ID, &c.Stage, &at, &c.Blocked, &c.NoBots, &c.Merged, &c.Channel, &c.Address, &tags); err != nil {
		return c, err
	}
	c.CreatedAt = fromMillis(at)
	return c, json.Unmarshal([]byte(tags), &c.Tags)
}

// A ContactFilter chooses contacts. The zero value chooses all.
type ContactFilter struct {
	Search       string // in what is known, handles, tags and notes; in any case
	Stage, Tag   string
	Field, Value string // what is known for a field, in any case; of a Field alone: that it is known
	Channel      string
	Blocked      bool   // only those that are blocked
	Before       string // the id of the last one that was seen
	Limit        int
}

// Contacts returns contacts, the newest first, each with its facts. Those that were joined
// with another are left out.
func (s *Store) Contacts(ctx context.Context, f ContactFilter) (list []Contact, err error) {
	where, args := []string{"c.merged_into IS NULL"}, []any{}
	add := func(clause string, values ...any) {
		where, args = append(where, clause), append(args, values...)
	}
	for _, word := range strings.Fields(f.Search) {
		like := "%" + likely.Replace(word) + "%"
		add(`(EXISTS (SELECT 1 FROM fact f WHERE f.contact_id = c.id AND f.value LIKE ? ESCAPE '!') OR EXISTS (SELECT 1 FROM handle g WHERE g.contact_id = c.id AND (g.address LIKE ? ESCAPE '!' OR g.channel = ?))
			OR EXISTS (SELECT 1 FROM contact_tag t WHERE t.contact_id = c.id AND t.tag LIKE ? ESCAPE '!') OR EXISTS (SELECT 1 FROM contact_note n WHERE n.contact_id = c.id AND n.text LIKE ? ESCAPE '!'))`, like, like, word, like, like)
	}
	if f.Stage != "" {
		add("c.stage = ?", f.Stage)
	}
	if f.Tag != "" {
		add("EXISTS (SELECT 1 FROM contact_tag t WHERE t.contact_id = c.id AND t.tag = ?)", f.Tag)
	}
	if f.Field != "" && f.Value != "" {
		add("EXISTS (SELECT 1 FROM fact f WHERE f.contact_id = c.id AND f.field = ? AND f.value = ? COLLATE NOCASE)", f.Field, f.Value)
	} else if f.Field != "" {
		add("EXISTS (SELECT 1 FROM fact f WHERE f.contact_id = c.id AND f.field = ?)", f.Field)
	}
	if f.Channel != "" {
		add("EXISTS (SELECT 1 FROM handle g WHERE g.contact_id = c.id AND g.channel = ?)", f.Channel)
	}
	if f.Blocked {
		add("c.blocked = 1")
	}
	if f.Before != "" {
		add("c.id < ?", f.Before)
	}
	args = append(args, f.Limit)
	err = s.reader.rows(ctx, `SELECT `+contactColumns+` WHERE `+strings.Join(where, " AND ")+` ORDER BY c.id DESC LIMIT ?`, args, func(scan func(...any) error) error {
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

// likely takes what LIKE would read as more than itself.
var likely = strings.NewReplacer("!", "!!", "%", "!%", "_", "!_")

// Contact returns one contact with its facts, or ErrNotFound. One that was joined with
// another is there, with the other's id.
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

// ContactAt returns the contact of a handle with its facts, or ErrNotFound.
func (s *Store) ContactAt(ctx context.Context, channel, address string) (c Contact, err error) {
	var id string
	if err := s.reader.row(ctx, `SELECT contact_id FROM handle WHERE channel = ? AND address = ?`, []any{channel, address}, &id); err != nil {
		return c, err
	}
	return s.Contact(ctx, id)
}

// A ContactChange is what a person changes about a contact.
type ContactChange struct {
	Facts   []Fact   // that the person vouches for
	Forget  []string // fields whose facts are removed
	Stage   *string  // nil: as it is
	Tags    []string // with SetTags: all that it has from now on
	SetTags bool
	Blocked *bool // nil: as it is
	NoBots  *bool // nil: as it is
}

// ChangeContact changes a contact; one that is not there is ErrNotFound.
func (t *Tx) ChangeContact(id string, change ContactChange, now time.Time) error {
	var there int
	if err := t.row(`SELECT 1 FROM contact WHERE id = ?`, []any{id}, &there); err != nil {
		return err
	}
	for _, field := range change.Forget {
		if slices.ContainsFunc(change.Facts, func(f Fact) bool { return f.Field == field }) {
			continue // it is changed, not removed
		}
		if _, err := t.exec(`DELETE FROM fact WHERE contact_id = ? AND field = ?`, id, field); err != nil {
			return err
		}
	}
	for _, f := range change.Facts {
		if err := t.learnOver(id, f); err != nil {
			return err
		}
	}
	if change.Stage != nil {
		if err := t.stand(id, *change.Stage); err != nil {
			return err
		}
	}
	if change.SetTags {
		before, err := t.tags(id)
		if err != nil {
			return err
		}
		for _, tag := range before {
			if !slices.Contains(change.Tags, tag) {
				if err := t.tag(id, tag, true); err != nil {
					return err
				}
			}
		}
		for _, tag := range change.Tags {
			if err := t.tag(id, tag, false); err != nil {
				return err
			}
		}
	}
	if change.Blocked != nil {
		if _, err := t.exec(`UPDATE contact SET blocked = ? WHERE id = ?`, *change.Blocked, id); err != nil {
			return err
		}
		if *change.Blocked {
			if err := t.stopRuns(`contact_id = ?`, id, "the contact is blocked", now); err != nil {
				return err
			}
		}
	}
	if change.NoBots != nil {
		if _, err := t.exec(`UPDATE contact SET bots = ? WHERE id = ?`, !*change.NoBots, id); err != nil {
			return err
		}
	}
	return t.event("contact.changed", id, map[string]any{"contact": id}, now)
}

// AddContact makes a contact that has not written; handles of theirs that nobody has are
// theirs.
func (t *Tx) AddContact(facts []Fact, handles []Handle, stage string, tags []string, now time.Time) (id string, err error) {
	id = NewID()
	if _, err := t.exec(`INSERT INTO contact (id, created_at) VALUES (?, ?)`, id, millis(now)); err != nil {
		return "", err
	}
	for _, h := range handles {
		if err := t.PutHandle(h.Channel, h.Address, id); err != nil {
			return "", err
		}
	}
	if err := t.contactChanged(id, "created", "", ""); err != nil {
		return "", err
	}
	change := ContactChange{Facts: facts, Tags: tags, SetTags: len(tags) > 0}
	if stage != "" {
		change.Stage = &stage
	}
	return id, t.ChangeContact(id, change, now)
}

// learnOver keeps a fact in place of all that was known for its field.
func (t *Tx) learnOver(id string, f Fact) error {
	before, err := t.known(id, f.Field)
	if err != nil {
		return err
	}
	if _, err := t.exec(`DELETE FROM fact WHERE contact_id = ? AND field = ?`, id, f.Field); err != nil {
		return err
	}
	return t.learnt(id, f, before)
}

// stand sets the stage of a contact.
func (t *Tx) stand(id, stage string) error {
	var before string
	if err := t.row(`SELECT stage FROM contact WHERE id = ?`, []any{id}, &before); err != nil || before == stage {
		return err
	}
	if _, err := t.exec(`UPDATE contact SET stage = ? WHERE id = ?`, stage, id); err != nil {
		return err
	}
	return t.contactChanged(id, "stage", before, stage)
}

func (t *Tx) tags(id string) (tags []string, err error) {
	var list string
	if err := t.row(`SELECT json_group_array(tag) FROM contact_tag WHERE contact_id = ?`, []any{id}, &list); err != nil {
		return nil, err
	}
	return tags, json.Unmarshal([]byte(list), &tags)
}

// tag marks a contact, or takes the mark away.
func (t *Tx) tag(id, tag string, off bool) error {
	query, what, from, to := `INSERT INTO contact_tag (contact_id, tag) VALUES (?, ?) ON CONFLICT DO NOTHING`, "tag", "", tag
	if off {
		query, what, from, to = `DELETE FROM contact_tag WHERE contact_id = ? AND tag = ?`, "untag", tag, ""
	}
	n, err := t.exec(query, id, tag)
	if err != nil || n == 0 {
		return err
	}
	return t.contactChanged(id, what, from, to)
}

// known is what holds of a field of a contact, "" for nothing.
func (t *Tx) known(id, field string) (value string, err error) {
	err = t.row(`SELECT value FROM fact WHERE contact_id = ? AND field = ? ORDER BY verified DESC, id DESC LIMIT 1`, []any{id, field}, &value)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return value, err
}

// Learn keeps a fact of a contact beside what was known.
func (t *Tx) Learn(contactID string, f Fact) error { return t.learn(contactID, f) }

func (t *Tx) learn(contactID string, f Fact) error {
	if !t.listensTo("contact") {
		return t.putFact(contactID, f)
	}
	before, err := t.known(contactID, f.Field)
	if err != nil {
		return err
	}
	return t.learnt(contactID, f, before)
}

func (t *Tx) putFact(contactID string, f Fact) error {
	_, err := t.exec(`INSERT INTO fact (contact_id, field, value, verified, verified_by, message_id, learnt_at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		contactID, f.Field, f.Value, f.Verified, f.VerifiedBy, f.MessageID, millis(f.LearntAt))
	return err
}

func (t *Tx) learnt(contactID string, f Fact, before string) error {
	if err := t.putFact(contactID, f); err != nil {
		return err
	}
	now, err := t.known(contactID, f.Field)
	if err != nil || now == before {
		return err
	}
	return t.contactChanged(contactID, "field "+f.Field, before, now)
}

func (t *Tx) contactChanged(id, what, from, to string) error {
	return t.occur(flow.Happening{Kind: "contact", Contact: id, Values: map[string]any{"what": what, "from": from, "to": to}})
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
	if _, err := t.exec(`INSERT INTO handle (channel, address, contact_id) VALUES (?, ?, ?)`, channel, address, id); err != nil {
		return "", err
	}
	return id, t.contactChanged(id, "created", "", "")
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

// OptedOut reports whether a handle does not want to be written to.
func (s *Store) OptedOut(ctx context.Context, channel, address string) (bool, error) {
	var there int
	err := s.reader.row(ctx, `SELECT 1 FROM opt_out WHERE channel = ? AND address = ?`, []any{channel, address}, &there)
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

// A Handle is a contact's address on a channel.
type Handle struct{ Channel, Address string }

// Handles returns the handles of a contact, that which was used last first.
func (s *Store) Handles(ctx context.Context, contact string) (list []Handle, err error) {
	err = s.reader.rows(ctx, `SELECT channel, address FROM handle h WHERE contact_id = ? ORDER BY (SELECT max(updated_at) FROM conversation c WHERE c.channel = h.channel AND c.address = h.address) DESC`,
		[]any{contact}, func(scan func(...any) error) error {
			var h Handle
			err := scan(&h.Channel, &h.Address)
			list = append(list, h)
			return err
		})
	return list, err
}

// PutHandle gives a contact a handle, unless another has it: then it is that one's.
func (t *Tx) PutHandle(channel, address, contact string) error {
	var there string
	err := t.row(`SELECT contact_id FROM handle WHERE channel = ? AND address = ?`, []any{channel, address}, &there)
	if err == nil || !errors.Is(err, ErrNotFound) {
		return err
	}
	_, err = t.exec(`INSERT INTO handle (channel, address, contact_id) VALUES (?, ?, ?)`, channel, address, contact)
	return err
}
