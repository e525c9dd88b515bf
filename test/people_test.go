package test

import (
	"strings"
	"testing"
	"time"

	"urgentparrot.example/client"
)

func TestEscalationBringsAPersonIn(t *testing.T) {
	s := open(t)
	const phone = "+447700900131"
	got := s.texts(phone, "1", "do you run on Christmas Day?", 1)
	contains(t, got[0].Text, "rather not guess", "someone will answer you here")
	c := s.conversation(phone)
	if c.Lead != "waiting" || c.Reason != "not known" || c.WaitingSince == nil || c.Summary == nil || len(c.Summary.Open) != 1 {
		t.Fatalf("the conversation stands at %+v", c)
	}
	s.eventually("the crew is told by mail", func() bool { return len(s.World.Mailroom.Mails()) == 1 })
	mail := s.World.Mailroom.Mails()[0]
	contains(t, mail.Subject+mail.Body+mail.To, "Text line", "Christmas Day", "/inbox/"+c.ID, "crew@brackwater.example")

	if _, err := s.client.Reply(s.ctx, c.ID, "No.", ""); err == nil {
		t.Error("somebody who has not taken the conversation could reply")
	}
	_, err := s.client.Take(s.ctx, c.ID, false)
	s.must(err)
	for range 2 { // the same reply sent twice arrives once
		_, err = s.client.Reply(s.ctx, c.ID, "We do not sail on Christmas Day.", "key-1")
		s.must(err)
	}
	got = s.texts(phone, "2", "is there food on board on the 24th?", 2)
	if len(got) != 2 || got[1].Text != "We do not sail on Christmas Day." {
		t.Fatalf("the customer reads %+v", got)
	}
	if c = s.conversation(phone); c.WaitingSince == nil {
		t.Error("the customer wrote to the person, but no clock runs")
	}
	_, err = s.client.Return(s.ctx, c.ID)
	s.must(err)
	got = s.texts(phone, "3", "is there food on board?", 3)
	contains(t, got[2].Text, "soup")
	_, err = s.client.Close(s.ctx, c.ID)
	s.must(err)
	if got = s.texts(phone, "4", "hello", 4); s.conversation(phone).ID == c.ID {
		t.Error("after the close no new conversation began")
	}
	if _, err := s.client.Take(s.ctx, c.ID, false); err == nil {
		t.Error("a closed conversation could be taken")
	}
}

// While a person is the assignee, no bot sends: not a reply that is being made,
// and not one that waits for the line to work again (promise 3).
func TestTheBotIsSilentOnceAPersonTakesOver(t *testing.T) {
	s := open(t)
	const making, stuck = "+447700900132", "+447700900133"
	s.World.Timetable.Trouble.Set(false, 300*time.Millisecond)
	s.must(s.World.Handset.Send(s.ctx, making, "1", "when is the next boat to Gannet Holm?"))
	s.eventually("a reply is being made", func() bool {
		page, err := s.client.Conversations(s.ctx, "", "", "")
		s.must(err)
		return len(page.Items) == 1 && s.World.Timetable.Trouble.Came() > 0
	})
	_, err := s.client.Take(s.ctx, s.conversation(making).ID, false)
	s.must(err)

	s.World.Handset.Trouble.Set(true, 0)
	s.must(s.World.Handset.Send(s.ctx, stuck, "2", "is there food on board?"))
	s.eventually("a reply is stuck", func() bool {
		status, err := s.client.Status(s.ctx)
		s.must(err)
		return len(status.Troubles) == 1
	})
	id := s.conversation(stuck).ID
	_, err = s.client.Take(s.ctx, id, false)
	s.must(err)
	s.World.Handset.Trouble.Set(false, 0)
	for _, phone := range []string{making, stuck} {
		// The person's words go the same way as the bot's would have gone, after them.
		_, err = s.client.Reply(s.ctx, s.conversation(phone).ID, "This is Robin.", "")
		s.must(err)
		if got := s.replies(phone, 1); len(got) != 1 || got[0].Text != "This is Robin." {
			t.Errorf("%s reads %+v", phone, got)
		}
	}
	// The tool's answer comes too late, and what the customer adds is the person's.
	s.eventually("the timetable has answered", func() bool { return s.World.Timetable.Trouble.Asked() > 0 })
	s.must(s.World.Handset.Send(s.ctx, making, "3", "is there food on board?"))
	s.eventually("the text is covered by a silent turn", func() bool {
		page, err := s.client.Messages(s.ctx, s.conversation(making).ID, "")
		s.must(err)
		return page.Items[len(page.Items)-1].Turn != ""
	})
	if got := s.replies(making, 1); len(got) != 1 {
		t.Errorf("%s reads %+v", making, got)
	}
	if _, err := (&client.Client{Server: s.PublicURL, Token: s.tokenOf("Kim")}).Take(s.ctx, id, false); err == nil || !strings.Contains(err.Error(), "lead") {
		t.Errorf("Kim took what Robin has: %v", err)
	}
	// Handed back, the bot answers what comes, and does not send what was cancelled.
	_, err = s.client.Return(s.ctx, id)
	s.must(err)
	if got := s.texts(stuck, "4", "do wheelchairs travel free?", 2); len(got) != 2 || !strings.Contains(got[1].Text, "Wheelchairs") {
		t.Errorf("after the return %s reads %+v", stuck, got)
	}
	page, err := s.client.Messages(s.ctx, id, "")
	s.must(err)
	var bot client.Message
	for _, m := range page.Items {
		if m.Author == "bot" && strings.Contains(m.Text, "soup") {
			bot = m
		}
	}
	if bot.State != "withdrawn" {
		t.Errorf("the reply that was stuck is shown as %q", bot.State)
	}
}

func (s *stage) tokenOf(name string) string {
	s.t.Helper()
	token, err := s.NewToken(s.ctx, "brackwater", name)
	s.must(err)
	return token
}

func TestAWishAndAngerBringAPersonIn(t *testing.T) {
	s := open(t)
	v := s.visitor()
	contains(t, s.asks(v, "let me talk to someone"), "Of course")
	if c := s.conversation(""); c.Reason != "wish" || c.Priority != "normal" {
		t.Errorf("escalated as %s, %s", c.Reason, c.Priority)
	}
	contains(t, s.asks(v, "is there food on board?"), "soup") // who waits is still helped
	s.texts("+447700900134", "1", "This is ridiculous! I have had enough!!", 1)
	page, err := s.client.Conversations(s.ctx, "urgent", "", "")
	s.must(err)
	if len(page.Items) != 2 || page.Items[0].Reason == "" {
		t.Errorf("the queue holds %+v", page.Items)
	}
	if c := s.conversation("+447700900134"); c.Reason != "anger" || c.Priority != "high" {
		t.Errorf("escalated as %s, %s", c.Reason, c.Priority)
	}
}
