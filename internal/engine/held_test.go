package engine

import (
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/store"
)

const heldBell = "channel: bell\nkind: bell\nbot: front-desk\ntone: high\nreplies: hold\nheld_for: 2h\n"

// nextHeld waits for the one reply that is held in a conversation.
func (s *stage) nextHeld(id string) (held store.HeldReply) {
	s.t.Helper()
	s.until("one reply is held", func() bool {
		list, err := s.Inbox.Held(s.t.Context())
		s.must(err)
		n := 0
		for _, h := range list {
			if h.ConversationID == id {
				held, n = h, n+1
			}
		}
		return n == 1
	})
	return held
}

// A customer who writes on while a reply is held gets one that takes in both.
func TestAHeldReplyIsMadeAnewWhenTheCustomerWritesOn(t *testing.T) {
	s := openStage(t)
	s.put("channel", heldBell)
	id := s.rings("+447700900150", "1", "what does a bicycle cost?")
	first := s.nextHeld(id)
	if first.Asked != "what does a bicycle cost?" || first.Confidence == 0 || len(first.Topics) != 1 || first.Conversation.ID != id {
		t.Errorf("held is %+v", first)
	}
	s.rings("+447700900150", "2", "and do dogs travel free?")
	s.until("the first is withdrawn", func() bool {
		m, err := s.Store().Message(t.Context(), first.ID)
		return err == nil && m.State == store.MessageWithdrawn
	})
	anew := s.nextHeld(id)
	contains(t, anew.Text, "£2.50", "Dogs travel free")
	if anew.Asked != "what does a bicycle cost?\nand do dogs travel free?" {
		t.Errorf("it answers %q", anew.Asked)
	}
	contains(t, strings.Join(s.lines(id), "\n"), "The customer wrote on")
	if _, err := s.Inbox.Approve(t.Context(), first.ID, "Robin", ""); err == nil {
		t.Error("what was made anew could be approved")
	}
	if _, err := s.Inbox.Approve(t.Context(), anew.ID, "Robin", ""); err != nil {
		t.Fatal(err)
	}
	contains(t, s.answered(1)[0], "£2.50", "Dogs travel free")
}

// What people did with held replies is counted by topic. A topic that they trust goes by
// itself, until one of its replies is changed in substance or rejected.
func TestATopicEarnsItsIndependence(t *testing.T) {
	s := openStage(t)
	s.put("channel", heldBell)
	ask := func(n, question string) string { return s.rings("+44770090016"+n, "t"+n, question) }
	bicycle := s.nextHeld(ask("0", "what does a bicycle cost?"))
	if _, err := s.Inbox.Approve(t.Context(), bicycle.ID, "Robin", ""); err != nil {
		t.Fatal(err)
	}
	worded := s.nextHeld(ask("1", "what does a bicycle cost?"))
	if _, err := s.Inbox.Approve(t.Context(), worded.ID, "Kim", strings.Replace(worded.Text, "A bicycle", "Sure, a bicycle", 1)+" :)"); err != nil {
		t.Fatal(err)
	}
	topics, err := s.Store().Topics(t.Context())
	if err != nil || len(topics) != 1 || topics[0].Topic != bicycle.Topics[0] || topics[0].All != 2 || topics[0].Unchanged != 1 || topics[0].Worded != 1 {
		t.Fatalf("the topics are %+v, %v", topics, err)
	}
	s.must(s.Inbox.Trust(t.Context(), bicycle.Topics[0], "Robin", true))
	ask("2", "what does a bicycle cost?")
	contains(t, s.answered(3)[2], "£2.50") // by itself
	other := s.nextHeld(ask("3", "is there food on board?"))
	if slices.Equal(other.Topics, bicycle.Topics) {
		t.Fatalf("soup and bicycles are one topic: %s", other.Topics)
	}
	both := s.nextHeld(ask("4", "what does a bicycle cost? and is there food on board?")) // of which one is not trusted
	if _, err := s.Inbox.Approve(t.Context(), both.ID, "Robin", strings.Replace(both.Text, "£2.50", "£3.00", 1)); err != nil {
		t.Fatal(err)
	}
	contains(t, strings.Join(s.lines(both.ConversationID), "\n"), "are held again")
	again := s.nextHeld(ask("5", "what does a bicycle cost?"))
	if _, err := s.Inbox.Reject(t.Context(), again.ID, "Kim", "the price is old"); err != nil {
		t.Fatal(err)
	}
	approvals, err := s.Store().Approvals(t.Context(), 10)
	if err != nil || len(approvals) != 4 || approvals[0].Person != "Kim" || approvals[0].Why != "the price is old" || approvals[1].Verdict != store.Changed || !strings.Contains(approvals[1].Was, "£2.50") || !strings.Contains(approvals[1].Became, "£3.00") {
		t.Errorf("kept is %+v, %v", approvals, err)
	}
	thresholds, of, err := s.Inbox.Thresholds(t.Context())
	if err != nil || of != 4 || thresholds[0].Sent != 4 || thresholds[0].Wrong != 2 {
		t.Errorf("of %d: %+v, %v", of, thresholds, err)
	}
}

// A reply that nobody looks at is told of, once.
func TestAReplyThatIsHeldForLongIsToldOf(t *testing.T) {
	s := openStage(t)
	post := &postOffice{}
	s.opensPost(post)
	s.put("channel", heldBell)
	id := s.rings("+447700900150", "1", "what does a bicycle cost?")
	held := s.nextHeld(id)
	mails := func() (n int) {
		for _, m := range post.got() {
			if strings.Contains(m, "Subject: A reply waits for approval") {
				contains(t, m, "2.50", "/inbox/"+id)
				n++
			}
		}
		return n
	}
	s.clock.Walk(90 * time.Minute)
	if mails() != 0 {
		t.Error("people were told too soon")
	}
	s.clock.Walk(time.Hour)
	s.until("people are told", func() bool { return mails() == 1 })
	if _, err := s.Inbox.Approve(t.Context(), held.ID, "Robin", ""); err != nil {
		t.Fatal(err)
	}
	s.rings("+447700900150", "2", "do dogs travel free?")
	if _, err := s.Inbox.Approve(t.Context(), s.nextHeld(id).ID, "Robin", ""); err != nil {
		t.Fatal(err)
	}
	s.clock.Walk(5 * time.Hour)
	if mails() != 1 {
		t.Errorf("people were told %d times", mails())
	}
}

// Where replies are off, people answer: bots say nothing, and what comes in waits.
func TestWhereRepliesAreOffPeopleAnswer(t *testing.T) {
	for what, set := range map[string]func(*stage){
		"the channel": func(s *stage) { s.put("channel", strings.Replace(heldBell, "replies: hold", "replies: off", 1)) },
		"the bot":     func(s *stage) { s.put("bot", strings.Replace(brief, "name: Pip\n", "name: Pip\nmode: off\n", 1)) },
	} {
		s := openStage(t)
		set(s)
		id := s.rings("+447700900150", "1", "what does a bicycle cost?")
		s.until("a person is waited for", func() bool { return !s.conversation(id).WaitingSince.IsZero() })
		s.clock.Walk(time.Minute)
		if len(s.sent()) != 0 || s.conversation(id).Lead != "waiting" {
			t.Errorf("off is %s: sent was %q; the conversation stands at %s", what, s.sent(), s.conversation(id).Lead)
		}
	}
}
