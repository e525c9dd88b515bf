package engine

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

func TestAMessageIsAnsweredFromTheKnowledge(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "what does a bicycle cost?")
	contains(t, s.answered(1)[0], "£2.50")
	c := s.conversation(id)
	if c.Lead != dialogue.LedByBot || c.Bot != "front-desk" || c.Incoming != 1 || c.Messages != 2 {
		t.Errorf("the conversation stands at %+v", c)
	}
	turn, err := s.Store().Turn(t.Context(), s.messages(id)[0].TurnID)
	s.must(err)
	if turn.Code != dialogue.CodeAnswered || turn.State != "done" || !strings.Contains(turn.Trace, "boats.md") {
		t.Errorf("the turn came to %s, %s: %s", turn.Code, turn.State, turn.Trace)
	}
	// A repeat changes nothing.
	if s.rings("+447700900150", "1", "what does a bicycle cost?"); len(s.messages(id)) != 2 {
		t.Errorf("a repeat was kept: %q", s.lines(id))
	}
}

// Messages that follow closely make one turn, once the pause is over.
func TestAPauseCollectsWhatFollowsClosely(t *testing.T) {
	s := openStage(t)
	s.put("channel", "channel: bell\nkind: bell\nbot: front-desk\ntone: high\npause: 5s\n")
	id := s.rings("+447700900150", "1", "is there food on board?")
	timer := func() bool {
		list, err := s.Store().Timers(t.Context(), 10)
		return err == nil && len(list) == 1 && list[0].Kind == "look" && list[0].Subject == id
	}
	s.until("the pause is kept as a timer", timer)
	s.clock.Walk(4 * time.Second)
	s.rings("+447700900150", "2", "and what does a bicycle cost?")
	s.until("the pause begins anew", func() bool {
		list, err := s.Store().Timers(t.Context(), 10)
		return err == nil && len(list) == 1 && list[0].DueAt.Equal(s.clock.Now().Add(5*time.Second))
	})
	if len(s.sent()) > 0 {
		t.Fatalf("answered before the pause was over: %q", s.sent())
	}
	s.clock.Walk(5 * time.Second)
	contains(t, s.answered(1)[0], "soup", "£2.50")
	if m := s.bell.Sent()[0]; fmt.Sprint(m.Answers) != "[1 2]" {
		t.Errorf("it answers %v", m.Answers)
	}
	// A pause that was not over when the process ended goes on after it.
	s.rings("+447700900151", "3", "do dogs travel free?")
	s.until("the pause is kept", func() bool {
		list, err := s.Store().Timers(t.Context(), 10)
		return err == nil && len(list) == 1
	})
	s = s.again()
	s.walking("it is answered", func() bool { return len(s.sent()) == 2 })
}

// A tool that a turn waits for wakes it; the time of its call covers its tries.
func TestAToolIsTriedAndOwnedUpTo(t *testing.T) {
	s := openStage(t)
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"high": "14:20"}`) })
	s.rings("+447700900150", "1", "When is high water today?")
	contains(t, s.answered(1)[0], "High water is at 14:20.")

	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "down", http.StatusBadGateway) })
	s.rings("+447700900151", "2", "When is high water today?")
	s.pausing("the bot owns up", time.Second, func() bool { return len(s.sent()) == 2 })
	contains(t, s.sent()[1], "The harbour office does not answer.")
	if n := len(s.world.requests()); n != 3 {
		t.Errorf("the tool was asked %d times: %v", n, s.world.requests())
	}
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"low": "02:00"}`) })
	s.rings("+447700900152", "3", "When is high water today?")
	contains(t, s.answered(3)[2], "does not answer") // what does not fit the schema is no answer

	s.put("tool", strings.Replace(documents(s.world.URL)[4][1], "tries: 2\n", "tries: 5\n", 1))
	call := store.Effect{Kind: "call", Body: `{"tool":"tides","arguments":{}}`}
	if took := s.Workspace.effects["call"].Time(s.Workspace, call); took < 150*time.Second {
		t.Errorf("a call may take %s, its tries 150 s", took)
	}
	// What was said while the tool was asked is taken into the same turn.
	hold := make(chan struct{})
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { <-hold; fmt.Fprint(w, `{"high": "14:20"}`) })
	id := s.rings("+447700900153", "4", "When is high water today?")
	s.until("the tool is asked", func() bool { return s.conversation(id).Calling != "" })
	s.rings("+447700900153", "5", "and is there food on board?")
	close(hold)
	contains(t, s.answered(4)[3], "14:20", "soup")
}

// The settings that count are those of the moment; a conversation goes on under
// them.
func TestSettingsMayChangeInTheMiddleOfATurn(t *testing.T) {
	s := openStage(t)
	asked, hold := make(chan struct{}), make(chan struct{})
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { close(asked); <-hold; fmt.Fprint(w, `{"high": "14:20"}`) })
	s.rings("+447700900150", "1", "When is high water today?")
	<-asked
	s.put("tool", strings.Replace(documents(s.world.URL)[4][1], "High water is at {{ result.high }}.", "The tide is in at {{ result.high }}.", 1))
	s.put("bot", strings.Replace(brief, "name: Pip", "name: Polly", 1))
	close(hold)
	contains(t, s.answered(1)[0], "The tide is in at 14:20.")
	if m := s.messages(s.rings("+447700900150", "1", "")); m[1].Name != "Polly" {
		t.Errorf("%s speaks", m[1].Name)
	}
	// A tool that is taken from the bot while it is asked cannot answer any more.
	asked2, hold2 := make(chan struct{}), make(chan struct{})
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) {
		close(asked2)
		<-hold2
		fmt.Fprint(w, `{"high": "15:00"}`)
	})
	s.rings("+447700900151", "2", "When is high water today?")
	<-asked2
	s.put("bot", strings.Replace(brief, "tools: [tides]\n", "", 1))
	close(hold2)
	if text := s.answered(2)[1]; strings.Contains(text, "15:00") {
		t.Errorf("a tool that the bot may not use any more answered: %q", text)
	}
}

func TestATurnIsWokenByATimerAndByAHandBack(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "is there food on board?")
	s.answered(1)
	s.settled(id)
	before := s.conversation(id).Version
	s.must(s.Timers.Wake(t.Context(), id, "reminder", `{"about":"the boat"}`, s.clock.Now().Add(time.Hour)))
	s.must(s.Timers.Wake(t.Context(), id, "reminder", `{"about":"the boat"}`, s.clock.Now().Add(2*time.Hour))) // in its place
	s.clock.Walk(time.Hour)
	if list, err := s.Store().Timers(t.Context(), 10); err != nil || len(list) != 1 {
		t.Fatalf("the timers are %+v, %v", list, err)
	}
	// It survives a restart, and what is late happens once.
	s.close()
	s.clock.Walk(5 * time.Hour)
	s = openStageIn(t, s.folder, s.clock, s.bell, s.world)
	s.until("a turn was woken", func() bool { return s.conversation(id).Version == before+1 })
	s.settled(id)
	s.clock.Walk(24 * time.Hour)
	if v := s.conversation(id).Version; v != before+1 {
		t.Errorf("it was woken %d times", v-before)
	}
	if len(s.sent()) != 1 {
		t.Errorf("a turn in which nothing was said said %q", s.sent())
	}
	if err := s.Timers.set(t.Context(), store.Timer{ID: "x", Kind: "gong"}); err == nil {
		t.Error("a timer that nobody answers to was set")
	}

	// What came while a person led is theirs: handed back, the bot does not answer it.
	s.must(s.Inbox.Take(t.Context(), id, "Robin", false))
	s.rings("+447700900150", "2", "what does a bicycle cost?")
	s.settled(id)
	s.must(s.Inbox.Return(t.Context(), id, "Robin", false))
	s.settled(id)
	s.rings("+447700900150", "3", "do dogs travel free?")
	if texts := s.answered(2); strings.Contains(texts[1], "£2.50") || !strings.Contains(texts[1], "lead") {
		t.Errorf("after the hand-back the bot says %q", texts[1])
	}
	// A conversation that is closed with something undecided leaves nothing behind.
	s.must(s.Inbox.Close(t.Context(), id, "Robin"))
	s.settled(id)
	if undecided, err := s.Store().Undecided(t.Context()); err != nil || len(undecided) != 0 {
		t.Errorf("undecided are %v, %v", undecided, err)
	}
}

// Late timers happen in the order in which they were due.
func TestLateTimersHappenOnceInOrder(t *testing.T) {
	s := openStage(t)
	const many = 200 // more than are looked at together
	ids := make([]string, many)
	for i := range many {
		ids[i] = s.rings(fmt.Sprintf("+44770090%04d", i), fmt.Sprint("m", i), "is there food on board?")
	}
	s.answered(many)
	for _, id := range ids {
		s.settled(id)
	}
	s.must(s.Store().Write(t.Context(), func(tx *store.Tx) error {
		for i := range many {
			due := start.Add(time.Duration(many-i) * time.Minute) // the last one first
			if err := tx.PutTimer(store.Timer{ID: "wake/" + ids[i], Kind: "wake", Subject: ids[i], DueAt: due}); err != nil {
				return err
			}
		}
		return nil
	}))
	s.close()
	s.clock.Walk(24 * time.Hour)
	s = openStageIn(t, s.folder, s.clock, s.bell, s.world)
	for _, id := range ids {
		s.until("each was woken", func() bool { return s.conversation(id).Version == 3 })
	}
	if list, err := s.Store().Timers(t.Context(), 10); err != nil || len(list) != 0 {
		t.Errorf("%d timers are left, %v", len(list), err)
	}
}

func TestAHeldReplyWaitsForAPerson(t *testing.T) {
	s := openStage(t)
	s.put("channel", "channel: bell\nkind: bell\nbot: front-desk\ntone: high\nreplies: hold\n")
	id := s.rings("+447700900150", "1", "what does a bicycle cost?")
	held := func(id string) store.Message {
		t.Helper()
		var found store.Message
		s.until("a reply is held", func() bool {
			for _, m := range s.messages(id) {
				if m.State == store.MessageHeld {
					found = m
				}
			}
			return found.ID != ""
		})
		return found
	}
	m := held(id)
	if c := s.conversation(id); c.WaitingSince.IsZero() || c.Reason != bot.Held || c.Lead != dialogue.LedByBot {
		t.Errorf("the conversation stands at %+v", c)
	}
	if len(s.sent()) != 0 || len(s.effects("pending")) != 0 {
		t.Fatalf("what is held was sent: %q", s.sent())
	}
	if _, err := s.Inbox.Approve(t.Context(), m.ID, "Robin", ""); err != nil {
		t.Fatal(err)
	}
	contains(t, s.answered(1)[0], "£2.50")
	if sent := s.bell.Sent()[0]; fmt.Sprint(sent.Answers) != "[1]" || sent.ID != m.ID {
		t.Errorf("it went out as %+v", sent)
	}
	s.until("it is sent", func() bool { return s.messages(id)[1].State == store.MessageSent })
	if c := s.conversation(id); !c.WaitingSince.IsZero() || c.Reason != "" {
		t.Errorf("after the approval the conversation stands at %+v", c)
	}
	for _, again := range []func() error{
		func() error { _, err := s.Inbox.Approve(t.Context(), m.ID, "Robin", ""); return err },
		func() error { _, err := s.Inbox.Reject(t.Context(), m.ID, "Robin", ""); return err },
	} {
		if err := again(); !errors.Is(err, store.ErrNotHeld) {
			t.Errorf("what is not held could be judged: %v", err)
		}
	}

	// With other words.
	s.rings("+447700900150", "2", "do dogs travel free?")
	m = held(id)
	if got, err := s.Inbox.Approve(t.Context(), m.ID, "Robin", "Yes, they do."); err != nil || got.Text != "Yes, they do." || got.Parts[0].Text != "Yes, they do." {
		t.Fatalf("approved as %+v, %v", got, err)
	}
	if texts := s.answered(2); texts[1] != "Yes, they do." {
		t.Errorf("the customer reads %q", texts[1])
	}

	// Rejected, the customer waits for a person, who is told why.
	s.rings("+447700900150", "3", "is there food on board?")
	m = held(id)
	if _, err := s.Inbox.Reject(t.Context(), m.ID, "Robin", "the counter is shut"); err != nil {
		t.Fatal(err)
	}
	if c := s.conversation(id); c.Lead != dialogue.Waiting || c.WaitingSince.IsZero() {
		t.Errorf("after the rejection the conversation stands at %+v", c)
	}
	contains(t, strings.Join(s.lines(id), "\n"), "bot withdrawn", "Robin rejected the reply: the counter is shut")

	// Whoever takes the conversation withdraws what is held.
	other := s.rings("+447700900151", "4", "is there food on board?")
	m = held(other)
	s.must(s.Inbox.Take(t.Context(), other, "Kim", false))
	if got, err := s.Store().Message(t.Context(), m.ID); err != nil || got.State != store.MessageWithdrawn {
		t.Errorf("after Kim came in the reply is %s, %v", got.State, err)
	}
	if _, err := s.Inbox.Approve(t.Context(), m.ID, "Robin", ""); err == nil {
		t.Error("a reply was approved although Kim leads")
	}
	s.clock.Walk(time.Hour)
	if len(s.sent()) != 2 {
		t.Errorf("sent was %q", s.sent())
	}
}

// A turn whose decision breaks is tried again, and others go on meanwhile.
func TestATurnThatCannotBeKeptIsTriedAgain(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "is there food on board?")
	s.answered(1)
	s.settled(id)
	s.spoil(`UPDATE conversation SET state = '{' WHERE id = ?`, id)
	s.rings("+447700900150", "2", "what does a bicycle cost?")
	s.rings("+447700900151", "3", "do dogs travel free?")
	contains(t, s.answered(2)[1], "lead")
	s.spoil(`UPDATE conversation SET state = '{}' WHERE id = ?`, id)
	s.walking("it is answered in the end", func() bool { return len(s.sent()) == 3 })
	contains(t, s.sent()[2], "£2.50")
}

// Several workspaces in one process have nothing in common.
func TestWorkspacesInOneProcessAreApart(t *testing.T) {
	one, two := openStage(t), openStage(t)
	two.put("bot", strings.Replace(brief, "name: Pip", "name: Polly", 1))
	two.put("settings", "settings: main\ntitle: Other Boats\n")
	one.rings("+447700900150", "same-id", "I'm Ada, ada@example.org. What does a bicycle cost?")
	two.rings("+447700900150", "same-id", "is there food on board?")
	contains(t, one.answered(1)[0], "£2.50")
	contains(t, two.answered(1)[0], "soup")
	contacts, err := two.Store().Contacts(t.Context(), store.ContactFilter{Limit: 10})
	two.must(err)
	for _, f := range contacts[0].Facts {
		if f.Field != "phone" {
			t.Errorf("the other workspace knows %+v", f)
		}
	}
	if one.Documents.Settings().Title != "Brackwater Ferries" || two.Documents.Settings().Title != "Other Boats" {
		t.Error("the settings are mixed up")
	}
	sealed, err := seal(one.key, "outside", "a secret")
	one.must(err)
	if _, err := unseal(two.key, "outside", sealed); err == nil {
		t.Error("one workspace opens the other's secret")
	}
	if _, err := Open(t.Context(), one.folder, Options{}); !errors.Is(err, ErrInUse) {
		t.Errorf("a folder was opened twice: %v", err)
	}
	two.close()
	one.rings("+447700900150", "2", "do dogs travel free?")
	contains(t, one.answered(2)[1], "lead")
}

// A secret is bound to the name that it was kept under, and to the key.
func TestSecretsAreBoundToTheirNames(t *testing.T) {
	s := openStage(t)
	s.must(s.Documents.PutSecret(t.Context(), "outside", "swordfish"))
	outside, _ := find[workspace.Connection](s.config.Load(), "outside")
	if got, err := s.Documents.secret(t.Context(), outside); err != nil || got != "swordfish" {
		t.Errorf("the secret came back as %q, %v", got, err)
	}
	for _, weak := range []string{"whsec_", "whsec_AAAA", "whsec_!"} {
		if err := s.Documents.PutSecret(t.Context(), "outside", weak); !errors.Is(err, ErrBadSecret) {
			t.Errorf("%q: %v", weak, err)
		}
	}
	sealed, _, err := s.Store().Secret(t.Context(), "outside")
	s.must(err)
	if strings.Contains(string(sealed), "swordfish") {
		t.Error("the secret is kept in the clear")
	}
	if _, err := unseal(s.key, "office", sealed); err == nil {
		t.Error("a secret was passed off as another one")
	}
	torn := append([]byte{}, sealed...)
	torn[len(torn)-1] ^= 1
	if _, err := unseal(s.key, "outside", torn); err == nil {
		t.Error("a torn secret was opened")
	}
	if err := s.Documents.PutSecret(t.Context(), "nowhere", "x"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a secret for nothing: %v", err)
	}
	var header string
	s.world.answers(func(w http.ResponseWriter, r *http.Request) {
		header = r.Header.Get("Authorization")
		fmt.Fprint(w, `{"high":"14:20"}`)
	})
	s.rings("+447700900150", "1", "When is high water today?")
	s.answered(1)
	if header != "Bearer swordfish" {
		t.Errorf("the system is sent %q", header)
	}
	// Another address does not get it; the same one again does.
	other := newWorld(t)
	s.put("connection", strings.Replace(documents(s.world.URL)[1][1], s.world.URL, other.URL, 1))
	s.rings("+447700900151", "2", "When is high water today?")
	contains(t, s.answered(2)[1], "does not answer")
	if faults := s.Documents.Unbound(t.Context()); len(other.requests()) != 0 || len(faults) != 1 || !strings.Contains(faults[0], "set the secret again") {
		t.Errorf("the new address was asked %v, and people read %q", other.requests(), faults)
	}
	s.put("connection", documents(s.world.URL)[1][1])
	s.rings("+447700900152", "3", "When is high water today?")
	contains(t, s.answered(3)[2], "14:20")
	s.close()
	s.must(os.WriteFile(s.folder+"/key", []byte("too short"), 0o600))
	if _, err := Open(context.Background(), s.folder, Options{Channels: []channel.Kind{s.bell.Kind()}}); err == nil || !strings.Contains(err.Error(), "32") {
		t.Errorf("with a wrong key file: %v", err)
	}
}
