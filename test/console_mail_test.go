package test

import (
	"errors"
	"strings"
	"testing"

	"urgentparrot.example/internal/world"
)

// A builder connects a mailbox by forms alone, tries it, and sees a mail arrive.
func TestABuilderConnectsAMailboxInTheConsole(t *testing.T) {
	s := open(t)
	var mailbox string
	connections, err := s.client.Documents(s.ctx, "connections")
	s.must(err)
	for _, d := range connections.Items {
		if d.Name == "office-mailbox" {
			mailbox = d.Text
		}
	}
	line := func(key string) string {
		_, rest, _ := strings.Cut(mailbox, key+": ")
		value, _, _ := strings.Cut(rest, "\n")
		return value
	}
	s.must(s.client.RemoveDocument(s.ctx, "channels", "office-mail"))
	s.must(s.client.RemoveDocument(s.ctx, "connections", "office-mailbox"))
	p := s.console("Robin", true)
	s.must(errors.Join(
		p.Click("Connections", false), p.Click("Connect something", false), p.Click("Mailbox", false),
		p.Fill("Title", "The office"), p.Fill("Name in other documents", "post"), p.Fill("Address", "nowhere"), p.AwaitText("is not the address of a mail server", false),
		p.Fill("Address", line("address")), p.Fill("Mails go out by", line("sends")), p.Fill("Sender", world.OfficeAddress), p.Choose("Encryption", "none"),
		p.Await(`!document.querySelector("[aria-label=Problems]")`), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),
		p.Type(`input[type=password]`, world.OfficePassword, false), p.Click("Set it", false), p.AwaitText("It is set.", false),

		p.Click("Channels", false), p.Click("Add a way in", false), p.Click("Mail", false), p.AwaitText("What customers write with", false), p.Choose("Connection to the mailbox", "post"),
		p.Await(`!document.querySelector("[aria-label=Problems]")`), p.Click("Put live", false), p.AwaitText("whose replies wait for approval", false),
		p.Click("Test it", false), p.AwaitText("All that it needs works. The other side has Drafts, INBOX, Junk, Sent, Worth knowing.", false),
		p.Click("Look now", false), p.AwaitText("It looks for what is new", false),
	))
	s.mails("Ada Winter <ada.winter@example.org>", "Dogs", "Can I bring my dog?", "")
	s.must(errors.Join(p.Click("Inbox", false), p.Click("All", false), p.Click("Ada Winter", false), p.AwaitText("Waits for your approval", false)))
}

// A teammate walks through the held replies, reads what belongs to them, approves one with a
// key, and lets its topic go: the next one is sent by itself, until one is rejected.
func TestATeammateApprovesRepliesAndLetsATopicGo(t *testing.T) {
	s := open(t)
	s.encoded("What does a bicycle cost?")
	s.mails("Ben Hale <ben@example.org>", "Re: Bicycles", "What does a bicycle cost?\n\nBen\n\nOn Monday, Brackwater Ferries wrote:\n> There is room for it.", "")
	p := s.console("Kim", false)
	s.must(errors.Join(
		p.Click("Inbox", false), p.Click("Held", false), p.AwaitText("What may go by itself", false), p.Click("Ben Hale", false), p.AwaitText("Waits for your approval", false),
		p.AwaitText("not signed", false), p.Click("What is quoted below", false), p.AwaitText("There is room for it.", false),
		p.Click("Why?", false), p.AwaitText("What was understood", false), p.Click("Close this panel", false), p.Await(`!document.querySelector("[role=dialog]")`),
		p.Key("a"), p.AwaitText("Kim approved the reply", false), p.AwaitText("No reply waits", false),
		p.Click("What may go by itself", false), p.AwaitText("1 of 1 approved unchanged", false), p.Click("Let it go by itself", false), p.AwaitText("goes by itself, says Kim", false), p.AwaitText("Would have gone", false),
		p.Click("Close this panel", false),
	))
	s.eventually("the answer is sent", func() bool { return len(s.World.Mailroom.MailsTo("ben@example.org")) == 1 })
	_, err := s.World.Mailroom.Write("Cy <cy@example.org>", "Price", "What does a bicycle cost?", "")
	s.must(err)
	s.eventually("the next one goes by itself", func() bool { return len(s.World.Mailroom.MailsTo("cy@example.org")) == 1 })

	// What nothing answers says why, and is answered after all.
	s.mails("The shop <no-reply@example.org>", "Food", "Is there food on board?", "")
	s.must(errors.Join(
		p.Click("All", false), p.Click("no-reply@example.org", false), p.AwaitText("Not answered: nobody reads what is sent to no-reply@example.org.", false),
		p.Click("Answer it after all", false), p.AwaitText("Waits for your approval", false),
		p.Click("Reject", false), p.Type("textarea", "nobody reads it", false), p.Click("Reject it", false), p.AwaitText("Kim rejected the reply: nobody reads it", false),
	))
	if complaints := p.Errors(); len(complaints) > 0 {
		t.Errorf("the console complains: %q", complaints)
	}
}
