package engine

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
)

// However much came in before a turn could be made, each message is read by one.
func TestNoMessageIsMarkedUnread(t *testing.T) {
	s := openStage(t)
	s.put("channel", "channel: bell\nkind: bell\nbot: front-desk\ntone: high\npause: 5s\n")
	const many = 150
	id := ""
	for i := range many {
		id = s.rings("+447700900150", fmt.Sprint("id-", i), "is there food on board?")
	}
	s.walking("all are decided on", func() bool {
		left, err := s.Store().Unheard(t.Context(), id, many)
		return err == nil && len(left) == 0
	})
	s.until("all replies are carried", func() bool { return len(s.effects("pending")) == 0 })
	answered := map[string]int{}
	for _, m := range s.bell.Sent() {
		for _, a := range m.Answers {
			answered[a]++
		}
	}
	for i := range many {
		if n := answered[fmt.Sprint("id-", i)]; n != 1 {
			t.Errorf("message %d was answered %d times", i, n)
		}
	}
}

// A responder that answers every reply at once is stopped, and a person comes in.
func TestALoopIsStopped(t *testing.T) {
	s := openStage(t)
	var n atomic.Int64
	var off atomic.Bool
	s.bell.OnSend = func(ctx context.Context, m channel.Outgoing) error {
		if off.Load() {
			return nil
		}
		_, err := s.bell.Ring(ctx, "bell", m.Address, fmt.Sprint("auto-", n.Add(1)), fmt.Sprintf("is there food on board? (%d)", n.Load()))
		return err
	}
	begun := s.clock.Now()
	id := s.rings("+447700900150", "1", "is there food on board?")
	s.wait("a person comes in", func() bool { return s.conversation(id).Lead == dialogue.Waiting }, func() {
		// The responder takes no time: the clock stands still while it is at work.
		next, ok := s.clock.Next()
		if timers, err := s.Store().Timers(t.Context(), 10); err == nil && ok && len(timers) > 0 && next <= 40*time.Second {
			s.clock.Walk(next)
		}
	})
	s.settled(id)
	if c := s.conversation(id); c.Reason != bot.OnLoop {
		t.Errorf("they come in for %q", c.Reason)
	}
	if sent := len(s.sent()); sent < 8 || sent > 16 || s.clock.Now().Sub(begun) < time.Minute {
		t.Errorf("%d replies in %s", sent, s.clock.Now().Sub(begun))
	}
	sent := len(s.sent())
	s.rings("+447700900150", "again", "is there soup on board?")
	s.settled(id)
	if len(s.sent()) != sent {
		t.Error("the loop goes on")
	}
	// Others are served as ever, and so is the sender once it writes as people do.
	off.Store(true)
	s.rings("+447700900151", "other", "is there food on board?")
	s.answered(sent + 1)
	s.clock.Walk(time.Hour)
	s.rings("+447700900150", "person", "sorry, that was my telephone. what does a bicycle cost?")
	contains(t, s.answered(sent + 2)[sent+1], "£2.50")
}

// A turn that fails again and again by its own fault ends with a person, also when
// the service is started anew meanwhile.
func TestWhatCannotBeDecidedGoesToAPerson(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "is there food on board?")
	s.answered(1)
	s.until("it is settled", func() bool { return len(s.effects("pending")) == 0 })
	s.close()
	s.spoil(`UPDATE conversation SET state = '{"asked": 7}' WHERE id = ?`, id)
	s = s.again()
	s.rings("+447700900150", "2", "what does a bicycle cost?")
	failed := func() int {
		list, err := s.Store().FailedTurns(t.Context())
		s.must(err)
		if len(list) == 0 {
			return 0
		}
		return list[0].Times
	}
	s.walking("it failed a few times", func() bool { return failed() >= 4 })
	if s.conversation(id).Lead != dialogue.LedByBot {
		t.Fatal("given up too early")
	}
	s = s.again()
	s.walking("a person comes in", func() bool { return s.conversation(id).Lead == dialogue.Waiting })
	s.settled(id)
	if c := s.conversation(id); c.Reason != bot.OnFault {
		t.Errorf("they come in for %q", c.Reason)
	}
	contains(t, s.answered(2)[1], "could not deal with your message")
	if n := failed(); n != TurnTries {
		t.Errorf("it was tried %d times", n)
	}
	s.must(s.Inbox.Take(t.Context(), id, "Robin", false))
	if n := failed(); n != 0 {
		t.Error("it is shown as failed although a person has it")
	}
	// Others are not held up.
	s.rings("+447700900151", "3", "what does a bicycle cost?")
	contains(t, s.answered(3)[2], "£2.50")
}

// A place that hangs holds up only what goes there.
func TestOneBadNeighbourSlowsOnlyItself(t *testing.T) {
	s := openStage(t)
	release := make(chan struct{})
	var hanging atomic.Int64
	s.bell.OnSend = func(ctx context.Context, _ channel.Outgoing) error {
		hanging.Add(1)
		select {
		case <-release:
		case <-ctx.Done():
		}
		return ctx.Err()
	}
	for i := range 3 * atOnce {
		s.rings(fmt.Sprintf("+4477009%05d", i), fmt.Sprint("m", i), "is there food on board?")
	}
	s.until("the gateway hangs with all that it is given at once", func() bool { return hanging.Load() == atOnce })
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"high": "14:20"}`) })
	id := s.rings("+447700800999", "tide", "When is high water today?")
	s.until("the tool has answered", func() bool { return len(s.messages(id)) == 2 && strings.Contains(s.messages(id)[1].Text, "14:20") })
	close(release)
	s.until("all is carried", func() bool { return len(s.sent()) == 3*atOnce+1 })
}

// However much was written, closing takes little time, and nothing of it is lost.
func TestClosingIsQuick(t *testing.T) {
	s := openStage(t)
	long := strings.Repeat("where can I leave my wheeled contraption of unusual make? ", 800)
	for i := range 40 {
		s.rings(fmt.Sprintf("+4477009%05d", i), fmt.Sprint("m", i), long)
	}
	begun := time.Now()
	s.close()
	if took := time.Since(begun); took > 5*time.Second {
		t.Errorf("closing took %s", took)
	}
	s = s.again()
	s.until("all are answered", func() bool { return len(s.sent()) == 40 })
}

// What crashes left half written, and originals of sources that are gone, are removed
// once they are old; what is used, or being written, stays.
func TestLeftOverFilesAreRemoved(t *testing.T) {
	s := openStage(t)
	used, err := s.Store().Originals(t.Context())
	s.must(err)
	s.close()
	gone := strings.Repeat("ab", 32)
	old := time.Now().Add(-2 * time.Hour)
	for name, age := range map[string]time.Time{"files/.new-123": old, "sheets/.enquiries.csv42": old, "files/" + gone: old, "files/.being-written": time.Now(), "files/notes.txt": old} {
		s.must(os.WriteFile(filepath.Join(s.folder, name), []byte("x"), 0o600))
		s.must(os.Chtimes(filepath.Join(s.folder, name), age, age))
	}
	for hash := range used {
		s.must(os.Chtimes(filepath.Join(s.folder, "files", hash), old, old))
	}
	s = s.again()
	var left []string
	for _, folder := range []string{"files", "sheets"} {
		entries, err := os.ReadDir(filepath.Join(s.folder, folder))
		s.must(err)
		for _, e := range entries {
			left = append(left, e.Name())
		}
	}
	for _, name := range []string{".new-123", ".enquiries.csv42", gone} {
		if slices.Contains(left, name) {
			t.Errorf("%s is still there", name)
		}
	}
	for hash := range used {
		if !slices.Contains(left, hash) {
			t.Error("the original of a source is gone")
		}
	}
	if len(used) != 1 || !slices.Contains(left, ".being-written") || !slices.Contains(left, "notes.txt") {
		t.Errorf("left are %v", left)
	}
}

// What is remembered of silenced bots is forgotten once nothing waits that it could
// stop.
func TestSilencedBotsAreForgotten(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "is there food on board?")
	s.answered(1)
	s.must(s.Inbox.Take(t.Context(), id, "Robin", false))
	known := func() int {
		s.Outbox.mu.Lock()
		defer s.Outbox.mu.Unlock()
		return len(s.Outbox.hushed)
	}
	if s.Outbox.sweep(); known() != 1 {
		t.Errorf("%d are remembered just after", known())
	}
	s.clock.Walk(2 * time.Hour)
	if s.Outbox.sweep(); known() != 0 {
		t.Errorf("%d are remembered for ever", known())
	}
}
