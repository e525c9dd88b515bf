package store

import (
	"errors"
	"fmt"
	"slices"
	"testing"
	"time"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
)

// commit keeps a turn of a conversation that says texts.
func commit(t *testing.T, s *Store, id string, code dialogue.Code, said ...Said) Commit {
	t.Helper()
	c, err := s.Conversation(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	turn := Commit{
		Turn:    Turn{ID: NewID(), ConversationID: id, State: "done", Code: code, Trace: fmt.Sprintf(`{"code":%q}`, code)},
		Version: c.Version, Incoming: c.Incoming, UpTo: c.Messages, Changes: Changes{Channel: c.Channel, Contact: c.ContactID}, Lead: dialogue.LedByBot, State: "{}", Said: said,
	}
	kept := false
	must(t, s, func(tx *Tx) (err error) {
		kept, err = tx.CommitTurn(turn, time.Now())
		return err
	})
	if !kept {
		t.Fatal("the turn was not kept")
	}
	return turn
}

func says(state MessageState, parts ...message.Part) Said {
	return Said{Message: Message{Author: ByBot, Name: "Pip", Parts: parts, Text: message.Plain(parts), State: state}}
}

func TestATurnMaySaySeveralThings(t *testing.T) {
	s := openStore(t)
	r := receive(t, s, "1", "hello")
	send := Effect{Kind: "send", Lane: "send/x", ConversationID: r.ConversationID, Body: "{}"}
	second := says(MessageMade, message.Part{Kind: message.Text, Text: "One."}, message.Part{Kind: message.Text, Text: "Two."})
	second.Send = &send
	turn := commit(t, s, r.ConversationID, dialogue.CodeAnswered, says(MessageSent, message.Of("Hello!")...), second, says(MessageHeld, message.Of("Later.")...))
	list, err := s.Messages(t.Context(), r.ConversationID, 0, 10)
	if err != nil || len(list) != 4 {
		t.Fatalf("kept are %+v, %v", list, err)
	}
	for i, want := range []string{"received: hello", "sent: Hello!", "made: One.\n\nTwo.", "held: Later."} {
		if got := string(list[i].State) + ": " + list[i].Text; got != want || list[i].Position != i+1 {
			t.Errorf("message %d is %q at %d, want %q", i+1, got, list[i].Position, want)
		}
	}
	if len(list[2].Parts) != 2 || list[2].Parts[1].Text != "Two." || len(list[1].Parts) != 1 {
		t.Errorf("parts are %+v and %+v", list[1].Parts, list[2].Parts)
	}
	if effects, err := s.Effects(t.Context(), "pending", 10); err != nil || len(effects) != 1 || effects[0].ID != list[2].ID {
		t.Errorf("the effect is %+v, %v; it should have the id %s", effects, err, list[2].ID)
	}
	seen, err := s.MessagesOfHandle(t.Context(), "text-line", "+447700900150", "", 10)
	if err != nil || len(seen) != 3 || seen[2].Text != "One.\n\nTwo." {
		t.Errorf("the customer sees %+v, %v", seen, err)
	}
	// What is approved is shown after what was shown before.
	last := seen[2].Shown
	must(t, s, func(tx *Tx) error {
		return tx.ApproveHeld(list[3].ID, "", "Robin", "approved", Unchanged, nil, time.Now())
	})
	if seen, err = s.MessagesOfHandle(t.Context(), "text-line", "+447700900150", last, 10); err != nil || len(seen) != 1 || seen[0].ID != list[3].ID || seen[0].State != MessageSent {
		t.Errorf("after %s the customer sees %+v, %v", last, seen, err)
	}
	if got, err := s.Turn(t.Context(), turn.Turn.ID); err != nil || got.Code != dialogue.CodeAnswered {
		t.Errorf("the turn is %+v, %v", got, err)
	}
}

func TestAHeldMessageIsJudgedOnce(t *testing.T) {
	s := openStore(t)
	r := receive(t, s, "1", "hello")
	commit(t, s, r.ConversationID, dialogue.CodeAnswered, says(MessageHeld, message.Of("Hello!")...), says(MessageHeld, message.Of("How are you?")...))
	list, err := s.Messages(t.Context(), r.ConversationID, 0, 10)
	if err != nil {
		t.Fatal(err)
	}
	one, two := list[1].ID, list[2].ID
	c := conversationOf(t, s, r)
	if c.Reason != bot.Held || c.WaitingSince.IsZero() || c.Preview != "hello" {
		t.Errorf("while two are held it stands at %+v", c)
	}
	must(t, s, func(tx *Tx) error {
		return tx.ApproveHeld(one, "Hi!", "Robin", "Robin changed it", Worded, nil, time.Now())
	})
	if c = conversationOf(t, s, r); c.WaitingSince.IsZero() || c.Preview != "Hi!" {
		t.Errorf("while one is held it stands at %+v", c)
	}
	for what, act := range map[string]func(tx *Tx) error{
		"approved again": func(tx *Tx) error { return tx.ApproveHeld(one, "", "Robin", "", Unchanged, nil, time.Now()) },
		"rejected after": func(tx *Tx) error { return tx.RejectHeld(one, "", "Robin", "", time.Now()) },
	} {
		if err := s.Write(t.Context(), act); !errors.Is(err, ErrNotHeld) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := s.Write(t.Context(), func(tx *Tx) error { return tx.ApproveHeld("nothing", "", "Robin", "", Unchanged, nil, time.Now()) }); !errors.Is(err, ErrNotFound) {
		t.Errorf("nothing was approved: %v", err)
	}
	must(t, s, func(tx *Tx) error { return tx.RejectHeld(two, "it is rude", "Robin", "Robin rejected it", time.Now()) })
	if c = conversationOf(t, s, r); c.Lead != dialogue.Waiting || c.WaitingSince.IsZero() {
		t.Errorf("after the rejection it stands at %+v", c)
	}
	must(t, s, func(tx *Tx) error { return tx.Take(r.ConversationID, "Robin", false, "Robin took it", time.Now()) })
	if m, err := s.Message(t.Context(), one); err != nil || m.State != MessageSent {
		t.Errorf("what was approved is %s, %v", m.State, err)
	}
}

func TestTurnsAreCountedByCode(t *testing.T) {
	s := openStore(t)
	for i, code := range []dialogue.Code{dialogue.CodeAnswered, dialogue.CodeAnswered, dialogue.CodeNotKnown} {
		r := receive(t, s, fmt.Sprint(i), "hello")
		commit(t, s, r.ConversationID, code)
	}
	list, err := s.Decisions(t.Context(), time.Now().Add(-time.Hour))
	if err != nil || len(list) != 2 || list[0] != (Decision{dialogue.CodeAnswered, 2}) || list[1] != (Decision{dialogue.CodeNotKnown, 1}) {
		t.Errorf("counted are %+v, %v", list, err)
	}
	if list, err := s.Decisions(t.Context(), time.Now().Add(time.Hour)); err != nil || len(list) != 0 {
		t.Errorf("of the future counted are %+v, %v", list, err)
	}
}

func TestConversationsAreListedAndFound(t *testing.T) {
	s := openStore(t)
	now := time.Now()
	ids := map[string]string{}
	for i, phone := range []string{"+447700900001", "+447700900002", "+447700900003", "+447700900004"} {
		var r Received
		must(t, s, func(tx *Tx) (err error) {
			r, err = tx.Receive(Incoming{
				Channel: "text-line", Address: phone, Bot: "front-desk", ExternalID: fmt.Sprint(i), Author: ByCustomer, Text: "100% _odd_ words " + phone,
				Vouched: &Fact{Fact: contact.Fact{Field: "phone", Value: phone, Verified: true}, VerifiedBy: "text-line", LearntAt: now},
			}, "", now.Add(time.Duration(i)*time.Minute))
			return err
		})
		ids[phone] = r.ConversationID
	}
	wait := func(phone, priority string, since time.Time) {
		must(t, s, func(tx *Tx) error {
			_, err := tx.exec(`UPDATE conversation SET lead = 'waiting', waiting_since = ?, priority = ? WHERE id = ?`, millis(since), priority, ids[phone])
			return err
		})
	}
	wait("+447700900002", "normal", now.Add(-30*time.Minute))
	wait("+447700900003", "high", now.Add(-10*time.Minute)) // counts four times
	wait("+447700900004", "normal", now.Add(-20*time.Minute))
	addresses := func(f Filter) (list []string) {
		t.Helper()
		if f.Limit == 0 {
			f.Limit = 10
		}
		found, err := s.Conversations(t.Context(), f, now)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range found {
			list = append(list, c.Address[len(c.Address)-1:])
		}
		return list
	}
	if got := addresses(Filter{Urgent: true}); !slices.Equal(got, []string{"3", "2", "4"}) {
		t.Errorf("the most urgent are %v", got)
	}
	if got := addresses(Filter{}); !slices.Equal(got, []string{"4", "3", "2", "1"}) {
		t.Errorf("all are %v", got)
	}
	if got := addresses(Filter{Leads: []dialogue.Lead{dialogue.LedByBot}}); !slices.Equal(got, []string{"1"}) {
		t.Errorf("led by a bot are %v", got)
	}
	first, err := s.Conversations(t.Context(), Filter{Limit: 2}, now)
	if err != nil {
		t.Fatal(err)
	}
	cursor := first[1].UpdatedAt.Format(time.RFC3339Nano) + " " + first[1].ID
	if got := addresses(Filter{Before: cursor}); !slices.Equal(got, []string{"2", "1"}) {
		t.Errorf("after the first page come %v", got)
	}
	must(t, s, func(tx *Tx) error {
		c, err := s.Conversation(t.Context(), ids["+447700900001"])
		return errors.Join(err, tx.ChangeContact(c.ContactID, ContactChange{Facts: []Fact{{Fact: contact.Fact{Field: "called", Value: "Ada Brill", Verified: true}, LearntAt: now}}}, now))
	})
	for search, want := range map[string][]string{"brill": {"1"}, "100%": {"4", "3", "2", "1"}, "%": {"4", "3", "2", "1"}, "_odd_": {"4", "3", "2", "1"}, "00_": nil, "nothing": nil, "+447700900002": {"2"}} {
		if got := addresses(Filter{Search: search, Name: "called"}); !slices.Equal(got, want) {
			t.Errorf("%q finds %v, want %v", search, got, want)
		}
	}
	named, err := s.Conversations(t.Context(), Filter{Search: "brill", Name: "called", Limit: 1}, now)
	if err != nil || named[0].ContactName != "Ada Brill" {
		t.Errorf("the contact is called %q, %v", named[0].ContactName, err)
	}
	counts, err := s.Counts(t.Context(), now.Add(-time.Hour))
	if err != nil || counts.Waiting != 3 || counts.Today != 4 || counts.ByLead[dialogue.LedByBot] != 1 {
		t.Errorf("counted are %+v, %v", counts, err)
	}
}
