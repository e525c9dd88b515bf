package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"
)

// belongings are the tables whose rows belong to a contact and go along when it is joined
// with another, each with what identifies a row, as one text.
var belongings = []struct{ table, key string }{
	{"handle", "channel || char(0) || address"}, {"conversation", "id"}, {"fact", "CAST(id AS TEXT)"}, {"contact_note", "id"},
	{"form_entry", "id"}, {"milestone", "id"}, {"run", "id"}, {"sheet_row", "sheet || char(0) || key"},
}

// moved is what went from one contact to another.
type moved struct {
	Rows    map[string][]string `json:"rows"`    // by table
	Tags    []string            `json:"tags"`    // that the other had not
	Records []string            `json:"records"` // connections in whose systems the other had no record
	Stage   bool                `json:"stage"`   // the other had none
}

// ErrMerged is returned for a contact that was joined with another already, or is to be
// joined with itself.
var ErrMerged = errors.New("it was joined with another contact already, or it is the same one")

// MergeContacts makes all that belongs to a contact that of another, which stands for both
// from then on. It returns an id by which it can be undone. Contacts that are not there are
// ErrNotFound.
func (t *Tx) MergeContacts(kept, gone, by string, now time.Time) (id string, err error) {
	stages := map[string]string{}
	for _, contact := range []string{kept, gone} {
		var stage, into string
		if err := t.row(`SELECT stage, coalesce(merged_into, '') FROM contact WHERE id = ?`, []any{contact}, &stage, &into); err != nil {
			return "", err
		}
		if into != "" || kept == gone {
			return "", ErrMerged
		}
		stages[contact] = stage
	}
	m := moved{Rows: map[string][]string{}}
	for _, b := range belongings {
		var keys string
		if err := t.row(fmt.Sprintf(`SELECT json_group_array(%s) FROM %s WHERE contact_id = ?`, b.key, b.table), []any{gone}, &keys); err != nil {
			return "", err
		}
		var list []string
		if err := json.Unmarshal([]byte(keys), &list); err != nil {
			return "", err
		}
		if len(list) > 0 {
			m.Rows[b.table] = list
		}
		if _, err := t.exec(fmt.Sprintf(`UPDATE %s SET contact_id = ? WHERE contact_id = ?`, b.table), kept, gone); err != nil {
			return "", err
		}
	}
	has, err := t.tags(kept)
	if err != nil {
		return "", err
	}
	brings, err := t.tags(gone)
	if err != nil {
		return "", err
	}
	for _, tag := range brings {
		if !slices.Contains(has, tag) {
			m.Tags = append(m.Tags, tag)
			if err := t.tag(kept, tag, false); err != nil {
				return "", err
			}
		}
	}
	var records string
	if err := t.row(`SELECT json_group_array(connection) FROM contact_record WHERE contact_id = ?1 AND connection NOT IN (SELECT connection FROM contact_record WHERE contact_id = ?2)`, []any{gone, kept}, &records); err != nil {
		return "", err
	}
	if err := json.Unmarshal([]byte(records), &m.Records); err != nil {
		return "", err
	}
	for _, connection := range m.Records {
		if _, err := t.exec(`UPDATE contact_record SET contact_id = ? WHERE contact_id = ? AND connection = ?`, kept, gone, connection); err != nil {
			return "", err
		}
	}
	if m.Stage = stages[kept] == "" && stages[gone] != ""; m.Stage {
		if err := t.stand(kept, stages[gone]); err != nil {
			return "", err
		}
	}
	if _, err := t.exec(`UPDATE contact SET merged_into = ? WHERE id = ?`, kept, gone); err != nil {
		return "", err
	}
	id = NewID()
	if _, err := t.exec(`INSERT INTO contact_merge (id, kept, gone, moved, by, at) VALUES (?, ?, ?, ?, ?, ?)`, id, kept, gone, asJSON(m), by, millis(now)); err != nil {
		return "", err
	}
	return id, t.event("contact.merged", kept, map[string]any{"contact": kept, "with": gone}, now)
}

// UnmergeContacts gives a contact back what went to another when they were joined; what came
// since stays where it came. One that was undone before, or is none, is ErrNotFound. It
// returns the two contacts.
func (t *Tx) UnmergeContacts(id string, now time.Time) (kept, gone string, err error) {
	var body string
	if err := t.row(`SELECT kept, gone, moved FROM contact_merge WHERE id = ? AND undone_at IS NULL`, []any{id}, &kept, &gone, &body); err != nil {
		return "", "", err
	}
	var m moved
	if err := json.Unmarshal([]byte(body), &m); err != nil {
		return "", "", err
	}
	for _, b := range belongings {
		keys := asJSON(m.Rows[b.table])
		if len(m.Rows[b.table]) == 0 {
			continue
		}
		if _, err := t.exec(fmt.Sprintf(`UPDATE %s SET contact_id = ? WHERE contact_id = ? AND %s IN (SELECT value FROM json_each(?))`, b.table, b.key), gone, kept, keys); err != nil {
			return "", "", err
		}
	}
	for _, tag := range m.Tags {
		if err := t.tag(kept, tag, true); err != nil {
			return "", "", err
		}
	}
	for _, connection := range m.Records {
		if _, err := t.exec(`UPDATE contact_record SET contact_id = ? WHERE contact_id = ? AND connection = ?`, gone, kept, connection); err != nil {
			return "", "", err
		}
	}
	if m.Stage {
		if err := t.stand(kept, ""); err != nil {
			return "", "", err
		}
	}
	if _, err := t.exec(`UPDATE contact SET merged_into = NULL WHERE id = ?`, gone); err != nil {
		return "", "", err
	}
	if _, err := t.exec(`UPDATE contact_merge SET undone_at = ? WHERE id = ?`, millis(now), id); err != nil {
		return "", "", err
	}
	return kept, gone, t.event("contact.merged", kept, map[string]any{"contact": kept, "with": gone}, now)
}

// A Merge is two contacts that were joined.
type Merge struct {
	ID, Kept, Gone, By string
	At                 time.Time
}

// Merges returns which contacts were joined with one, the latest first, and not undone.
func (s *Store) Merges(ctx context.Context, kept string) (list []Merge, err error) {
	err = s.reader.rows(ctx, `SELECT id, kept, gone, by, at FROM contact_merge WHERE kept = ? AND undone_at IS NULL ORDER BY id DESC`, []any{kept}, func(scan func(...any) error) error {
		var m Merge
		var at int64
		err := scan(&m.ID, &m.Kept, &m.Gone, &m.By, &at)
		m.At = fromMillis(at)
		list = append(list, m)
		return err
	})
	return list, err
}

// A Twin is two contacts that may be one: the same is verified of both, or one has written
// from what is verified of the other.
type Twin struct{ A, B, Field, Value string }

// Twins returns contacts that may be one, by the fields given: those that are somebody's own,
// such as a mail address.
func (s *Store) Twins(ctx context.Context, fields []string, limit int) (list []Twin, err error) {
	err = s.reader.rows(ctx, `SELECT min(a.contact_id, b.contact_id), max(a.contact_id, b.contact_id), a.field, a.value FROM fact a
		JOIN fact b ON b.field = a.field AND b.value = a.value COLLATE NOCASE AND b.contact_id > a.contact_id AND b.verified = 1
		JOIN contact x ON x.id = a.contact_id AND x.merged_into IS NULL JOIN contact y ON y.id = b.contact_id AND y.merged_into IS NULL
		WHERE a.verified = 1 AND a.field IN (SELECT value FROM json_each(?1)) GROUP BY 1, 2
		UNION SELECT min(a.contact_id, h.contact_id), max(a.contact_id, h.contact_id), a.field, a.value FROM fact a
		JOIN handle h ON h.address = a.value COLLATE NOCASE AND h.contact_id <> a.contact_id
		JOIN contact x ON x.id = a.contact_id AND x.merged_into IS NULL JOIN contact y ON y.id = h.contact_id AND y.merged_into IS NULL
		WHERE a.verified = 1 AND a.field IN (SELECT value FROM json_each(?1)) GROUP BY 1, 2 LIMIT ?2`, []any{asJSON(fields), limit}, func(scan func(...any) error) error {
		var t Twin
		err := scan(&t.A, &t.B, &t.Field, &t.Value)
		list = append(list, t)
		return err
	})
	return list, err
}
