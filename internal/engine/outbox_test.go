package engine

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

func TestAReplyIsTriedAgainWithGrowingPauses(t *testing.T) {
	s := openStage(t)
	line := &failing{err: errors.New("the line is down")}
	s.bell.OnSend = line.send
	id := s.rings("+447700900150", "1", "is there food on board?")
	var pauses []time.Duration
	for try := 1; try <= 10; try++ {
		s.until(fmt.Sprintf("it was tried %d times", try), func() bool {
			e := s.effects("pending")
			return len(e) == 1 && e[0].Attempts == try
		})
		pause := s.effects("pending")[0].NextAt.Sub(s.clock.Now())
		pauses = append(pauses, pause)
		s.clock.Walk(pause - time.Millisecond)
		if line.tried() != try {
			t.Fatalf("it was tried again before its time")
		}
		s.clock.Walk(time.Millisecond)
	}
	for i, want := range []time.Duration{1, 2, 4, 8, 16, 32, 64, 128, 256, 300} {
		if pauses[i] != want*time.Second {
			t.Errorf("pause %d was %s, want %s (all: %v)", i+1, pauses[i], want*time.Second, pauses)
			break
		}
	}
	if m := s.messages(id)[1]; m.State != store.MessageMade {
		t.Errorf("while it is tried it is shown as %s", m.State)
	}
	line.says(nil)
	s.walking("it is sent", func() bool { return len(s.sent()) == 1 })
	s.until("that is recorded", func() bool { return s.messages(id)[1].State == store.MessageSent })
	if ids := s.bell.Sent()[0]; ids.ID != s.messages(id)[1].ID || len(ids.Answers) != 1 || ids.Answers[0] != "1" {
		t.Errorf("it went out as %+v", ids)
	}
}

func TestAReplyIsGivenUpAfterTwoDays(t *testing.T) {
	s := openStage(t)
	line := &failing{err: errors.New("the line is down")}
	s.bell.OnSend = line.send
	id := s.rings("+447700900150", "1", "is there food on board?")
	begun := s.clock.Now()
	s.pausing("it is given up", 6*time.Minute, func() bool { return len(s.effects("failed")) == 1 })
	if took := s.clock.Now().Sub(begun); took < 48*time.Hour || took > 60*time.Hour {
		t.Errorf("it was given up after %s", took)
	}
	if m := s.messages(id)[1]; m.State != store.MessageFailed {
		t.Errorf("it is shown as %s", m.State)
	}
	e := s.effects("failed")[0]
	contains(t, e.Error, "the line is down")
	if trouble := s.TroubleWith(e.Kind); trouble != "A reply could not be delivered" {
		t.Errorf("people read %q", trouble)
	}
	// A person tries it again, and now it goes out, once.
	line.says(nil)
	s.must(s.Outbox.Retry(t.Context(), e.ID))
	s.answered(1)
	s.until("it is recorded", func() bool { return s.messages(id)[1].State == store.MessageSent })
	if err := s.Outbox.Retry(t.Context(), e.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("what was sent could be tried again: %v", err)
	}
}

func TestWhatIsRefusedIsNotTriedAgain(t *testing.T) {
	s := openStage(t)
	line := &failing{err: fmt.Errorf("%w: no such number", outbound.ErrRefused)}
	s.bell.OnSend = line.send
	s.rings("+447700900150", "1", "is there food on board?")
	s.until("it is given up", func() bool { return len(s.effects("failed")) == 1 })
	s.clock.Walk(72 * time.Hour)
	if n := line.tried(); n != 1 {
		t.Errorf("it was tried %d times", n)
	}
}

// One effect that breaks costs itself only.
func TestAnEffectThatBreaksCostsItselfOnly(t *testing.T) {
	s := openStage(t)
	s.bell.OnSend = func(_ context.Context, m channel.Outgoing) error {
		if m.Address == "+447700900666" {
			var nothing map[string]string
			nothing["boom"] = "boom"
		}
		return nil
	}
	s.rings("+447700900666", "1", "is there food on board?")
	s.rings("+447700900150", "2", "is there food on board?")
	s.until("the other one is answered", func() bool { return len(s.sent()) == 1 })
	s.until("the broken one waits for its next try", func() bool {
		e := s.effects("pending")
		return len(e) == 1 && strings.Contains(e[0].Error, "it broke")
	})
}

// While a person is the assignee, no bot sends: what hangs on the wire is broken
// off after 300 ms.
func TestASendThatHangsIsBrokenOffWhenAPersonComesIn(t *testing.T) {
	s := openStage(t)
	hangs := make(chan struct{})
	var broken atomic.Bool
	s.bell.OnSend = func(ctx context.Context, m channel.Outgoing) error {
		if strings.HasPrefix(m.Parts[0].Text, "This is Robin") {
			return nil
		}
		close(hangs)
		<-ctx.Done()
		broken.Store(true)
		return ctx.Err()
	}
	id := s.rings("+447700900150", "1", "is there food on board?")
	<-hangs
	taken := make(chan error, 1)
	go func() { taken <- s.Inbox.Take(t.Context(), id, "Robin", false) }()
	s.until("Robin waits for the wire", func() bool { return s.conversation(id).Lead == dialogue.LedByPerson })
	select {
	case <-taken:
		t.Fatal("the conversation was taken while a bot's message was under way")
	default:
	}
	s.wait("Robin has it", func() bool {
		select {
		case err := <-taken:
			s.must(err)
			return true
		default:
			return false
		}
	}, func() {
		if next, ok := s.clock.Next(); ok && next <= grace {
			s.clock.Walk(next)
		}
	})
	if !broken.Load() {
		t.Error("the message was not broken off")
	}
	if waited := s.clock.Now().Sub(start); waited < grace || waited > time.Second {
		t.Errorf("Robin waited for %s", waited)
	}
	if m := s.messages(id)[1]; m.State != store.MessageWithdrawn {
		t.Errorf("the bot's message is shown as %s", m.State)
	}
	if _, err := s.Inbox.Reply(t.Context(), id, "Robin", "This is Robin.", ""); err != nil {
		t.Fatal(err)
	}
	if texts := s.answered(1); texts[0] != "This is Robin." {
		t.Errorf("the customer reads %q", texts)
	}
	// Handed back, the bot does not send what was broken off.
	s.must(s.Inbox.Return(t.Context(), id, "Robin", false))
	s.settled(id)
	s.clock.Walk(time.Hour)
	if texts := s.sent(); len(texts) != 1 {
		t.Errorf("the customer reads %q", texts)
	}
}

func TestCloseBreaksOffAndTheNextStartGoesOn(t *testing.T) {
	s := openStage(t)
	begun := make(chan struct{}, 10)
	s.bell.OnSend = func(ctx context.Context, _ channel.Outgoing) error {
		begun <- struct{}{}
		<-ctx.Done()
		return ctx.Err()
	}
	id := s.rings("+447700900150", "1", "is there food on board?")
	<-begun
	s.close()
	s.bell.OnSend = nil
	s = openStageIn(t, s.folder, s.clock, s.bell, s.world)
	contains(t, s.answered(1)[0], "soup")
	s.until("it is recorded", func() bool { return s.messages(id)[1].State == store.MessageSent })
	// The next start finds nothing to do.
	s = s.again()
	s.clock.Walk(time.Hour)
	if n := len(s.effects("pending")); n != 0 || len(s.sent()) != 1 {
		t.Errorf("%d effects are pending, %d messages were sent", n, len(s.sent()))
	}
}

// Effects of one lane are carried out in order, whatever becomes of each try.
func TestRepliesOfAConversationStayInOrder(t *testing.T) {
	s := openStage(t)
	line := &failing{err: errors.New("the line is down")}
	s.bell.OnSend = line.send
	for i, asked := range []string{"is there food on board?", "what does a bicycle cost?", "do dogs travel free?"} {
		id := s.rings("+447700900150", fmt.Sprint(i), asked)
		s.settled(id)
	}
	line.says(nil)
	s.walking("all are sent", func() bool { return len(s.sent()) == 3 })
	for i, says := range []string{"soup", "£2.50", "lead"} {
		contains(t, s.sent()[i], says)
	}
}

// What another version left behind is not overlooked.
func TestAnEffectOfAnUnknownKindIsGivenUpLoudly(t *testing.T) {
	s := openStage(t)
	odd := store.Effect{ID: store.NewID(), Kind: "fax", Lane: "fax", Body: "{}", CreatedAt: s.clock.Now()}
	s.must(s.Store().Write(t.Context(), func(tx *store.Tx) error { return tx.PutEffect(odd, s.clock.Now()) }))
	s = s.again()
	s.until("it is given up", func() bool { return len(s.effects("failed")) == 1 })
	e := s.effects("failed")[0]
	contains(t, e.Error, "knows no effects of its kind")
	contains(t, s.TroubleWith("fax"), "fax")
	if e.ConversationID != "" {
		t.Errorf("it belongs to %q", e.ConversationID)
	}
}

// A kind of effect that is not whole, or one that turns decide on and nobody
// carries out, keeps the workspace from opening.
func TestKindsOfEffectsAreWhole(t *testing.T) {
	if _, err := registerEffects(effectKinds); err != nil {
		t.Fatal(err)
	}
	carry := func(context.Context, *Workspace, store.Effect) (any, error) { return nil, nil }
	decide := func(context.Context, *Committing, dialogue.Effect) {}
	for says, kinds := range map[string][]EffectKind{
		"called say takes it":     effectKinds[1:],
		"registered twice":        append([]EffectKind{sayKind}, effectKinds...),
		"has no name":             append([]EffectKind{{Carry: carry}}, effectKinds...),
		"does nothing":            append([]EffectKind{{Name: "idle"}}, effectKinds...),
		"how long a try may take": append([]EffectKind{{Name: "endless", Carry: carry}}, effectKinds...),
		"cannot fail":             append([]EffectKind{{Name: "odd", Decide: decide, Trouble: "x"}}, effectKinds...),
	} {
		if _, err := registerEffects(kinds); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want one that says %q", err, says)
		}
	}
	for _, kind := range effectKinds {
		if kind.Carry == nil {
			continue
		}
		s := &Workspace{}
		s.config.Store(&config{})
		if took := kind.Time(s, store.Effect{Body: "{}"}); took <= 0 || took > 10*time.Minute {
			t.Errorf("one try of %s may take %s", kind.Name, took)
		}
		if kind.Trouble == "" && kind.Settle == nil {
			t.Errorf("nobody is told when %s fails, and nobody waits for it", kind.Name)
		}
	}
}

// A workspace that is only looked at sends nothing, decides nothing, and loses nothing.
func TestAStillWorkspaceDoesNothing(t *testing.T) {
	s := openStage(t)
	line := &failing{err: errors.New("the line is down")}
	s.bell.OnSend = line.send
	s.rings("+447700900150", "1", "is there food on board?")
	s.until("it is tried", func() bool { return line.tried() == 1 })
	s.close()
	line.says(nil)
	looked, err := Open(t.Context(), s.folder, Options{Clock: s.clock, Channels: []channel.Kind{s.bell.Kind()}, Still: true})
	s.must(err)
	desk, err := looked.Desk("front-desk")
	s.must(err)
	contains(t, desk.Ask(t.Context(), "what does a bicycle cost?").Words, "£2.50")
	s.clock.Walk(time.Hour)
	s.must(looked.Close())
	if len(s.sent()) != 0 || line.tried() != 1 {
		t.Errorf("it sent %q", s.sent())
	}
	s = s.again()
	s.walking("it is sent when it is at work again", func() bool { return len(s.sent()) == 1 })
}
