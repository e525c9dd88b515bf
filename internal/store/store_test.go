package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/pressly/goose/v3"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/knowledge"
)

func openStore(t *testing.T) *Store {
	t.Helper()
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "parrot.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s
}

// receive keeps a customer's text.
func receive(t *testing.T, s *Store, id, text string) (r Received) {
	t.Helper()
	err := s.Write(t.Context(), func(tx *Tx) (err error) {
		r, err = tx.Receive(Incoming{Channel: "text-line", Address: "+447700900150", Bot: "front-desk", ExternalID: id, Author: ByCustomer, Text: text}, "", time.Now())
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestWorkThatFailsSpoilsNoOtherInItsGroup(t *testing.T) {
	s := openStore(t)
	const writers = 100
	odd := errors.New("odd")
	var done sync.WaitGroup
	for i := range writers {
		done.Add(1)
		go func() {
			defer done.Done()
			err := s.Write(t.Context(), func(tx *Tx) error {
				if _, err := tx.PutDocument(Document{Kind: "bot", Name: string(rune('a'+i%26)) + string(rune('a'+i/26)), Text: "x", UpdatedAt: time.Now()}, 0); err != nil {
					return err
				}
				if i%2 == 1 {
					return odd
				}
				return nil
			})
			if (i%2 == 1) != errors.Is(err, odd) {
				t.Errorf("write %d: %v", i, err)
			}
		}()
	}
	done.Wait()
	kept, err := s.Documents(t.Context(), "bot")
	if err != nil || len(kept) != writers/2 {
		t.Errorf("%d of %d documents are kept (%v)", len(kept), writers/2, err)
	}
}

func TestAMessageIsReceivedOnce(t *testing.T) {
	s := openStore(t)
	first, second, again := receive(t, s, "1", "hello"), receive(t, s, "2", "are you there?"), receive(t, s, "1", "hello")
	if first.Repeat || second.Repeat || !again.Repeat || again.MessageID != first.MessageID || second.ConversationID != first.ConversationID {
		t.Errorf("received %+v, %+v and %+v", first, second, again)
	}
	messages, err := s.Messages(t.Context(), first.ConversationID, 0, 10)
	if err != nil || len(messages) != 2 || messages[1].Position != 2 {
		t.Errorf("kept %+v (%v)", messages, err)
	}
}

// A decision that was made before a message came, or before a person took the
// conversation, is not kept.
func TestADecisionThatIsOutOfDateChangesNothing(t *testing.T) {
	s := openStore(t)
	ctx := t.Context()
	received := receive(t, s, "1", "hello")
	commit := func(c Conversation) (kept bool) {
		t.Helper()
		err := s.Write(ctx, func(tx *Tx) (err error) {
			kept, err = tx.CommitTurn(Commit{
				Turn:    Turn{ID: NewID(), ConversationID: c.ID, State: "done", Trace: "{}"},
				Version: c.Version, Incoming: c.Incoming, UpTo: c.Messages, Changes: Changes{Channel: c.Channel, Contact: c.ContactID}, Lead: dialogue.LedByBot, State: "{}",
				Said: []Said{{Message: Message{ConversationID: c.ID, Author: ByBot, Text: "Hello!", State: MessageSent, At: time.Now()}}},
			}, time.Now())
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
		return kept
	}
	before := conversationOf(t, s, received)
	receive(t, s, "2", "are you there?")
	if commit(before) {
		t.Error("a reply that had not heard the second message was kept")
	}
	now := conversationOf(t, s, received)
	if err := s.Write(ctx, func(tx *Tx) error { return tx.Take(now.ID, "Robin", false, "Robin took it", time.Now()) }); err != nil {
		t.Fatal(err)
	}
	if commit(now) {
		t.Error("a reply was kept although Robin leads")
	}
	messages, err := s.Messages(ctx, now.ID, 0, 10)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range messages {
		if m.Author == ByBot || m.TurnID != "" {
			t.Errorf("kept: %+v", m)
		}
	}
}

func conversationOf(t *testing.T, s *Store, r Received) Conversation {
	t.Helper()
	c, err := s.Conversation(t.Context(), r.ConversationID)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestOpeningTellsVersionsApart(t *testing.T) {
	path := filepath.Join(t.TempDir(), "parrot.db")
	s, err := Open(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	received := receive(t, s, "1", "hello")
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if s, err = Open(t.Context(), path); err != nil {
		t.Fatal(err)
	}
	if c := conversationOf(t, s, received); c.Messages != 1 {
		t.Errorf("after opening again: %+v", c)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (999, 1)`); err != nil {
		t.Fatal(err)
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(t.Context(), path); err == nil || !strings.Contains(err.Error(), "newer version") {
		t.Errorf("a newer file was opened: %v", err)
	}
}

func TestReadersCannotWrite(t *testing.T) {
	s := openStore(t)
	if _, err := s.reader.db.ExecContext(context.Background(), `DELETE FROM contact`); err == nil {
		t.Error("a reader could delete contacts")
	}
}

// older makes a file of an older format that holds something, and returns its path.
func older(t *testing.T, format int64, statements ...string) string {
	path := filepath.Join(t.TempDir(), "parrot.db")
	db, err := sql.Open("sqlite", "file:"+path+Pragmas)
	if err != nil {
		t.Fatal(err)
	}
	folder, err := fs.Sub(migrations, "migrations")
	if err != nil {
		t.Fatal(err)
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, folder)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := provider.UpTo(t.Context(), format); err != nil {
		t.Fatal(err)
	}
	for _, statement := range statements {
		if _, err := db.Exec(statement); err != nil {
			t.Fatalf("%v: %s", err, statement)
		}
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	return path
}

// A file of the first format is copied and upgraded; its knowledge is still there.
func TestAnOlderFileIsUpgraded(t *testing.T) {
	path := older(t, 1,
		`INSERT INTO source (id, name, title, hash, bytes, read_at) VALUES ('s', 'fares.md', 'Fares', 'h', 10, 1000)`,
		`INSERT INTO passage (id, source_id, position, trail, question, text) VALUES ('p', 's', 0, '["Fares"]', '', 'A single costs £6.')`)
	s, err := Open(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	var passages []knowledge.Passage
	err = s.AllPassages(t.Context(), "", func(part []knowledge.Passage) { passages = append(passages, part...) })
	if err != nil || len(passages) != 1 || passages[0].Text != "A single costs £6." || passages[0].Source != "fares.md" || passages[0].Title != "Fares" {
		t.Errorf("the passages are %+v, %v", passages, err)
	}
	if copies, err := filepath.Glob(path + ".before-*"); err != nil || len(copies) != 1 {
		t.Errorf("the copies made before are %v, %v", copies, err)
	}
}

// What was encoded of a passage outlives the upgrade that laid it apart, is told from what
// another model made, and goes with the passage.
func TestTokensLieBesideTheirPassage(t *testing.T) {
	s, err := Open(t.Context(), older(t, 5,
		`INSERT INTO source (id, name, title, hash, bytes, read_at, kind, address) VALUES ('s', 'fares.md', 'Fares', 'h', 10, 1000, 'file', '')`,
		`INSERT INTO page (id, source_id, address, title, hash, read_at) VALUES ('pg', 's', '', 'Fares', 'h', 1000)`,
		`INSERT INTO passage (id, source_id, page_id, position, trail, question, text, model, tokens) VALUES ('p', 's', 'pg', 0, '[]', '', 'A single costs £6.', 'm1', x'0102')`))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	kept := func(model string) []byte {
		tokens, err := s.Tokens(t.Context(), model, []string{"p", "gone"})
		if err != nil {
			t.Fatal(err)
		}
		return tokens["p"]
	}
	if got := kept("m1"); !bytes.Equal(got, []byte{1, 2}) {
		t.Errorf("after the upgrade the tokens are %v", got)
	}
	put := func(said string) {
		must(t, s, func(tx *Tx) error {
			return tx.PutViews("m2", []knowledge.Passage{{ID: "p", SourceID: "s", Text: said, Tokens: []byte{3}}, {ID: "gone", SourceID: "s", Text: said, Tokens: []byte{4}}})
		})
	}
	put("A single costs £7.")
	if got := kept("m2"); got != nil {
		t.Errorf("of other words the tokens were kept: %v", got)
	}
	put("A single costs £6.")
	if got, before := kept("m2"), kept("m1"); !bytes.Equal(got, []byte{3}) || before != nil {
		t.Errorf("encoded anew, the tokens are %v, and of the model before %v", got, before)
	}
	must(t, s, func(tx *Tx) error { return tx.RemoveSource("s", time.Now()) })
	if got := kept("m2"); got != nil {
		t.Errorf("the passage is gone, and its tokens are %v", got)
	}
}

func TestTrailsAreReadAsTheyWereKept(t *testing.T) {
	for _, trail := range [][]string{nil, {"Fares"}, {"Fares", "Paying, and how"}, {`Say "a","b"`, "x"}, {"", "Ümläut <b>"}, {`back\slash`, `","`}, {"a\nb"}} {
		kept := asJSON(trail)
		if trail == nil {
			kept = "[]"
		}
		got, err := trailOf([]byte(kept))
		if err != nil || !slices.Equal(got, trail) {
			t.Errorf("%q was kept as %s and came back as %q, %v", trail, kept, got, err)
		}
	}
	if _, err := trailOf([]byte(`["torn`)); err == nil {
		t.Error("a torn trail was taken")
	}
}

// Records that were torn are not opened as if they were whole, and what is to be done
// is said; those of a folder with an odd name are.
func TestTornRecordsAreSeen(t *testing.T) {
	for _, name := range []string{"plain", "100% sure?", "a#b", "file:x?mode=memory", "[a]*"} {
		path := filepath.Join(t.TempDir(), name, "parrot.db")
		if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
			t.Fatal(err)
		}
		s, err := Open(t.Context(), path)
		if err != nil {
			t.Fatalf("%q: %v", name, err)
		}
		for i := range 20 {
			must(t, s, func(tx *Tx) error {
				_, err := tx.PutDocument(Document{Kind: "bot", Name: fmt.Sprint(i), Text: strings.Repeat("boats ", 5_000), UpdatedAt: time.Now()}, 0)
				return err
			})
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
		content, err := os.ReadFile(path) // where it was to be, whatever its name means in an address
		if err != nil {
			t.Fatalf("%q: %v", name, err)
		}
		for i := len(content) / 2; i < len(content)/2+20_000; i++ {
			content[i] = 0x5a
		}
		if err := os.WriteFile(path, content, 0o600); err != nil {
			t.Fatal(err)
		}
		if s, err = Open(t.Context(), path); !errors.Is(err, ErrDamaged) || !strings.Contains(err.Error(), "put a backup") {
			t.Errorf("%q: torn records: %v", name, err)
		}
		if s != nil {
			_ = s.Close()
		}
	}
}

// A disk that is full is told of until something can be kept again.
func TestTroubleIsToldWhileItLasts(t *testing.T) {
	s := openStore(t)
	if s.Trouble() != "" {
		t.Fatalf("at first: %s", s.Trouble())
	}
	pages := func(n int) {
		must(t, s, func(tx *Tx) error {
			var set int
			return tx.row(fmt.Sprintf("PRAGMA max_page_count = %d", n), nil, &set)
		})
	}
	pages(1)
	err := s.Write(t.Context(), func(tx *Tx) error {
		_, err := tx.PutDocument(Document{Kind: "bot", Name: "a", Text: strings.Repeat("boats ", 50_000), UpdatedAt: time.Now()}, 0)
		return err
	})
	if err == nil || !strings.Contains(s.Trouble(), "disk is full") {
		t.Errorf("full: %v, told is %q", err, s.Trouble())
	}
	if err := s.Write(t.Context(), func(*Tx) error { return errors.New("of its own") }); err == nil || !strings.Contains(s.Trouble(), "disk is full") {
		t.Errorf("another failure ends it: %q", s.Trouble())
	}
	pages(1 << 30)
	if err := s.Probe(t.Context(), time.Now()); err != nil || s.Trouble() != "" {
		t.Errorf("over: %v, told is %q", err, s.Trouble())
	}
}

// Work that panics is rolled back alone.
func TestWorkThatPanicsIsRolledBack(t *testing.T) {
	s := openStore(t)
	err := s.Write(t.Context(), func(tx *Tx) error {
		if _, err := tx.PutDocument(Document{Kind: "bot", Name: "half", Text: "x", UpdatedAt: time.Now()}, 0); err != nil {
			return err
		}
		panic("out of order")
	})
	if err == nil || !strings.Contains(err.Error(), "out of order") {
		t.Errorf("it says %v", err)
	}
	must(t, s, func(tx *Tx) error {
		_, err := tx.PutDocument(Document{Kind: "bot", Name: "whole", Text: "x", UpdatedAt: time.Now()}, 0)
		return err
	})
	if list, err := s.Documents(t.Context(), "bot"); err != nil || len(list) != 1 || list[0].Name != "whole" {
		t.Errorf("kept are %+v, %v", list, err)
	}
}
