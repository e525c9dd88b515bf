package store

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/internal/core/knowledge"
)

// SourceKind says where a source comes from.
type SourceKind string

// The kinds of sources.
const (
	FromFile SourceKind = "file" // uploaded; its content lies in the folder files
	FromText SourceKind = "text" // typed; likewise
	FromPage SourceKind = "page" // one web page
	FromSite SourceKind = "site" // a website, followed within its prefix
)

// A Source is where passages come from.
type Source struct {
	ID, Name, Title, Hash string
	Kind                  SourceKind
	Address               string // page, site: where it begins
	Options               SourceOptions
	Every                 time.Duration // between readings; 0: by hand
	Bytes                 int
	Passages, Pages       int
	Waiting               int       // passages whose meaning is not known yet
	ReadAt                time.Time // last successful reading; zero: none yet
	TriedAt               time.Time
	NextAt                time.Time // zero: by hand
	From, Until           time.Time // holds within; zero: no bound
	Error                 string    // why the last reading failed, "" if it did not
}

// SourceOptions say how a source is read.
type SourceOptions struct {
	Prefix string `json:"prefix,omitempty"` // site: addresses that begin so are followed
	Depth  int    `json:"depth,omitempty"`  // site: how many links away from the first page
	Pages  int    `json:"pages,omitempty"`  // site: at most so many
	Pairs  bool   `json:"pairs,omitempty"`  // page: headings that ask become questions with answers
}

// A Page is one document of a source.
type Page struct {
	ID, SourceID, Address, Title, Hash string
	ETag, Modified                     string
	Passages                           int
	ReadAt                             time.Time
	Error, Broke                       string
}

const sourceColumns = `s.id, s.name, s.title, s.hash, s.kind, s.address, s.options, s.every, s.bytes, s.read_at, s.tried_at, s.next_at, s.valid_from, s.valid_until, s.error,
	(SELECT count(*) FROM passage p WHERE p.source_id = s.id), (SELECT count(*) FROM page g WHERE g.source_id = s.id),
	(SELECT count(*) FROM passage p WHERE p.source_id = s.id AND p.model = '')`

func scanSource(scan func(...any) error) (s Source, err error) {
	var read, every int64
	var tried, next, from, until sql.NullInt64
	var options string
	if err = scan(&s.ID, &s.Name, &s.Title, &s.Hash, &s.Kind, &s.Address, &options, &every, &s.Bytes, &read, &tried, &next, &from, &until, &s.Error, &s.Passages, &s.Pages, &s.Waiting); err != nil {
		return s, err
	}
	s.Every = time.Duration(every) * time.Millisecond
	if read > 0 {
		s.ReadAt = fromMillis(read)
	}
	s.TriedAt, s.NextAt, s.From, s.Until = optional(tried), optional(next), optional(from), optional(until)
	return s, json.Unmarshal([]byte(options), &s.Options)
}

// optional is a time that may be missing.
func optional(ms sql.NullInt64) time.Time {
	if !ms.Valid {
		return time.Time{}
	}
	return fromMillis(ms.Int64)
}

// orNull is how a time that may be missing is kept.
func orNull(t time.Time) sql.NullInt64 {
	return sql.NullInt64{Int64: millis(t), Valid: !t.IsZero()}
}

// Sources returns all sources by name.
func (s *Store) Sources(ctx context.Context) (list []Source, err error) {
	return s.sources(ctx, `ORDER BY s.name`)
}

// DueSources returns the sources that are to be read again by a time.
func (s *Store) DueSources(ctx context.Context, by time.Time) ([]Source, error) {
	return s.sources(ctx, `WHERE s.next_at IS NOT NULL AND s.next_at <= ? ORDER BY s.next_at`, millis(by))
}

// Source returns the source with an id or a name, or ErrNotFound.
func (s *Store) Source(ctx context.Context, key string) (Source, error) {
	list, err := s.sources(ctx, `WHERE s.id = ?1 OR s.name = ?1 ORDER BY s.id <> ?1`, key)
	if err == nil && len(list) == 0 {
		return Source{}, ErrNotFound
	}
	if err != nil {
		return Source{}, err
	}
	return list[0], nil
}

func (s *Store) sources(ctx context.Context, rest string, args ...any) (list []Source, err error) {
	err = s.reader.rows(ctx, `SELECT `+sourceColumns+` FROM source s `+rest, args, func(scan func(...any) error) error {
		source, err := scanSource(scan)
		list = append(list, source)
		return err
	})
	return list, err
}

// Originals returns the hashes of the files that sources were read from.
func (s *Store) Originals(ctx context.Context) (map[string]bool, error) {
	hashes := map[string]bool{}
	err := s.reader.rows(ctx, `SELECT hash FROM source WHERE hash <> ''`, nil, func(scan func(...any) error) error {
		var hash string
		err := scan(&hash)
		hashes[hash] = true
		return err
	})
	return hashes, err
}

// Pages returns the pages of a source, by address.
func (s *Store) Pages(ctx context.Context, sourceID string) (list []Page, err error) {
	err = s.reader.rows(ctx, `SELECT g.id, g.source_id, g.address, g.title, g.hash, g.etag, g.modified, g.read_at, g.error, g.broke, (SELECT count(*) FROM passage p WHERE p.page_id = g.id)
		FROM page g WHERE g.source_id = ? ORDER BY g.address`, []any{sourceID}, func(scan func(...any) error) error {
		var p Page
		var at int64
		err := scan(&p.ID, &p.SourceID, &p.Address, &p.Title, &p.Hash, &p.ETag, &p.Modified, &at, &p.Error, &p.Broke, &p.Passages)
		p.ReadAt = fromMillis(at)
		list = append(list, p)
		return err
	})
	return list, err
}

const passageColumns = `p.id, p.page_id, p.trail, p.question, p.text, p.position, p.model, p.views, p.asked FROM passage p`

// Passages returns the passages of a source in order. Vectors that another model
// made are left out.
func (s *Store) Passages(ctx context.Context, sourceID, model string) ([]knowledge.Passage, error) {
	list, err := s.passages(ctx, model, ` WHERE p.source_id = ?`, []any{sourceID}, ` WHERE g.source_id = ?`, sourceID)
	slices.SortFunc(list, func(a, b knowledge.Passage) int {
		return cmp.Or(cmp.Compare(a.Address, b.Address), cmp.Compare(a.Position, b.Position))
	})
	return list, err
}

// AllPassages reads the passages of all sources, in no order. Much is read on two
// connections at once, each of which gives what it read to use.
func (s *Store) AllPassages(ctx context.Context, model string, use func([]knowledge.Passage)) error {
	var last int64
	if err := s.reader.row(ctx, `SELECT coalesce(max(rowid), 0) FROM passage`, nil, &last); err != nil {
		return err
	}
	ends := []int64{0, last}
	if last > muchKnowledge {
		ends = []int64{0, last / 2, last}
	}
	failed := make([]error, len(ends)-1)
	var reading sync.WaitGroup
	for i := range failed {
		reading.Go(func() {
			var part []knowledge.Passage
			if part, failed[i] = s.passages(ctx, model, ` WHERE p.rowid > ? AND p.rowid <= ?`, []any{ends[i], ends[i+1]}, ""); failed[i] == nil {
				use(part)
			}
		})
	}
	reading.Wait()
	return errors.Join(failed...)
}

// muchKnowledge is how many passages are worth reading on two connections.
const muchKnowledge = 4_000

// passages reads the passages that a condition chooses, and before them the pages
// that they may stand on: of what passages of a page share there is one copy.
func (s *Store) passages(ctx context.Context, model, where string, args []any, onPages string, pageArgs ...any) (list []knowledge.Passage, err error) {
	pages := map[string]knowledge.Passage{}
	if err := s.reader.rows(ctx, `SELECT g.id, s.id, s.name, g.title, g.address, g.read_at, s.valid_from, s.valid_until FROM page g JOIN source s ON s.id = g.source_id`+onPages, pageArgs, func(scan func(...any) error) error {
		var id string
		var p knowledge.Passage
		var at int64
		var from, until sql.NullInt64
		err := scan(&id, &p.SourceID, &p.Source, &p.Title, &p.Address, &at, &from, &until)
		p.ReadAt, p.From, p.Until = fromMillis(at), optional(from), optional(until)
		pages[id] = p
		return err
	}); err != nil {
		return nil, err
	}
	err = s.reader.rows(ctx, `SELECT `+passageColumns+where, args, func(scan func(...any) error) error {
		var id, question, words, made string
		var position int
		var page, trail, asked sql.RawBytes
		var views []byte
		if err := scan(&id, &page, &trail, &question, &words, &position, &made, &views, &asked); err != nil {
			return err
		}
		p, known := pages[string(page)]
		if !known {
			return nil // written since the pages were read; whoever wrote it reads again
		}
		p.ID, p.Question, p.Text, p.Position = id, question, words, position
		if made == model {
			p.Views = knowledge.Codes(views)
		}
		var err, failed error
		p.Trail, err = trailOf(trail)
		p.Asked, failed = trailOf(asked)
		err = errors.Join(err, failed)
		list = append(list, p)
		return err
	})
	return list, err
}

// trailOf reads a JSON list of headings. Most hold nothing that is escaped, and are
// only taken apart.
func trailOf(raw []byte) (trail []string, err error) {
	switch {
	case bytes.Equal(raw, []byte("[]")):
		return nil, nil
	case len(raw) > 4 && bytes.HasPrefix(raw, []byte(`["`)) && bytes.HasSuffix(raw, []byte(`"]`)) && bytes.IndexByte(raw, '\\') < 0:
		return strings.Split(string(raw[2:len(raw)-2]), `","`), nil
	}
	err = json.Unmarshal(raw, &trail)
	return trail, err
}

// PassagesWithout returns passages whose vectors a model has not made yet, at
// most limit.
func (s *Store) PassagesWithout(ctx context.Context, model string, limit int) ([]knowledge.Passage, error) {
	return s.passages(ctx, model, ` WHERE p.model <> ? LIMIT ?`, []any{model, limit}, ` WHERE g.id IN (SELECT page_id FROM passage WHERE model <> ? LIMIT ?)`, model, limit)
}

// Tokens returns what was kept of the tokens of passages and house answers, by id, as far
// as a model made them.
func (s *Store) Tokens(ctx context.Context, model string, ids []string) (map[string][]byte, error) {
	kept := make(map[string][]byte, len(ids))
	for _, from := range []string{"passage_id, model, tokens FROM passage_tokens WHERE passage_id", "id, model, tokens FROM house_answer WHERE id"} {
		// The model is compared here: in the query it would tempt SQLite to go through all
		// that it made.
		err := s.reader.rows(ctx, `SELECT `+from+` IN (SELECT value FROM json_each(?))`, []any{asJSON(ids)}, func(scan func(...any) error) error {
			var id, made string
			var tokens []byte
			err := scan(&id, &made, &tokens)
			if made == model && tokens != nil {
				kept[id] = tokens
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return kept, nil
}

// PutViews keeps the vectors of passages, and the tokens. Those of passages that are gone, or say
// something else by now, are dropped.
func (t *Tx) PutViews(model string, passages []knowledge.Passage) error {
	for _, p := range passages {
		if p.SourceID == HouseSource {
			if _, err := t.exec(`UPDATE house_answer SET model = ?, views = ?, tokens = ? WHERE id = ? AND question = ? AND answer = ?`,
				model, knowledge.Joined(p.Views), p.Tokens, p.ID, p.Question, p.Text); err != nil {
				return err
			}
			continue
		}
		n, err := t.exec(`UPDATE passage SET model = ?, views = ? WHERE id = ? AND question = ? AND text = ?`, model, knowledge.Joined(p.Views), p.ID, p.Question, p.Text)
		if err != nil {
			return err
		}
		if n == 0 || p.Tokens == nil {
			continue
		}
		if _, err := t.exec(`INSERT INTO passage_tokens (passage_id, model, tokens) VALUES (?, ?, ?)
			ON CONFLICT (passage_id) DO UPDATE SET model = excluded.model, tokens = excluded.tokens`, p.ID, model, p.Tokens); err != nil {
			return err
		}
	}
	return nil
}

// AddSource keeps a source that is to be read; of one with the same name it keeps
// the id and changes how it is read.
func (t *Tx) AddSource(s Source, now time.Time) (id string, err error) {
	err = t.row(`INSERT INTO source (id, name, title, hash, bytes, read_at, kind, address, options, every, next_at, valid_from, valid_until)
		VALUES (?, ?, ?, '', 0, 0, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (name) DO UPDATE SET kind = excluded.kind, address = excluded.address, options = excluded.options, every = excluded.every,
		next_at = excluded.next_at, valid_from = excluded.valid_from, valid_until = excluded.valid_until
		RETURNING id`,
		[]any{s.ID, s.Name, s.Title, s.Kind, s.Address, asJSON(s.Options), s.Every.Milliseconds(), orNull(s.NextAt), orNull(s.From), orNull(s.Until)}, &id)
	if err != nil {
		return "", err
	}
	return id, t.event("source.changed", id, map[string]any{"source": id, "name": s.Name}, now)
}

// ChangeSource changes when a source is read and holds.
func (t *Tx) ChangeSource(s Source, now time.Time) error {
	n, err := t.exec(`UPDATE source SET every = ?, next_at = ?, valid_from = ?, valid_until = ? WHERE id = ?`,
		s.Every.Milliseconds(), orNull(s.NextAt), orNull(s.From), orNull(s.Until), s.ID)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return t.event("source.changed", s.ID, map[string]any{"source": s.ID, "name": s.Name}, now)
}

// A ReadPage is a page that was read, or could not be.
type ReadPage struct {
	Page
	Unchanged bool // since the last reading: its passages stay
	Passages  []knowledge.Passage
}

// PutReading keeps what a reading of a source came to. Pages that are unchanged,
// or could not be read, keep their passages; with whole, pages that are not
// among them are gone, and lose theirs.
func (t *Tx) PutReading(s Source, pages []ReadPage, whole bool, now time.Time) error {
	n, err := t.exec(`UPDATE source SET title = CASE WHEN ? = '' THEN title ELSE ? END, hash = ?, bytes = ?, read_at = ?, tried_at = ?, next_at = ?, error = ? WHERE id = ?`,
		s.Title, s.Title, s.Hash, s.Bytes, millis(s.ReadAt), millis(now), orNull(s.NextAt), s.Error, s.ID)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	kept := []string{}
	passages := 0
	for _, p := range pages {
		kept = append(kept, p.Address)
		passages += len(p.Passages)
		if err := t.putPage(s.ID, p, now); err != nil {
			return err
		}
	}
	if whole {
		if _, err := t.exec(`DELETE FROM page WHERE source_id = ? AND address NOT IN (SELECT value FROM json_each(?))`, s.ID, asJSON(kept)); err != nil {
			return err
		}
	}
	return t.event("source.read", s.ID, map[string]any{"source": s.ID, "name": s.Name, "passages": passages, "error": s.Error}, now)
}

func (t *Tx) putPage(sourceID string, p ReadPage, now time.Time) error {
	if p.Error != "" || p.Unchanged {
		// A page that was never read is kept too, so that its error is seen.
		_, err := t.exec(`INSERT INTO page (id, source_id, address, title, hash, read_at, error, broke) VALUES (?, ?, ?, ?, '', ?, ?, ?)
			ON CONFLICT (source_id, address) DO UPDATE SET error = excluded.error, broke = excluded.broke`,
			p.ID, sourceID, p.Address, p.Title, millis(now), p.Error, p.Broke)
		return err
	}
	var id string
	if err := t.row(`INSERT INTO page (id, source_id, address, title, hash, etag, modified, read_at, error) VALUES (?, ?, ?, ?, ?, ?, ?, ?, '')
		ON CONFLICT (source_id, address) DO UPDATE SET title = excluded.title, hash = excluded.hash, etag = excluded.etag, modified = excluded.modified, read_at = excluded.read_at, error = '', broke = ''
		RETURNING id`, []any{p.ID, sourceID, p.Address, p.Title, p.Hash, p.ETag, p.Modified, millis(now)}, &id); err != nil {
		return err
	}
	asked, err := t.askedOf(id)
	if err != nil {
		return err
	}
	if _, err := t.exec(`DELETE FROM passage WHERE page_id = ?`, id); err != nil {
		return err
	}
	for i, passage := range p.Passages {
		trail := passage.Trail
		if trail == nil {
			trail = []string{}
		}
		questions, ok := asked[passage.Text]
		if !ok {
			questions = askedOf{List: "[]"}
		}
		if _, err := t.exec(`INSERT INTO passage (id, source_id, page_id, position, trail, question, text, asked, asked_by) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			passage.ID, sourceID, id, i, asJSON(trail), passage.Question, passage.Text, questions.List, questions.By); err != nil {
			return err
		}
	}
	return nil
}

// FailReading notes that a source could not be read; what it had stays.
func (t *Tx) FailReading(s Source, now time.Time) error {
	if _, err := t.exec(`UPDATE source SET error = ?, tried_at = ?, next_at = ? WHERE id = ?`, s.Error, millis(now), orNull(s.NextAt), s.ID); err != nil {
		return err
	}
	return t.event("source.failed", s.ID, map[string]any{"source": s.ID, "name": s.Name, "error": s.Error}, now)
}

// RemoveSource removes a source and its passages, or returns ErrNotFound.
func (t *Tx) RemoveSource(id string, now time.Time) error {
	n, err := t.exec(`DELETE FROM source WHERE id = ?`, id)
	if err != nil {
		return err
	}
	if n == 0 {
		return ErrNotFound
	}
	return t.event("source.removed", id, map[string]any{"source": id}, now)
}
