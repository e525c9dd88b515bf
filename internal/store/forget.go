package store

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Forgotten is what was removed with a contact.
type Forgotten struct {
	Conversations []string // their ids
	Files         []string // hashes of files that came with messages, and with no others
	Sheets        []string // whose rows went
	Gaps, Lessons bool     // some went, or have other words now
	House         bool     // a house answer lost what names the contact
	Documents     []string // rehearsals that lost what names the contact, as "rehearsal NAME"
}

// Forget removes a contact and all that belongs to it or names it: conversations with their
// messages, turns and traces, what waits to be sent, facts, notes, rows of sheets, runs,
// entries of forms, gaps and lessons that came of its words. What others wrote stays, without
// the handles, addresses and names of the contact. Those that were joined with it go too. One
// that is not there is ErrNotFound.
//
// What was removed is gone from the file once Compact has run.
func (t *Tx) Forget(id string, now time.Time) (f Forgotten, err error) {
	var there int
	if err := t.row(`SELECT 1 FROM contact WHERE id = ?`, []any{id}, &there); err != nil {
		return f, err
	}
	contacts, err := t.texts(`WITH RECURSIVE joined (id) AS (SELECT ? UNION SELECT c.id FROM contact c JOIN joined ON c.merged_into = joined.id) SELECT id FROM joined`, id)
	if err != nil {
		return f, err
	}
	who := asJSON(contacts)
	names, err := t.namesOf(who)
	if err != nil {
		return f, err
	}
	if f.Conversations, err = t.texts(`SELECT id FROM conversation WHERE contact_id IN (SELECT value FROM json_each(?))`, who); err != nil {
		return f, err
	}
	if f.Sheets, err = t.texts(`SELECT DISTINCT sheet FROM sheet_row WHERE contact_id IN (SELECT value FROM json_each(?))`, who); err != nil {
		return f, err
	}
	runs, err := t.texts(`SELECT id FROM run WHERE contact_id IN (SELECT value FROM json_each(?1)) OR conversation_id IN (SELECT value FROM json_each(?2))`, who, asJSON(f.Conversations))
	if err != nil {
		return f, err
	}
	learnt, err := t.texts(`SELECT id FROM lesson WHERE conversation_id IN (SELECT value FROM json_each(?1)) UNION SELECT gap_id FROM gap_question WHERE conversation_id IN (SELECT value FROM json_each(?1))`, asJSON(f.Conversations))
	if err != nil {
		return f, err
	}
	ids := slices.Concat(contacts, f.Conversations, runs, learnt) // what came of their words is told of in events
	if err := t.forgetLearning(&f, asJSON(f.Conversations), names); err != nil {
		return f, err
	}
	attached, err := t.texts(`SELECT DISTINCT a.hash FROM attachment a JOIN message m ON m.id = a.message_id WHERE m.conversation_id IN (SELECT value FROM json_each(?))`, asJSON(f.Conversations))
	if err != nil {
		return f, err
	}
	if _, err := t.exec(`DELETE FROM attachment WHERE message_id IN (SELECT id FROM message WHERE conversation_id IN (SELECT value FROM json_each(?)))`, asJSON(f.Conversations)); err != nil {
		return f, err
	}
	if f.Files, err = t.texts(`SELECT value FROM json_each(?) WHERE value NOT IN (SELECT hash FROM attachment)`, asJSON(append([]string{}, attached...))); err != nil {
		return f, err
	}
	for _, removal := range []struct{ from, of string }{
		{"approval", "conversation_id"}, {"reply_token", "conversation_id"}, {"message", "conversation_id"}, {"turn", "conversation_id"}, {"turn_failure", "conversation_id"}, {"wake", "conversation_id"}, {"effect", "conversation_id"},
		{"example", "conversation_id"}, {"tool_call", "conversation_id"}, {"allowance", "conversation_id"}, {"model_use", "conversation_id"}, {"milestone", "conversation_id"}, {"run", "conversation_id"},
		{"timer", "subject"}, {"conversation", "id"},
	} {
		if _, err := t.exec(fmt.Sprintf(`DELETE FROM %s WHERE %s IN (SELECT value FROM json_each(?))`, removal.from, removal.of), asJSON(f.Conversations)); err != nil {
			return f, fmt.Errorf("%s: %w", removal.from, err)
		}
	}
	for _, from := range []string{"run", "milestone", "sheet_row", "form_entry", "contact_note", "contact_record", "contact_tag", "fact"} {
		if _, err := t.exec(fmt.Sprintf(`DELETE FROM %s WHERE contact_id IN (SELECT value FROM json_each(?))`, from), who); err != nil {
			return f, fmt.Errorf("%s: %w", from, err)
		}
	}
	for _, removal := range []string{
		`DELETE FROM opt_out WHERE (channel, address) IN (SELECT channel, address FROM handle WHERE contact_id IN (SELECT value FROM json_each(?)))`,
		`DELETE FROM handle WHERE contact_id IN (SELECT value FROM json_each(?))`,
		`DELETE FROM contact_merge WHERE kept IN (SELECT value FROM json_each(?1)) OR gone IN (SELECT value FROM json_each(?1))`,
		`UPDATE contact SET merged_into = NULL WHERE id IN (SELECT value FROM json_each(?))`,
		`DELETE FROM contact WHERE id IN (SELECT value FROM json_each(?))`,
	} {
		if _, err := t.exec(removal, who); err != nil {
			return f, err
		}
	}
	// What is kept as text for other ends, and names the contact or what was theirs.
	for _, in := range []struct{ table, column string }{{"effect", "body"}, {"happening", "body"}, {"posted", "body"}, {"request", "key"}, {"request", "body"}, {"event", "data"}, {"event", "subject"}, {"timer", "id"}, {"timer", "body"}, {"run_event", "event"}, {"tool_call", "arguments"}, {"tool_call", "request"}, {"tool_call", "response"}} {
		for _, name := range slices.Concat(ids, names) {
			if _, err := t.exec(fmt.Sprintf(`DELETE FROM %s WHERE instr(lower(%s), lower(?)) > 0`, in.table, in.column), name); err != nil {
				return f, fmt.Errorf("%s: %w", in.table, err)
			}
		}
	}
	return f, t.event("contact.forgotten", "", map[string]any{}, now)
}

// texts returns the one column of a query.
func (t *Tx) texts(query string, args ...any) (list []string, err error) {
	var all string
	if err := t.row(`WITH r (x) AS (`+query+`) SELECT json_group_array(x) FROM r`, args, &all); err != nil {
		return nil, err
	}
	return list, json.Unmarshal([]byte(all), &list)
}

// shortestName is how long a name or number is, in bytes, to be told from other words.
const shortestName = 6

// namesOf are the words by which a contact is told: the addresses of its handles, and what is
// known of it that is long enough to be nobody else's.
func (t *Tx) namesOf(who string) (names []string, err error) {
	handles, err := t.texts(`SELECT address FROM handle WHERE contact_id IN (SELECT value FROM json_each(?))`, who)
	if err != nil {
		return nil, err
	}
	facts, err := t.texts(`SELECT DISTINCT value FROM fact WHERE contact_id IN (SELECT value FROM json_each(?))`, who)
	if err != nil {
		return nil, err
	}
	for _, name := range slices.Concat(handles, facts) {
		telling := strings.ContainsAny(name, "@+0123456789") || strings.Contains(strings.TrimSpace(name), " ")
		if len(name) >= shortestName && telling && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names, nil
}

// forgetLearning removes what was learnt from conversations, and takes the names of the
// contact out of what people wrote.
func (t *Tx) forgetLearning(f *Forgotten, conversations string, names []string) error {
	n, err := t.exec(`DELETE FROM lesson WHERE conversation_id IN (SELECT value FROM json_each(?))`, conversations)
	if err != nil {
		return err
	}
	f.Lessons = n > 0
	asked, err := t.exec(`DELETE FROM gap_question WHERE conversation_id IN (SELECT value FROM json_each(?))`, conversations)
	if err != nil {
		return err
	}
	if f.Gaps = asked > 0; f.Gaps {
		// Of a gap that others asked too, the words are theirs now.
		for _, change := range []string{
			`UPDATE lesson SET gap_id = NULL WHERE gap_id IN (SELECT g.id FROM gap g WHERE NOT EXISTS (SELECT 1 FROM gap_question q WHERE q.gap_id = g.id))`,
			`DELETE FROM gap WHERE NOT EXISTS (SELECT 1 FROM gap_question q WHERE q.gap_id = gap.id)`,
			`UPDATE gap SET question = (SELECT wording FROM gap_question q WHERE q.gap_id = gap.id ORDER BY q.id LIMIT 1), times = (SELECT count(*) FROM gap_question q WHERE q.gap_id = gap.id)
				WHERE times <> (SELECT count(*) FROM gap_question q WHERE q.gap_id = gap.id)`,
		} {
			if _, err := t.exec(change); err != nil {
				return err
			}
		}
	}
	for _, name := range names {
		n, err := t.exec(`UPDATE house_answer SET question = replace(question, ?1, '…'), answer = replace(answer, ?1, '…'), model = '', views = NULL, tokens = NULL, version = version + 1
			WHERE instr(question, ?1) > 0 OR instr(answer, ?1) > 0`, name)
		if err != nil {
			return err
		}
		f.House = f.House || n > 0
		documents, err := t.texts(`SELECT name FROM document WHERE kind = 'rehearsal' AND instr(text, ?) > 0`, name)
		if err != nil {
			return err
		}
		for _, d := range documents {
			f.Documents = append(f.Documents, "rehearsal "+d)
		}
		for _, table := range []string{"document", "document_version"} {
			if _, err := t.exec(fmt.Sprintf(`UPDATE %s SET text = replace(text, ?1, 'someone') WHERE kind = 'rehearsal' AND instr(text, ?1) > 0`, table), name); err != nil {
				return err
			}
		}
	}
	return nil
}

// Compact rewrites the file, so that nothing of what was removed is left in it. Writing waits
// meanwhile.
func (s *Store) Compact(ctx context.Context) error {
	// The journal still holds what was removed until it is cut off.
	for _, statement := range []string{"VACUUM", "PRAGMA wal_checkpoint(TRUNCATE)"} {
		if err := s.submit(ctx, &write{alone: statement}); err != nil {
			return fmt.Errorf("the records could not be compacted: %w", err)
		}
	}
	return nil
}

// A Copy is a copy of the records that was made before an upgrade. What was forgotten since
// is still in it, until it is removed.
type Copy struct {
	File    string
	Expires time.Time
}

// keptCopies is how long copies that were made before an upgrade are kept.
const keptCopies = 30 * 24 * time.Hour

// Copies returns the copies of the records at a path.
func Copies(path string) (list []Copy, err error) {
	files, err := filepath.Glob(path + ".before-*")
	if err != nil {
		return nil, err
	}
	for _, file := range files {
		info, err := os.Stat(file)
		if err != nil {
			return nil, err
		}
		list = append(list, Copy{file, info.ModTime().Add(keptCopies)})
	}
	return list, nil
}
