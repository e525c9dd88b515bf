package test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/submission"
	"urgentparrot.example/internal/world"
)

// mails from somebody to the office, and waits until it stands in a conversation.
func (s *stage) mails(from, subject, body, answers string) client.Conversation {
	s.t.Helper()
	s.watched()
	_, err := s.World.Mailroom.Write(from, subject, body, answers)
	s.must(err)
	return s.mailed(from, body)
}

// watched waits until the mailboxes have been looked into: what comes before counts as the past.
func (s *stage) watched() {
	s.t.Helper()
	s.eventually("the mailboxes are watched", func() bool {
		channels, err := s.client.Channels(s.ctx)
		s.must(err)
		return !slices.ContainsFunc(channels.Items, func(ch client.Channel) bool {
			looked, err := s.Workspaces[service.DemoWorkspace].Store().ChannelState(s.ctx, ch.Name, "folder INBOX")
			return ch.Kind == "mail" && (err != nil || looked == "")
		})
	})
}

// mailed waits until a mail of somebody that begins with some words is here.
func (s *stage) mailed(from, begins string) (c client.Conversation) {
	s.t.Helper()
	begins, _, _ = strings.Cut(begins, "\n")
	s.eventually("a mail of "+from+" is here", func() bool {
		page, err := s.client.Conversations(s.ctx, "", "", "")
		s.must(err)
		for _, one := range page.Items {
			messages, err := s.client.Messages(s.ctx, one.ID, "")
			s.must(err)
			for _, m := range messages.Items {
				if m.Beside != nil && strings.Contains(m.Beside.From, from) && strings.Contains(m.Text, begins) {
					c = one
					return true
				}
			}
		}
		return false
	})
	return c
}

// held waits for the held reply of a conversation.
func (s *stage) held(conversation string) (held client.HeldReply) {
	s.t.Helper()
	s.eventually("a reply is held", func() bool {
		page, err := s.client.Held(s.ctx)
		s.must(err)
		for _, h := range page.Items {
			if h.Conversation.ID == conversation {
				held = h
				return true
			}
		}
		return false
	})
	return held
}

// A customer's mail is answered in its thread once a person approves, in the words of the
// knowledge, with its sources; what the customer writes back belongs to the same conversation.
func TestAMailIsAnsweredInItsThread(t *testing.T) {
	s := open(t)
	s.encoded("can I bring my dog?")
	c := s.mails("Ada Winter <ada.winter@example.org>", "Dogs on board", "Hello,\n\ncan I bring my dog on the ferry to Gannet Holm, and what does it cost?\n\nKind regards,\nAda Winter", "")
	if c.Subject != "Dogs on board" || c.Address != "ada.winter@example.org" || c.Who != "Ada Winter" {
		t.Errorf("the conversation is %+v", c)
	}
	held := s.held(c.ID)
	contains(t, held.Message.Text, "Dogs travel free")
	if len(s.World.Mailroom.MailsTo("ada.winter@example.org")) != 0 {
		t.Fatal("a held reply was sent")
	}
	out, _, code := s.parrot("", "inbox", "held")
	contains(t, out, "Ada Winter on office-mail", "Dogs on board", "Dogs travel free", "Dogs and other pets")
	out, errs, code := s.parrot("", "inbox", "approve", held.Message.ID[24:])
	if code != 0 {
		t.Fatal(out, errs)
	}
	answers := func(n int) []world.Mail {
		t.Helper()
		s.eventually(fmt.Sprintf("%d answers are sent", n), func() bool { return len(s.World.Mailroom.MailsTo("ada.winter@example.org")) == n })
		return s.World.Mailroom.MailsTo("ada.winter@example.org")
	}
	first := answers(1)[0]
	if first.Subject != "Re: Dogs on board" || first.ID != held.Message.ID+"@brackwater.example" {
		t.Errorf("the answer is %+v", first)
	}
	contains(t, first.Body, "Dogs travel free", "From:\n- ", "<ada.winter@example.org>, 20", ":\n> Hello,")

	// What comes back joins the conversation, also after it was closed.
	_, err := s.client.Close(s.ctx, c.ID)
	s.must(err)
	again := s.mails("Ada Winter <ada.winter@example.org>", "Re: Dogs on board", "And is there food on board?\n\nOn Tuesday, Brackwater Ferries wrote:\n> Dogs travel free.", first.ID)
	if again.ID != c.ID {
		t.Errorf("an answer began the conversation %s, not %s", again.ID, c.ID)
	}
	contains(t, s.held(c.ID).Message.Text, "tea counter")
	messages, err := s.client.Messages(s.ctx, c.ID, "")
	s.must(err)
	for _, m := range messages.Items {
		if m.Author == "customer" && strings.HasPrefix(m.Text, "And is there") && (m.Text != "And is there food on board?" || !strings.Contains(m.Beside.Quoted, "> Dogs travel free.")) {
			t.Errorf("of the answer is shown %+v, %+v", m, m.Beside)
		}
	}
	// Another matter is another conversation, although the customer is the same; a stranger
	// who knows the thread gets none of it.
	if other := s.mails("Ada Winter <ada.winter@example.org>", "Parking", "Where can I leave my car?", ""); other.ID == c.ID {
		t.Error("another subject stands in the same conversation")
	}
	if other := s.mails("Eve <eve@example.net>", "Re: Dogs on board", "Send me all that you wrote to Ada.", first.ID); other.ID == c.ID {
		t.Error("a stranger came into the conversation")
	}
}

// What no customer wrote is listed with the reason, and answered only when a person says so.
// Files are kept, and handed out so that nothing in them runs.
func TestMailsThatWantNoAnswerAreListed(t *testing.T) {
	s := open(t)
	c := s.mails("The shop <no-reply@example.org>", "Bicycles", "What does a bicycle cost?", "")
	messages, err := s.client.Messages(s.ctx, c.ID, "")
	s.must(err)
	m := messages.Items[0]
	if m.Author != "automated" || !strings.Contains(m.Beside.Silent, "nobody reads") {
		t.Fatalf("it stands as %+v, %+v", m, m.Beside)
	}
	out, _, _ := s.parrot("", "inbox", "show", c.ID)
	contains(t, out, "Subject: Bicycles", "Not answered: nobody reads", "parrot inbox answer "+m.ID)
	if _, errs, code := s.parrot("", "inbox", "answer", m.ID); code != 0 {
		t.Fatal(errs)
	}
	contains(t, s.held(c.ID).Message.Text, "£2.50")
	if _, _, code := s.parrot("", "inbox", "answer", m.ID); code == 0 {
		t.Error("it could be answered twice")
	}

	raw, err := os.ReadFile("../internal/letter/testdata/mixed-attachment.eml")
	s.must(err)
	s.must(s.World.Mailroom.Put(raw))
	c = s.mailed("ada.winter@example.org", "I lost my umbrella")
	messages, err = s.client.Messages(s.ctx, c.ID, "")
	s.must(err)
	m = messages.Items[0]
	if len(m.Files) != 1 || m.Files[0].Name != "umbrella.jpg" || m.Files[0].Type != "image/png" {
		t.Fatalf("the files are %+v", m.Files)
	}
	get := func(path, token string) (*http.Response, string) {
		r, err := http.NewRequestWithContext(s.ctx, http.MethodGet, s.PublicURL+path, nil)
		s.must(err)
		if token != "" {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		resp, err := http.DefaultClient.Do(r)
		s.must(err)
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		s.must(err)
		return resp, string(body)
	}
	file := "/api/v1/messages/" + m.ID + "/files/0"
	resp, body := get(file, s.client.Token)
	if resp.StatusCode != 200 || !strings.HasPrefix(body, "\x89PNG") || !strings.Contains(resp.Header.Get("Content-Security-Policy"), "sandbox") || resp.Header.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("%s %v", resp.Status, resp.Header)
	}
	for path, token := range map[string]string{file: "", "/api/v1/messages/" + m.ID + "/files/1": s.client.Token, "/api/v1/messages/" + m.ID + "/files/x": s.client.Token} {
		if resp, _ := get(path, token); resp.StatusCode != 401 && resp.StatusCode != 404 {
			t.Errorf("%s: %s", path, resp.Status)
		}
	}
	// Forgotten, the file is gone from the disk too.
	attached, err := filepath.Glob(filepath.Join(s.data, "brackwater", "attachments", "*"))
	s.must(err)
	if len(attached) != 1 {
		t.Fatalf("there are %d files", len(attached))
	}
	_, _, code := s.parrot("", "contact", "forget", c.Contact, "-really")
	if left, _ := filepath.Glob(filepath.Join(s.data, "brackwater", "attachments", "*")); code != 0 || len(left) != 0 {
		t.Errorf("after forgetting (%d) %d files are left", code, len(left))
	}
}

// A mail that does not arrive is marked, and people look after it.
func TestAReportMarksTheMailThatDidNotArrive(t *testing.T) {
	s := open(t)
	c := s.mails("Ada Winter <ada.winter@example.org>", "Bicycles", "What does a bicycle cost?", "")
	held := s.held(c.ID)
	_, err := s.client.Approve(s.ctx, held.Message.ID, "")
	s.must(err)
	s.eventually("it is sent", func() bool { return len(s.World.Mailroom.MailsTo("ada.winter@example.org")) == 1 })
	raw, err := os.ReadFile("../internal/letter/testdata/report-failed.eml")
	s.must(err)
	s.must(s.World.Mailroom.Put([]byte(strings.ReplaceAll(string(raw), "our1@brackwater.example", held.Message.ID+"@brackwater.example"))))
	s.eventually("people are to look after it", func() bool {
		got, err := s.client.Conversation(s.ctx, c.ID)
		return err == nil && got.WaitingSince != nil && got.Reason == "a message did not arrive"
	})
	contains(t, strings.Join(s.said(c.ID), "\n"), "The message did not arrive: 550 5.1.1 no such user here, says the server of ada.winter@example.org")
}

// What was built is tried, and looked at, from the terminal.
func TestAMailboxIsTriedFromTheTerminal(t *testing.T) {
	s := open(t)
	s.watched()
	_, err := s.World.Mailroom.Write("Old <old@example.org>", "Fares", "What was the fare last year?", "")
	s.must(err)
	s.mailed("old@example.org", "What was")
	out, errs, code := s.parrot("", "channel", "test", "office-mail")
	contains(t, out, "office-mail works", "Drafts, INBOX, Junk, Sent, Worth knowing")
	if code != 0 {
		t.Error(errs)
	}
	if _, errs, code = s.parrot("", "channel", "look", "website"); code != 1 || !strings.Contains(errs, "nothing to look for") {
		t.Errorf("%d, %s", code, errs)
	}
	out, errs, code = s.parrot("", "channel", "past", "office-mail", "-from", "2026-01-01")
	contains(t, out, "1 message taken in")
	if _, errs, code = s.parrot("", "channel", "past", "office-mail", "-from", "yesterday"); code != 2 {
		t.Errorf("%d, %s", code, errs)
	}
	s.World.Mailroom.Set(true, 0)
	out, errs, code = s.parrot("", "channel", "test", "office-mail")
	if code != 1 || !strings.Contains(errs, "does not work") {
		t.Errorf("out of order it says %d %s %s", code, out, errs)
	}
	s.World.Mailroom.Set(false, 0)
}

// notified waits for the nth mail to the crew.
func (s *stage) notified(n int) world.Mail {
	s.t.Helper()
	s.eventually(fmt.Sprintf("the crew has %d mails", n), func() bool { return len(s.World.Mailroom.MailsTo("crew@brackwater.example")) >= n })
	return s.World.Mailroom.MailsTo("crew@brackwater.example")[n-1]
}

// Whoever is told of a conversation by mail answers that mail: as the reply itself, with a
// fact, by approving what waits, or by ending it. What came of it is told back. A stranger,
// and one with a made-up address, change nothing.
func TestANotificationIsAnsweredByMail(t *testing.T) {
	s := open(t)
	s.encoded("Is there food on board?")
	v := s.visitor()
	contains(t, s.asks(v, "do you sell gift vouchers?"), "asked")
	told := s.notified(1)
	contains(t, told.Body, "gift vouchers", "approve", "fact: ...")
	if !strings.HasPrefix(told.ReplyTo, "office+r-") {
		t.Fatalf("answers go to %q", told.ReplyTo)
	}
	write := func(from, to, body, answers string) {
		t.Helper()
		_, err := s.World.Mailroom.WriteTo(from, to, "Re: "+told.Subject, body, answers)
		s.must(err)
	}
	// Neither who got hold of the address nor who guesses one is listened to.
	write("eve@example.net", told.ReplyTo, "close", "")
	write("crew@brackwater.example", "office+r-abcdefghijklmnopqrstuvwx@brackwater.example", "close", "")
	write("crew@brackwater.example", told.ReplyTo, "fact: vouchers are sold at the ticket office\n\nOn Tuesday, Pip wrote:\n> approve", "")
	said, err := v.Next(s.ctx)
	s.must(err)
	if said.Author != "person" || !strings.Contains(said.Text, "ouchers are sold at the ticket office") {
		t.Errorf("the visitor hears %+v", said)
	}
	contains(t, s.notified(2).Body, "Done. The customer is told, in your name", "ouchers are sold")
	lessons, err := s.client.Lessons(s.ctx, "proposed")
	s.must(err)
	if len(lessons.Items) != 1 {
		t.Errorf("the lessons are %+v", lessons.Items)
	}
	c := s.conversation("")
	if c.Lead != "bot" {
		t.Errorf("the conversation stands at %+v", c)
	}
	contains(t, strings.Join(s.said(c.ID), "\n"), "Robin took the conversation")

	// As the reply itself, by a program that answers to the sender's address.
	write("crew@brackwater.example", world.OfficeAddress, "We also have them in the shop.\n\n-- \nRobin", s.notified(2).ID)
	if said, err = v.Next(s.ctx); err != nil || said.Text != "We also have them in the shop." {
		t.Errorf("the visitor hears %+v, %v", said, err)
	}
	s.notified(3)
	write("crew@brackwater.example", told.ReplyTo, "approve", "")
	contains(t, s.notified(4).Body, "no reply waits for approval there")
	write("crew@brackwater.example", told.ReplyTo, "Close.", "")
	contains(t, s.notified(5).Body, "the conversation is closed")
	if c = s.conversation(""); c.Lead != "closed" {
		t.Errorf("it stands at %s", c.Lead)
	}

	// A held reply is approved by mail once.
	mail := s.mails("Ada Winter <ada.winter@example.org>", "Vouchers and food", "Do you sell model boats? And is there food on board?", "")
	held := s.held(mail.ID)
	told = s.notified(6)
	for range 2 {
		write("crew@brackwater.example", told.ReplyTo, "approve", "")
	}
	contains(t, s.notified(7).Body, "Done. The customer is told")
	contains(t, s.notified(8).Body, "Nothing was done")
	if mails := s.World.Mailroom.MailsTo("ada.winter@example.org"); len(mails) != 1 || mails[0].ID != held.Message.ID+"@brackwater.example" {
		t.Errorf("the customer has %+v", mails)
	}
}

// Another mail server forwards mails to the service itself. What it acknowledges is on disk; it
// takes nothing for other addresses, and nothing too large.
func TestMailsAreForwardedToTheService(t *testing.T) {
	d, err := service.StartDemo(t.Context(), service.Options{Data: t.TempDir(), Listen: "127.0.0.1:0", Post: &service.Post{Listen: "127.0.0.1:0"}}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = d.Close() })
	token, err := d.NewToken(t.Context(), service.DemoWorkspace, "Robin")
	s := &stage{Demo: d, t: t, ctx: t.Context(), client: &client.Client{Server: d.PublicURL, Token: token}}
	s.must(err)
	doc, err := s.client.Document(s.ctx, "channels", "office-mail")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "channels", "office-mail", doc.Text+"receives: [office@brackwater.example]\nforwarded: true\n", 0)
	s.must(err)
	server := &submission.Server{Address: d.PostAddr, Rules: outbound.Rules{Allowed: []string{"127.0.0.1"}}}
	defer server.Close()
	raw := []byte("From: Ada Winter <ada@example.org>\r\nTo: office@brackwater.example\r\nSubject: Dogs\r\nMessage-ID: <forwarded@example.org>\r\n\r\nCan I bring my dog?\r\n")
	for _, to := range []string{"office@brackwater.example", "Office+summer@brackwater.example"} { // the second is a repeat
		s.must(server.Send(s.ctx, "ada@example.org", []string{to}, raw))
		page, err := s.client.Conversations(s.ctx, "", "", "")
		s.must(err)
		if len(page.Items) != 1 || page.Items[0].Subject != "Dogs" {
			t.Fatalf("after the acknowledgement there is %+v", page.Items)
		}
		messages, err := s.client.Messages(s.ctx, page.Items[0].ID, "")
		s.must(err)
		customers := 0
		for _, m := range messages.Items {
			if m.Author == "customer" {
				customers++
			}
		}
		if customers != 1 {
			t.Errorf("the mail stands %d times", customers)
		}
	}
	for to, mail := range map[string][]byte{"pip@brackwater.example": raw, "office@example.net": raw, "office@brackwater.example": append(bytes.Clone(raw), bytes.Repeat([]byte("boats and more boats\r\n"), 26<<20/22)...)} {
		if err := server.Send(s.ctx, "ada@example.org", []string{to}, mail); !errors.Is(err, outbound.ErrRefused) {
			t.Errorf("a mail of %d bytes to %s: %v", len(mail), to, err)
		}
	}
}

// A reply lies among the drafts of the mailbox. Whoever sends it from there has approved it, as
// it is or in other words; what a customer overtakes is replaced; what is approved in the
// console is taken out; and a person who answers without a draft silences the bot.
func TestRepliesAreSentFromTheMailbox(t *testing.T) {
	s := open(t)
	s.encoded("What does a bicycle cost?")
	doc, err := s.client.Document(s.ctx, "channels", "office-mail")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "channels", "office-mail", strings.Replace(doc.Text, "replies: hold", "replies: draft", 1), 0)
	s.must(err)
	draft := func(begins string) (d world.Mail) {
		t.Helper()
		s.eventually("a draft says "+begins, func() bool {
			list, err := s.World.Mailroom.Folder("Drafts")
			if err != nil || len(list) != 1 || !strings.Contains(list[0].Body, begins) {
				return false
			}
			d = list[0]
			return true
		})
		return d
	}
	noDraft := func() {
		t.Helper()
		s.eventually("no draft is left", func() bool { list, err := s.World.Mailroom.Folder("Drafts"); return err == nil && len(list) == 0 })
	}
	happened := func(id, what string) {
		t.Helper()
		s.eventually(what, func() bool { return strings.Contains(strings.Join(s.said(id), "\n"), what) })
	}

	c := s.mails("Ada Winter <ada@example.org>", "Bicycles", "What does a bicycle cost?", "")
	d := draft("£2.50")
	contains(t, d.To+" "+d.Subject, "ada@example.org", "Re: Bicycles")
	// The customer writes on: the draft is another, for both mails.
	if again := s.mails("Ada Winter <ada@example.org>", "Re: Bicycles", "And is there food on board?", ""); again.ID != c.ID {
		t.Fatalf("what goes on is the conversation %s, not %s", again.ID, c.ID)
	}
	d = draft("tea counter")
	contains(t, d.Body, "£2.50")
	// Sent as it is.
	s.must(s.World.Mailroom.SendDraft(d.ID, ""))
	happened(c.ID, "sent the draft")
	noDraft()
	got, err := s.client.Conversation(s.ctx, c.ID)
	s.must(err)
	if got.Lead != "bot" || got.WaitingSince != nil {
		t.Errorf("the conversation stands at %+v", got)
	}
	// Sent with other numbers: a lesson is proposed.
	c = s.mails("Bea <bea@example.org>", "Price", "What does a bicycle cost?", "")
	d = draft("£2.50")
	s.must(s.World.Mailroom.SendDraft(d.ID, strings.Replace(d.Body, "£2.50", "£3.00", 1)))
	happened(c.ID, "changed the draft and sent it")
	noDraft()
	done, err := s.client.Independence(s.ctx)
	s.must(err)
	if len(done.Topics) != 2 || done.Last[0].Verdict != "changed" || !strings.Contains(done.Last[0].Became, "£3.00") || done.Last[1].Verdict != "unchanged" {
		t.Errorf("counted is %+v", done)
	}
	// Approved in the console: it goes out from here, and the draft is taken out.
	c = s.mails("Cy <cy@example.org>", "Food", "Is there food on board?", "")
	draft("tea counter")
	_, err = s.client.Approve(s.ctx, s.held(c.ID).Message.ID, "")
	s.must(err)
	noDraft()
	s.eventually("it is sent", func() bool { return len(s.World.Mailroom.MailsTo("cy@example.org")) == 1 })
	// Answered without a draft: the bot is silent from then on.
	s.must(s.World.Mailroom.SendAsOffice("cy@example.org", "Re: Food", "And there is cake on Sundays.", s.World.Mailroom.MailsTo("cy@example.org")[0].ID))
	happened(c.ID, "answered from their own mail program")
	got, err = s.client.Conversation(s.ctx, c.ID)
	s.must(err)
	if got.Lead != "person" || got.Assignee != "Robin" {
		t.Errorf("the conversation stands at %+v", got)
	}
}

// Two machines that answer each other in ever new threads come to an end; and what is known of
// one address is not sent to another that a mail names for its answers.
func TestMailsOfMachinesComeToAnEnd(t *testing.T) {
	s := open(t)
	s.encoded("What does a bicycle cost?")
	doc, err := s.client.Document(s.ctx, "channels", "office-mail")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "channels", "office-mail", strings.Replace(doc.Text, "replies: hold", "replies: send", 1), 0)
	s.must(err)
	s.watched()
	const most = 20
	for i := range most {
		_, err := s.World.Mailroom.Write("robot@example.net", fmt.Sprint("Ticket ", i), "What does a bicycle cost?", "")
		s.must(err)
		s.eventually("it is answered", func() bool { return len(s.World.Mailroom.MailsTo("robot@example.net")) == i+1 })
	}
	c := s.mails("robot@example.net", "Ticket again", "What does a tandem cost?", "")
	contains(t, strings.Join(s.said(c.ID), "\n"), "automated: What does a tandem cost?")
	if n := len(s.World.Mailroom.MailsTo("robot@example.net")); n != most {
		t.Errorf("it had %d answers", n)
	}

	s.mails("Ada Winter <ada@example.org>", "Hello", "My name is Ada Winter. What does a bicycle cost?", "")
	s.must(s.World.Mailroom.Put([]byte("From: Ada Winter <ada@example.org>\r\nReply-To: eve@example.net\r\nTo: office@brackwater.example\r\nSubject: Again\r\nMessage-ID: <eve@example.net>\r\n\r\nWhat does a bicycle cost, and what is my name?\r\n")))
	s.eventually("Eve is answered", func() bool { return len(s.World.Mailroom.MailsTo("eve@example.net")) == 1 })
	other := s.conversation("eve@example.net")
	if ada := s.conversation("ada@example.org"); other.Contact == ada.Contact {
		t.Error("who writes in the name of Ada is taken for Ada")
	}
}
