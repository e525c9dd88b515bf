package test

import (
	"slices"
	"strings"
	"testing"

	"github.com/emersion/go-imap/v2"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/world"
)

// changes a document by one replacement.
func (s *stage) changes(kind, name, from, to string) {
	s.t.Helper()
	d, err := s.client.Document(s.ctx, kind, name)
	s.must(err)
	if !strings.Contains(d.Text, from) {
		s.t.Fatalf("%s %s does not hold %q", kind, name, from)
	}
	_, err = s.client.PutDocument(s.ctx, kind, name, strings.Replace(d.Text, from, to, 1), 0)
	s.must(err)
}

// drafts waits for so many drafts in the office's mailbox.
func (s *stage) drafts(n int) (list []world.Mail) {
	s.t.Helper()
	s.eventually("the drafts are laid", func() bool {
		var err error
		list, err = s.World.Mailroom.Folder("Drafts")
		return err == nil && len(list) == n
	})
	return list
}

// inInbox is the id of a mail in the office's inbox, by its subject.
func (s *stage) inInbox(subject string) (id string) {
	s.t.Helper()
	s.eventually("the mail "+subject+" is there", func() bool {
		list, err := s.World.Mailroom.Folder("INBOX")
		s.must(err)
		for _, m := range list {
			if m.Subject == subject {
				id = m.ID
			}
		}
		return id != ""
	})
	return id
}

// Where people answer all mails themselves, a flag has the bot write a draft; what is sent of it
// stands in the conversation. What the bot does not know, it says.
func TestAFlagHasADraftWritten(t *testing.T) {
	s := open(t)
	s.encoded("What does a bicycle cost?")
	s.changes("channels", "office-mail", "replies: hold", "replies: off")
	c := s.mails("Ada <ada@example.org>", "Bicycle", "What does a bicycle cost?", "")
	s.mails("Ben <ben@example.org>", "Haircut", "Do you cut hair on Sundays in the harbour?", "")
	mark := func(subject string) {
		t.Helper()
		s.must(s.World.Mailroom.Mark("INBOX", s.inInbox(subject), imap.FlagFlagged, true))
	}
	mark("Bicycle")
	draft := s.drafts(1)[0]
	if !strings.Contains(draft.Body, "£2.50") || !strings.Contains(draft.To, "ada@example.org") || draft.Subject != "Re: Bicycle" {
		t.Errorf("the draft is %+v", draft)
	}
	if n := len(s.World.Mailroom.MailsTo("ada@example.org")); n != 0 {
		t.Errorf("%d answers went out by themselves", n)
	}
	held := s.held(c.ID)
	if held.Asked != "What does a bicycle cost?" || !slices.Contains(s.said(c.ID), "event: A flag in the mailbox asked for a draft") {
		t.Errorf("it is held for %q, in %q", held.Asked, s.said(c.ID))
	}
	s.must(s.World.Mailroom.SendDraft(draft.ID, "A bicycle is £2.50, Ada."))
	s.eventually("what was sent stands in the conversation", func() bool {
		return strings.Contains(strings.Join(s.said(c.ID), "|"), "A bicycle is £2.50, Ada.")
	})
	s.drafts(0)

	// In a talk the bot reads a mail as it goes on from what was said before.
	first, err := s.World.Mailroom.Write("Cleo <cleo@example.org>", "Tickets", "How long is a ticket valid?", "")
	s.must(err)
	s.mailed("cleo@example.org", "How long is a ticket")
	_, err = s.World.Mailroom.Write("Cleo <cleo@example.org>", "Re: Tickets", "And a carnet?", first)
	s.must(err)
	s.mailed("cleo@example.org", "And a carnet")
	mark("Re: Tickets")
	if draft := s.drafts(1)[0]; !strings.Contains(draft.Body, "A carnet is valid for two years.") {
		t.Errorf("the draft of a mail in a talk is %+v", draft)
	}

	mark("Haircut")
	unknown := s.mailed("ben@example.org", "Do you cut hair")
	s.eventually("it is said that the bot does not know", func() bool {
		return strings.Contains(strings.Join(s.said(unknown.ID), "|"), "The bot does not know an answer")
	})
}

// A bot whose replies are drafts lays them into the mailbox, also where those of others are sent.
func TestABotsRepliesLieAmongTheDrafts(t *testing.T) {
	s := open(t)
	s.encoded("What does a bicycle cost?")
	s.changes("channels", "office-mail", "replies: hold", "replies: send")
	s.changes("bots", "front-desk", "name: ", "mode: draft\nname: ")
	s.mails("Ada <ada@example.org>", "Bicycle", "What does a bicycle cost?", "")
	if draft := s.drafts(1)[0]; !strings.Contains(draft.Body, "£2.50") {
		t.Errorf("the draft is %+v", draft)
	}
	if n := len(s.World.Mailroom.MailsTo("ada@example.org")); n != 0 {
		t.Errorf("%d answers went out by themselves", n)
	}
}

// A mail that somebody files among what is worth knowing is proposed as a lesson, without names
// and addresses, for the bot that the channel says; approved, that bot alone knows it.
func TestAFiledMailTeachesOneBot(t *testing.T) {
	s := open(t)
	s.encoded("What does a bicycle cost?")
	s.changes("channels", "office-mail", "learns: { folder: Worth knowing }", "learns: { folder: Worth knowing, bot: freight }")
	c := s.mails("Ada Winter <ada@example.org>", "Beehives", "Hello, my name is Ada Winter. Can I send a beehive to Hallow Point?", "")
	_, err := s.client.Take(s.ctx, c.ID, true)
	s.must(err)
	_, err = s.client.Reply(s.ctx, c.ID, "Dear Ada, beehives travel on Tuesdays only, closed with mesh. Write to ada@example.org for the label.", "one")
	s.must(err)
	s.eventually("the reply went out", func() bool { return len(s.World.Mailroom.MailsTo("ada@example.org")) == 1 })
	s.must(s.World.Mailroom.File("INBOX", s.inInbox("Beehives"), world.WorthKnowing))
	var lesson client.Lesson
	s.eventually("a lesson is proposed", func() bool {
		page, err := s.client.Lessons(s.ctx, "proposed")
		s.must(err)
		for _, l := range page.Items {
			if l.Bot == "freight" {
				lesson = l
			}
		}
		return lesson.ID != ""
	})
	if strings.Contains(lesson.Question+lesson.Answer, "Ada") || strings.Contains(lesson.Answer, "@") || !strings.Contains(lesson.Question, "beehive") || !strings.Contains(lesson.Answer, "Tuesdays") {
		t.Errorf("the lesson is %+v", lesson)
	}
	_, err = s.client.ApproveLesson(s.ctx, lesson.ID, client.LessonText{})
	s.must(err)
	for bot, knows := range map[string]bool{"freight": true, "travel-help": false} {
		answer, err := s.client.Ask(s.ctx, bot, "Can I send a beehive to Hallow Point?")
		s.must(err)
		if strings.Contains(answer.Answer, "Tuesdays") != knows {
			t.Errorf("%s says %q", bot, answer.Answer)
		}
	}
}
