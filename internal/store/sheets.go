package store

import (
	"context"
	"encoding/json"
	"time"
)

// A Row is one row of a sheet.
type Row struct {
	Key       string
	Cells     map[string]string
	CreatedAt time.Time
	UpdatedAt time.Time
}

// Rows returns the rows of a sheet, oldest first.
func (s *Store) Rows(ctx context.Context, sheet string) (list []Row, err error) {
	err = s.reader.rows(ctx, `SELECT key, cells, created_at, updated_at FROM sheet_row WHERE sheet = ? ORDER BY created_at, key`,
		[]any{sheet}, func(scan func(...any) error) error {
			var r Row
			var cells string
			var created, updated int64
			if err := scan(&r.Key, &cells, &created, &updated); err != nil {
				return err
			}
			r.CreatedAt, r.UpdatedAt = fromMillis(created), fromMillis(updated)
			list = append(list, r)
			return json.Unmarshal([]byte(cells), &list[len(list)-1].Cells)
		})
	return list, err
}

// A ContactRow is a row of a sheet that is a contact's.
type ContactRow struct {
	Sheet string
	Cells map[string]string
}

// RowsOf returns the rows that are a contact's, by sheet.
func (s *Store) RowsOf(ctx context.Context, contact string) (list []ContactRow, err error) {
	err = s.reader.rows(ctx, `SELECT sheet, cells FROM sheet_row WHERE contact_id = ? ORDER BY sheet, created_at`, []any{contact}, func(scan func(...any) error) error {
		var r ContactRow
		var cells string
		if err := scan(&r.Sheet, &cells); err != nil {
			return err
		}
		err := json.Unmarshal([]byte(cells), &r.Cells)
		list = append(list, r)
		return err
	})
	return list, err
}

// PutRow writes a row of a sheet under a key, in place of the one that has it. It is that of
// a contact, "" for nobody's.
func (t *Tx) PutRow(sheet, key, contact string, cells map[string]string, now time.Time) error {
	return t.putRow(sheet, key, contact, cells, now)
}

func (t *Tx) putRow(sheet, key, contact string, cells map[string]string, now time.Time) error {
	if _, err := t.exec(`INSERT INTO sheet_row (sheet, key, contact_id, cells, created_at, updated_at) VALUES (?, ?, nullif(?, ''), ?, ?, ?)
		ON CONFLICT DO UPDATE SET cells = excluded.cells, updated_at = excluded.updated_at, contact_id = coalesce(excluded.contact_id, contact_id)`,
		sheet, key, contact, asJSON(cells), millis(now), millis(now)); err != nil {
		return err
	}
	return t.event("row.written", sheet, map[string]any{"sheet": sheet}, now)
}
