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

// PutRow writes a row of a sheet under a key, in place of the one that has it.
func (t *Tx) PutRow(sheet, key string, cells map[string]string, now time.Time) error {
	return t.putRow(sheet, key, cells, now)
}

func (t *Tx) putRow(sheet, key string, cells map[string]string, now time.Time) error {
	if _, err := t.exec(`INSERT INTO sheet_row (sheet, key, cells, created_at, updated_at) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET cells = excluded.cells, updated_at = excluded.updated_at`,
		sheet, key, asJSON(cells), millis(now), millis(now)); err != nil {
		return err
	}
	return t.event("row.written", sheet, map[string]any{"sheet": sheet}, now)
}
