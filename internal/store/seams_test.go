package store

import (
	"database/sql"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/dialogue"
)

// must runs work in a transaction.
func must(t *testing.T, s *Store, work func(*Tx) error) {
	t.Helper()
	if err := s.Write(t.Context(), work); err != nil {
		t.Fatal(err)
	}
}

// A file of the format before the seams is upgraded with everything that it holds;
// what its tables listed is free now.
func TestTheUpgradeKeepsEveryRow(t *testing.T) {
	path := older(t, 2,
		`INSERT INTO document VALUES ('bot', 'front-desk', 'bot: front-desk', 3, 1)`,
		`INSERT INTO access VALUES ('h', 'token', 'Robin', 'owner', 1, NULL)`,
		`INSERT INTO source (id, name, title, hash, bytes, read_at, kind, address, every, next_at) VALUES ('s', 'site', 'Site', 'h', 10, 1000, 'site', 'https://www.example.org', 60000, 5000)`,
		`INSERT INTO page (id, source_id, address, title, hash, read_at) VALUES ('pg', 's', '/', 'P', 'h', 1000)`,
		`INSERT INTO passage (id, source_id, page_id, position, trail, question, text) VALUES ('p', 's', 'pg', 0, '[]', '', 'A single costs £6.')`,
		`INSERT INTO contact VALUES ('ct', 1)`, `INSERT INTO handle VALUES ('text-line', '+447700900150', 'ct')`,
		`INSERT INTO fact (contact_id, detail, value, verified, message_id, learnt_at) VALUES ('ct', 'email', 'ada@example.org', 0, 'm1', 1), ('ct', 'name', 'Ada', 1, 'm1', 1)`,
		`INSERT INTO conversation (id, channel, address, contact_id, bot, lead, summary, messages, incoming, opened_at, updated_at) VALUES ('c', 'text-line', '+447700900150', 'ct', 'front-desk', 'bot',
			'{"asked":null,"open":["x"],"mood":"calm","details":["email: ada@example.org"],"last_said":"x"}', 5, 1, 1, 1)`,
		`INSERT INTO turn (id, conversation_id, state, trace, at) VALUES ('t1', 'c', 'done', '{"decision":"answered in part","why":"w"}', 1), ('t2', 'c', 'done', '{"decision":"not known","why":"w"}', 1)`,
		`INSERT INTO message (id, conversation_id, position, author, text, channel, external_id, turn_id, at) VALUES
			('m1', 'c', 1, 'customer', 'hello', 'text-line', 'e1', 't1', 1), ('m2', 'c', 2, 'bot', 'sent', 'text-line', NULL, 't1', 1), ('m3', 'c', 3, 'bot', 'on its way', 'text-line', NULL, 't1', 1),
			('m4', 'c', 4, 'bot', 'called off', 'text-line', NULL, 't1', 1), ('m5', 'c', 5, 'event', 'x happened', 'text-line', NULL, NULL, 1)`,
		`INSERT INTO effect (id, kind, lane, conversation_id, turn_id, by_bot, body, state, next_at, created_at) VALUES
			('m2', 'send', 'l', 'c', 't1', 1, '{"channel":"text-line","message":{"id":"","address":"+447700900150","text":"sent","answers":[]}}', 'done', 1, 1),
			('m3', 'send', 'l', 'c', 't1', 1, '{"channel":"text-line","message":{"id":"","address":"+447700900150","text":"on its way","answers":[]}}', 'pending', 1, 1),
			('m4', 'send', 'l', 'c', 't1', 1, '{}', 'cancelled', 1, 1),
			('y', 'sync', 'l', 'c', 't1', 1, '{"connection":"crm","details":{"email":"ada@example.org"}}', 'pending', 1, 1)`,
		`INSERT INTO sheet_row VALUES ('enquiries', 'ct', '{"Name":"Ada"}', 1, 1)`,
		`INSERT INTO gap (id, question, first_at, last_at) VALUES ('g', 'do you sail at night?', 1, 1)`)
	db, err := sql.Open("sqlite", "file:"+path+Pragmas)
	if err != nil {
		t.Fatal(err)
	}
	tables := []string{"document", "access", "source", "page", "passage", "contact", "handle", "fact", "conversation", "turn", "message", "effect", "sheet_row", "gap"}
	before := map[string]int{}
	for _, table := range tables {
		var n int
		if err := db.QueryRow("SELECT count(*) FROM " + table).Scan(&n); err != nil {
			t.Fatal(err)
		}
		before[table] = n
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	s, err := Open(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, table := range tables {
		var n int
		if err := s.reader.row(t.Context(), "SELECT count(*) FROM "+table, nil, &n); err != nil || n != before[table] {
			t.Errorf("%s has %d rows, had %d (%v)", table, n, before[table], err)
		}
	}
	c, memory, err := s.ConversationWithMemory(t.Context(), "c")
	if err != nil || memory["email"].Value != "ada@example.org" || memory["email"].Verified || !memory["name"].Verified || !strings.Contains(c.Summary, `"memory":["email: ada@example.org"]`) {
		t.Errorf("the conversation is %+v with %+v, %v", c, memory, err)
	}
	for id, want := range map[string]MessageState{"m1": MessageReceived, "m2": MessageSent, "m3": MessageMade, "m4": MessageWithdrawn, "m5": ""} {
		m, err := s.Message(t.Context(), id)
		if err != nil || m.State != want || (m.Shown != "") != slices.Contains([]string{"m1", "m2", "m3"}, id) || m.Parts[0].Text != m.Text {
			t.Errorf("message %s is %+v, %v; want it %s", id, m, err, want)
		}
	}
	turn, err := s.Turn(t.Context(), "t1")
	if err != nil || turn.Code != dialogue.CodeAnsweredInPart || strings.Contains(turn.Trace, "decision") {
		t.Errorf("the turn is %+v, %v", turn, err)
	}
	pending, err := s.Effects(t.Context(), "pending", 10)
	if err != nil || len(pending) != 2 || !pending[0].OfBot || pending[1].OfBot {
		t.Fatalf("effects are %+v, %v", pending, err)
	}
	if !strings.Contains(pending[0].Body, `"parts":[{"kind":"text","text":"on its way"}]`) || !strings.Contains(pending[1].Body, `"facts":{"email"`) {
		t.Errorf("their bodies are %s and %s", pending[0].Body, pending[1].Body)
	}
	due, err := s.DueSources(t.Context(), time.Now())
	if err != nil || len(due) != 1 || due[0].Every != time.Minute {
		t.Errorf("due are %+v, %v", due, err)
	}
	must(t, s, func(tx *Tx) error {
		_, err := tx.PutDocument(Document{Kind: "fax", Name: "main", Text: "fax: main", UpdatedAt: time.Now()}, 0)
		return errors.Join(err, tx.PutEffect(Effect{ID: "z", Kind: "fax", Lane: "l", Body: "{}"}, time.Now()))
	})
	must(t, s, func(tx *Tx) error { return tx.RemoveSource("s", time.Now()) })
	if left, err := s.Passages(t.Context(), "s", ""); err != nil || len(left) != 0 {
		t.Errorf("a removed source leaves %+v, %v", left, err)
	}
	if copies, err := filepath.Glob(path + ".before-*"); err != nil || len(copies) != 1 {
		t.Errorf("the copies made before are %v, %v", copies, err)
	}
}

func TestTimersAndWakesAreTakenOnce(t *testing.T) {
	s := openStore(t)
	r := receive(t, s, "1", "hello")
	commit(t, s, r.ConversationID, dialogue.CodeSmallTalk)
	at := time.UnixMilli(1_800_000_000_000).UTC()
	for i := range 5 {
		must(t, s, func(tx *Tx) error {
			return tx.PutTimer(Timer{ID: fmt.Sprint("t", i), Kind: "wake", Subject: r.ConversationID, Body: "{}", DueAt: at.Add(time.Duration(5-i) * time.Second)})
		})
	}
	must(t, s, func(tx *Tx) error { return tx.PutTimer(Timer{ID: "t0", Kind: "look", Subject: "x", DueAt: at}) })
	list, err := s.Timers(t.Context(), 3)
	if err != nil || len(list) != 3 || list[0].ID != "t0" || list[0].Kind != "look" || list[1].ID != "t4" || !list[1].DueAt.Equal(at.Add(time.Second)) {
		t.Fatalf("due next are %+v, %v", list, err)
	}
	for i, want := range []bool{true, false} {
		must(t, s, func(tx *Tx) error {
			taken, err := tx.TakeTimer(list[0])
			if taken != want {
				t.Errorf("take %d: %v", i, taken)
			}
			return err
		})
	}
	moved := list[1]
	must(t, s, func(tx *Tx) error {
		return tx.PutTimer(Timer{ID: moved.ID, Kind: "wake", Subject: "x", DueAt: at.Add(time.Hour)})
	})
	must(t, s, func(tx *Tx) error {
		if taken, _ := tx.TakeTimer(moved); taken {
			t.Error("a timer that was set anew was taken at its old time")
		}
		return nil
	})

	before := conversationOf(t, s, r)
	must(t, s, func(tx *Tx) error {
		return errors.Join(tx.Wake(r.ConversationID, string(dialogue.ByTimer), `{"a":1}`), tx.Wake(r.ConversationID, string(dialogue.ByEvent), ""))
	})
	wakes, err := s.Wakes(t.Context(), r.ConversationID)
	if err != nil || len(wakes) != 2 || wakes[0].Body != `{"a":1}` || wakes[0].Position != before.Messages {
		t.Errorf("wakes are %+v, %v", wakes, err)
	}
	if ids, err := s.Undecided(t.Context()); err != nil || !slices.Equal(ids, []string{r.ConversationID}) {
		t.Errorf("undecided are %v, %v", ids, err)
	}
	// A decision that has not heard of the wake is thrown away; one that has ends it.
	kept := true
	must(t, s, func(tx *Tx) (err error) {
		kept, err = tx.CommitTurn(Commit{Turn: Turn{ID: NewID(), ConversationID: r.ConversationID, State: "done", Trace: "{}"}, Version: before.Version, Incoming: before.Incoming, Lead: "bot", State: "{}"}, at)
		return err
	})
	if kept {
		t.Error("a decision that had not heard of the wake was kept")
	}
	c, _, err := s.ConversationWithMemory(t.Context(), r.ConversationID)
	if err != nil || c.Woken != 2 {
		t.Errorf("woken %d times, %v", c.Woken, err)
	}
	must(t, s, func(tx *Tx) (err error) {
		kept, err = tx.CommitTurn(Commit{Turn: Turn{ID: NewID(), ConversationID: r.ConversationID, State: "done", Trace: "{}"}, Version: c.Version, Incoming: c.Incoming, UpTo: c.Messages, Woken: true, Lead: "bot", State: "{}"}, at)
		return err
	})
	if ids, err := s.Undecided(t.Context()); !kept || err != nil || len(ids) != 0 {
		t.Errorf("kept %v; undecided are %v, %v", kept, ids, err)
	}
}

// Whoever reads events on from the last one they saw misses none and sees none
// twice, although many write at once.
func TestEventsAreReadOnWithoutGaps(t *testing.T) {
	s := openStore(t)
	const writers, each = 8, 20
	done := make(chan error, writers)
	for w := range writers {
		go func() {
			var err error
			for i := range each {
				err = errors.Join(err, s.Write(t.Context(), func(tx *Tx) error {
					_, err := tx.PutDocument(Document{Kind: "bot", Name: fmt.Sprintf("b-%d", w), Text: fmt.Sprint(i), UpdatedAt: time.Now()}, 0)
					return err
				}))
			}
			done <- err
		}()
	}
	var last int64
	seen := 0
	for finished := 0; finished < writers || seen < writers*each; {
		list, err := s.EventsAfter(t.Context(), last, 7)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range list {
			if e.Seq != last+1 || e.Type != "document.changed" {
				t.Fatalf("after %d came %+v", last, e)
			}
			last = e.Seq
			seen++
		}
		select {
		case err := <-done:
			if err != nil {
				t.Fatal(err)
			}
			finished++
		default:
		}
	}
	if at, err := s.LastEvent(t.Context()); err != nil || at != last || seen != writers*each {
		t.Errorf("%d events, the last is %d of %d, %v", seen, last, at, err)
	}
	must(t, s, func(tx *Tx) error { return tx.SweepEvents(time.Now().Add(time.Hour)) })
	if list, err := s.EventsAfter(t.Context(), 0, 10); err != nil || len(list) != 0 {
		t.Errorf("swept, there are %+v, %v", list, err)
	}
}

func TestRequestsAndAccessesAreUsedOnce(t *testing.T) {
	s := openStore(t)
	now := time.Now()
	for i, want := range []bool{true, false} {
		must(t, s, func(tx *Tx) error {
			fresh, err := tx.PutRequest("reply 1", "m1", now)
			if fresh != want {
				t.Errorf("put %d: %v", i, fresh)
			}
			return err
		})
	}
	if body, err := s.Request(t.Context(), "reply 1"); err != nil || body != "m1" {
		t.Errorf("it was answered with %q, %v", body, err)
	}
	must(t, s, func(tx *Tx) error {
		return errors.Join(tx.PutAccess(Access{Hash: "a", Kind: Link, Label: "Robin", ExpiresAt: now.Add(time.Hour)}), tx.PutAccess(Access{Hash: "b", Kind: Token, Label: "Robin", CreatedAt: now}))
	})
	if a, err := s.Access(t.Context(), "a", now); err != nil || a.Kind != Link || a.Label != "Robin" {
		t.Errorf("the access is %+v, %v", a, err)
	}
	if _, err := s.Access(t.Context(), "a", now.Add(2*time.Hour)); !errors.Is(err, ErrNotFound) {
		t.Errorf("an access that has expired lets in: %v", err)
	}
	for i, want := range []bool{true, false} {
		must(t, s, func(tx *Tx) error {
			was, err := tx.RemoveAccess("a")
			if was != want {
				t.Errorf("removal %d: %v", i, was)
			}
			return err
		})
	}
	must(t, s, func(tx *Tx) error { return tx.SweepAccess(now.Add(1000 * time.Hour)) })
	if _, err := s.Access(t.Context(), "b", now.Add(1000*time.Hour)); err != nil {
		t.Errorf("a token without an end is gone: %v", err)
	}
}

// Work that comes while the store closes is done, or told that it was not.
func TestWhatIsKeptWhileTheStoreCloses(t *testing.T) {
	path := filepath.Join(t.TempDir(), "parrot.db")
	s, err := Open(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	const writers = 50
	kept := make(chan string, writers*100)
	ended := make(chan bool, writers)
	for w := range writers {
		go func() {
			defer func() { ended <- true }()
			for i := 0; ; i++ {
				name := fmt.Sprintf("d-%d-%d", w, i)
				err := s.Write(t.Context(), func(tx *Tx) error {
					_, err := tx.PutDocument(Document{Kind: "bot", Name: name, Text: "x", UpdatedAt: time.Now()}, 0)
					return err
				})
				if errors.Is(err, ErrClosed) {
					return
				}
				if err != nil {
					t.Error(err)
					return
				}
				kept <- name
			}
		}()
	}
	for range 200 {
		<-kept
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	for range writers {
		<-ended
	}
	close(kept)
	if s, err = Open(t.Context(), path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	list, err := s.Documents(t.Context(), "bot")
	if err != nil {
		t.Fatal(err)
	}
	there := map[string]bool{}
	for _, d := range list {
		there[d.Name] = true
	}
	for name := range kept {
		if !there[name] {
			t.Errorf("%s was acknowledged and is gone", name)
		}
	}
}
