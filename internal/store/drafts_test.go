package store

import (
	"encoding/json"
	"errors"
	"reflect"
	"testing"
	"time"

	"urgentparrot.example/internal/core/dialogue"
)

// A draft lies beside the document of its name, is replaced by a later one, and is gone once
// the document is kept or removed, whatever else is kept meanwhile.
func TestADraftLiesBesideItsDocument(t *testing.T) {
	s, now := openStore(t), time.Now()
	do := func(work func(tx *Tx) error) error { return s.Write(t.Context(), work) }
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	put := func(kind, name, text string) {
		t.Helper()
		must(do(func(tx *Tx) error {
			_, err := tx.PutDocument(Document{Kind: kind, Name: name, Text: text, UpdatedAt: now}, 0)
			return err
		}))
	}
	draft := func(name, text, by string) {
		t.Helper()
		must(do(func(tx *Tx) error {
			return tx.PutDraft(Document{Kind: "bot", Name: name, Text: text, Author: by, UpdatedAt: now})
		}))
	}
	drafts := func() (texts []string) {
		t.Helper()
		list, err := s.Drafts(t.Context(), "bot")
		must(err)
		for _, d := range list {
			texts = append(texts, d.Name+": "+d.Text+", "+d.Author)
		}
		return texts
	}
	put("bot", "pip", "one")
	draft("pip", "two", "Robin")
	draft("pip", "three", "Kim")
	draft("new", "first", "Kim")
	put("bot", "other", "x")
	put("tool", "pip", "of another kind")
	if got := drafts(); !reflect.DeepEqual(got, []string{"new: first, Kim", "pip: three, Kim"}) {
		t.Errorf("the drafts are %q", got)
	}
	put("bot", "pip", "three")
	if got := drafts(); len(got) != 1 {
		t.Errorf("once it is kept the drafts are %q", got)
	}
	draft("pip", "four", "Kim")
	put("bot", "pip", "three") // as it is already: the draft is over all the same
	must(do(func(tx *Tx) error { return tx.RemoveDraft("bot", "new", now) }))
	draft("other", "y", "Kim")
	must(do(func(tx *Tx) error { return tx.RemoveDocument("bot", "other", now) }))
	if got := drafts(); len(got) != 0 {
		t.Errorf("at the end the drafts are %q", got)
	}
	if err := do(func(tx *Tx) error { return tx.RemoveDraft("bot", "pip", now) }); !errors.Is(err, ErrNotFound) {
		t.Errorf("a draft that is not there is thrown away: %v", err)
	}
}

// In what records hold as JSON a name changes where it stands for the document, and not where
// somebody said it.
func TestNamesChangeInsideRecords(t *testing.T) {
	for _, c := range []struct{ kind, before, after string }{
		{"bot", `{"bot": "tern", "from": ["pip", "tern"], "said": "tern"}`, `{"bot": "gull", "from": ["pip", "gull"], "said": "tern"}`},
		{"bot", `{"body": [{"Bot": "tern", "text": "tern"}], "to": "bot/tern"}`, `{"body": [{"Bot": "gull", "text": "tern"}], "to": "bot/gull"}`},
		{"tool", `{"open": {"tool": "tern", "question": "tern"}, "bot": "tern"}`, `{"open": {"tool": "gull", "question": "tern"}, "bot": "tern"}`},
		{"team", `{"to": "team/tern", "team": "tern-2"}`, `{"to": "team/gull", "team": "tern-2"}`},
		{"channel", `{"channel": "tern", "from": "tern", "n": 12345678901234567890}`, `{"channel": "gull", "from": "tern", "n": 12345678901234567890}`},
		{"sheet", `["tern", {"sheet": ["tern"]}]`, ""},
		{"sheet", `"tern"`, ""},
	} {
		var v any
		if err := json.Unmarshal([]byte(c.before), &v); err != nil {
			t.Fatal(err)
		}
		changed := renameIn(v, c.kind, "tern", "gull")
		if changed != (c.after != "") {
			t.Errorf("%s of a %s: changed is %v", c.before, c.kind, changed)
		}
		var want any
		if c.after == "" {
			c.after = c.before
		}
		if err := json.Unmarshal([]byte(c.after), &want); err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual(v, want) {
			t.Errorf("%s of a %s becomes %v", c.before, c.kind, v)
		}
	}
}

// A renamed document keeps its versions, its draft, and the conversations that name it; a name
// that is taken, or was, is told.
func TestARenamedDocumentKeepsWhatIsIts(t *testing.T) {
	s, now := openStore(t), time.Now()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	r := receive(t, s, "1", "hello")
	must(s.Write(t.Context(), func(tx *Tx) error {
		for _, text := range []string{"one", "two"} {
			if _, err := tx.PutDocument(Document{Kind: "bot", Name: "front-desk", Text: text, UpdatedAt: now}, 0); err != nil {
				return err
			}
		}
		return tx.PutDraft(Document{Kind: "bot", Name: "front-desk", Text: "three", UpdatedAt: now})
	}))
	deciding := conversationOf(t, s, r)
	must(s.Write(t.Context(), func(tx *Tx) error { return tx.RenameDocument("bot", "front-desk", "desk", now) }))
	must(s.Write(t.Context(), func(tx *Tx) error {
		kept, err := tx.CommitTurn(Commit{
			Turn:    Turn{ID: NewID(), ConversationID: deciding.ID, State: "done", Trace: "{}"},
			Version: deciding.Version, Incoming: deciding.Incoming, UpTo: deciding.Messages, Changes: Changes{Channel: deciding.Channel, Contact: deciding.ContactID}, Lead: dialogue.LedByBot, State: `{"bot": "front-desk"}`,
		}, now)
		if kept {
			t.Error("what was decided under the old name is kept")
		}
		return err
	}))
	must(s.Write(t.Context(), func(tx *Tx) error {
		return tx.Rewrite(Document{Kind: "bot", Name: "desk", Text: "One", Version: 1, UpdatedAt: now})
	}))
	must(s.Write(t.Context(), func(tx *Tx) error { return tx.Rewrite(Document{Kind: "bot", Name: "desk", Text: "Three"}) }))
	versions, err := s.Versions(t.Context(), "bot", "desk")
	must(err)
	if len(versions) != 2 || versions[0].Text != "two" || versions[1].Text != "One" {
		t.Errorf("the versions are %+v", versions)
	}
	docs, err := s.Documents(t.Context(), "bot")
	must(err)
	if len(docs) != 1 || docs[0].Name != "desk" || docs[0].Text != "two" || docs[0].Version != 2 {
		t.Errorf("the documents are %+v", docs)
	}
	drafts, err := s.Drafts(t.Context(), "bot")
	must(err)
	if len(drafts) != 1 || drafts[0].Name != "desk" || drafts[0].Text != "Three" {
		t.Errorf("the drafts are %+v", drafts)
	}
	if c := conversationOf(t, s, r); c.Bot != "desk" {
		t.Errorf("the conversation is with %q", c.Bot)
	}
	for name, want := range map[string]bool{"desk": true, "front-desk": false, "nobody": false} {
		if taken, err := s.Taken(t.Context(), "bot", name); err != nil || taken != want {
			t.Errorf("%s is taken: %v, %v", name, taken, err)
		}
	}
	must(s.Write(t.Context(), func(tx *Tx) error { return tx.RemoveDocument("bot", "desk", now) }))
	if taken, _ := s.Taken(t.Context(), "bot", "desk"); !taken {
		t.Error("a name that can be brought back is free")
	}
	if err := s.Write(t.Context(), func(tx *Tx) error { return tx.RenameDocument("bot", "nobody", "x", now) }); !errors.Is(err, ErrNotFound) {
		t.Errorf("what is not there is renamed: %v", err)
	}
}
