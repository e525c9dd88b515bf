package store

import (
	"context"
	"encoding/json"
	"strings"
	"time"
)

// Where records name documents, by their kind: table and column.
var namedIn = map[string][][2]string{
	"bot":        {{"conversation", "bot"}, {"house_answer", "bot"}, {"lesson", "bot"}, {"model_use", "bot"}},
	"channel":    {{"handle", "channel"}, {"conversation", "channel"}, {"message", "channel"}, {"opt_out", "channel"}, {"channel_state", "channel"}},
	"connection": {{"consent", "connection"}, {"consent_asked", "connection"}, {"contact_record", "connection"}, {"model_use", "connection"}, {"reply_token", "connection"}, {"secret", "name"}},
	"sheet":      {{"sheet_row", "sheet"}},
	"flow":       {{"run", "flow"}, {"flow_fired", "flow"}, {"posted", "flow"}, {"milestone", "flow"}},
	"form":       {{"form_entry", "form"}},
	"tool":       {{"tool_call", "tool"}, {"allowance", "tool"}},
}

// Where records hold JSON that may name documents, while it still counts: table, its key, and
// the rows that count.
var namedInside = []struct{ table, key, column, where string }{
	{"conversation", "id", "state", "1"},
	{"turn", "id", "results", "state = 'calling'"},
	{"run", "id", "state", "status IN ('going', 'waiting', 'failed')"},
	{"effect", "id", "body", "state = 'pending'"},
	{"timer", "id", "body", "1"},
	{"wake", "id", "body", "1"},
	{"happening", "id", "body", "1"},
	{"allowance", "id", "body", "state = 'open'"},
}

// Taken reports whether a document has a name, or one that was removed had it and can be
// brought back under it.
func (s *Store) Taken(ctx context.Context, kind, name string) (taken bool, err error) {
	for _, table := range []string{"document", "document_version", "document_draft"} {
		var n int
		err := s.reader.row(ctx, `SELECT count(*) FROM `+table+` WHERE kind = ? AND name = ?`, []any{kind, name}, &n)
		if err != nil {
			return false, err
		}
		taken = taken || n > 0
	}
	return taken, nil
}

// RenameDocument gives a document another name, with its versions, its draft and all records
// that name it. Texts are not touched: see Rewrite.
func (t *Tx) RenameDocument(kind, from, to string, now time.Time) error {
	for _, table := range []string{"document", "document_version", "document_draft"} {
		n, err := t.exec(`UPDATE `+table+` SET name = ? WHERE kind = ? AND name = ?`, to, kind, from)
		if err != nil {
			return err
		}
		if table == "document" && n == 0 {
			return ErrNotFound
		}
	}
	for _, at := range namedIn[kind] {
		if _, err := t.exec(`UPDATE `+at[0]+` SET `+at[1]+` = ? WHERE `+at[1]+` = ?`, to, from); err != nil {
			return err
		}
	}
	for _, at := range namedInside {
		if err := t.renameInside(at.table, at.key, at.column, at.where, kind, from, to); err != nil {
			return err
		}
	}
	// What is being decided on what there was before is decided anew.
	if _, err := t.exec(`UPDATE conversation SET version = version + 1 WHERE lead != 'closed'`); err != nil {
		return err
	}
	if _, err := t.exec(`UPDATE run SET revision = revision + 1 WHERE status IN ('going', 'waiting', 'failed')`); err != nil {
		return err
	}
	return t.event("document.renamed", kind+"/"+to, map[string]any{"kind": kind, "name": to, "before": from}, now)
}

func (t *Tx) renameInside(table, key, column, where, kind, from, to string) error {
	changed := map[string]string{}
	if err := t.rows(`SELECT `+key+`, `+column+` FROM `+table+` WHERE `+where+` AND instr(`+column+`, ?) > 0`, []any{`"` + from}, func(scan func(...any) error) error {
		var id, raw string
		if err := scan(&id, &raw); err != nil {
			return err
		}
		var v any
		d := json.NewDecoder(strings.NewReader(raw))
		d.UseNumber()
		if d.Decode(&v) != nil {
			return nil // what cannot be read names nothing
		}
		if renameIn(v, kind, from, to) {
			changed[id] = asJSON(v)
		}
		return nil
	}); err != nil {
		return err
	}
	for id, raw := range changed {
		if _, err := t.exec(`UPDATE `+table+` SET `+column+` = ? WHERE `+key+` = ?`, raw, id); err != nil {
			return err
		}
	}
	return nil
}

// renameIn puts another name where JSON has one under a key that names the kind ("bot":
// "freight"), the bots that a conversation came from, or one with its kind before it ("to":
// "team/crew").
func renameIn(v any, kind, from, to string) (changed bool) {
	switch v := v.(type) {
	case map[string]any:
		for key, inner := range v {
			s, isText := inner.(string)
			switch {
			case isText && strings.EqualFold(key, kind) && s == from:
				v[key], changed = to, true
			case isText && s == kind+"/"+from:
				v[key], changed = kind+"/"+to, true
			case kind == "bot" && key == "from":
				list, _ := inner.([]any)
				for i := range list {
					if list[i] == from {
						list[i], changed = to, true
					}
				}
			default:
				changed = renameIn(inner, kind, from, to) || changed
			}
		}
	case []any:
		for _, inner := range v {
			changed = renameIn(inner, kind, from, to) || changed
		}
	}
	return changed
}

// Rewrite changes the text of a version of a document in its place, and that of the document
// where it is the newest; of version 0 the text of the draft.
func (t *Tx) Rewrite(d Document) error {
	if d.Version == 0 {
		_, err := t.exec(`UPDATE document_draft SET text = ? WHERE kind = ? AND name = ?`, d.Text, d.Kind, d.Name)
		return err
	}
	if _, err := t.exec(`UPDATE document_version SET text = ? WHERE kind = ? AND name = ? AND version = ?`, d.Text, d.Kind, d.Name, d.Version); err != nil {
		return err
	}
	_, err := t.exec(`UPDATE document SET text = ?, updated_at = ? WHERE kind = ? AND name = ? AND version = ?`, d.Text, millis(d.UpdatedAt), d.Kind, d.Name, d.Version)
	return err
}
