package mail

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"
	"github.com/emersion/go-smtp"

	"io"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/letter"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/world"
)

// A judge is a mail server that says to each mail what a test wants.
type judge struct {
	say  func(id, address, words string) channeltest.Verdict
	done <-chan struct{}
}

type judged struct {
	*judge
	to string
}

func (j judged) Reset()                               {}
func (j judged) Logout() error                        { return nil }
func (j judged) Mail(string, *smtp.MailOptions) error { return nil }
func (j *judged) Rcpt(to string, _ *smtp.RcptOptions) error {
	j.to = to
	return nil
}

func (j *judged) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	l := letter.Read(raw)
	id, _, _ := strings.Cut(l.ID, "@")
	switch j.say(id, j.to, l.Text) {
	case channeltest.Busy:
		return &smtp.SMTPError{Code: 451, Message: "come back later"}
	case channeltest.Refuses:
		return &smtp.SMTPError{Code: 550, Message: "no such user"}
	case channeltest.Hangs:
		<-j.done
	}
	return nil
}

func TestTheMailboxConforms(t *testing.T) {
	channeltest.Conforms(t, channeltest.Subject{
		Kind: Kind, Handle: "ada%04d@example.org",
		Gateway: func(t *testing.T, say func(id, address, words string) channeltest.Verdict) string {
			l, err := net.Listen("tcp", "127.0.0.1:0")
			if err != nil {
				t.Fatal(err)
			}
			server := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &judged{judge: &judge{say, t.Context().Done()}}, nil }))
			go server.Serve(l)
			t.Cleanup(func() { server.Close() })
			return l.Addr().String()
		},
	})
}

// An office is a mailbox in the mailroom, with the channel that watches it.
type office struct {
	t    *testing.T
	room *channeltest.Room
	mail *world.Mailroom
	box  *mailbox
	stop func() error
}

// newOffice opens a channel over a mailroom; more is added to its document.
func newOffice(t *testing.T, more string) *office {
	t.Helper()
	w, err := world.New(world.Options{})
	if err != nil {
		t.Fatal(err)
	}
	listen := func(serve func(net.Listener) error) string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		go serve(l)
		t.Cleanup(func() { l.Close() })
		return l.Addr().String()
	}
	o := &office{t: t, room: &channeltest.Room{}, mail: w.Mailroom}
	d, err := channel.Parse([]channel.Kind{Kind})("office.yaml", []byte(strings.Replace(Kind.Example, "replies: hold\n", "", 1)+more))
	if err != nil {
		t.Fatal(err)
	}
	setup := o.room.Setup(clock.Real{})
	setup.Rules = outbound.Rules{Allowed: []string{"127.0.0.1"}}
	setup.Secret = world.OfficePassword
	setup.Other = workspace.Connection{Address: listen(w.ServeMailbox), Sends: listen(w.ServeMail), From: world.OfficeAddress, Security: workspace.NoSecurity}
	a, err := Kind.Open(d.(channel.Settings), setup)
	if err != nil {
		t.Fatal(err)
	}
	o.box = a.(*mailbox)
	t.Cleanup(func() { a.Close() })
	return o
}

// run watches the mailbox from now on; it returns once it is known where now is.
func (o *office) run() {
	o.t.Helper()
	ctx, cancel := context.WithCancel(o.t.Context())
	ended := make(chan error, 1)
	go func() { ended <- o.box.Run(ctx) }()
	o.stop = func() error { cancel(); return <-ended }
	o.t.Cleanup(cancel)
	o.eventually("the mailbox is watched", func() bool {
		at, _ := o.room.Recall(o.t.Context(), "folder INBOX")
		return at != ""
	})
}

func (o *office) eventually(what string, is func() bool) {
	o.t.Helper()
	for end := time.Now().Add(10 * time.Second); !is(); time.Sleep(5 * time.Millisecond) {
		if time.Now().After(end) {
			o.t.Fatalf("in ten seconds it did not come about that %s; received: %+v", what, o.room.Received())
		}
	}
}

func (o *office) write(from, subject, body, answers string) string {
	o.t.Helper()
	id, err := o.mail.Write(from, subject, body, answers)
	if err != nil {
		o.t.Fatal(err)
	}
	return id
}

// What comes into the mailbox from the first connection on is taken in within a second; the
// old pile only when it is asked for, and then nothing answers it.
func TestMailsComeInFromNowOn(t *testing.T) {
	o := newOffice(t, "")
	o.write("Old <old@example.org>", "Fares", "What was the fare last year?", "")
	o.run()
	begun := time.Now()
	id := o.write("Ada Winter <ada@example.org>", "Dogs on board", "Can I bring my dog?\n\n-- \nAda", "")
	o.eventually("a new mail is here", func() bool { return len(o.room.Received()) == 1 })
	if took := time.Since(begun); took > time.Second {
		t.Errorf("it took %s", took)
	}
	got := o.room.Received()[0]
	if got.Address != "ada@example.org" || got.Name != "Ada Winter" || got.Text != "Can I bring my dog?" || got.Beside.Signature != "--\nAda" || got.Thread.Subject != "Dogs on board" ||
		!strings.HasPrefix(got.ExternalID, id+"#") || got.Automated || got.Beside.Silent != "" || !got.Unproven {
		t.Errorf("it is received as %+v", got)
	}
	done, all := 0, 0
	if err := o.box.Past(t.Context(), time.Now().AddDate(0, 0, -1), time.Now().AddDate(0, 0, 2), func(d, a int) { done, all = d, a }); err != nil || done != 2 || all != 2 {
		t.Errorf("of the old pile %d of %d came, %v", done, all, err)
	}
	if list := o.room.Received(); len(list) != 2 || list[1].Beside.Silent == "" || list[1].Address != "old@example.org" {
		t.Errorf("with the old pile there is %+v", list)
	}
}

// A channel that is closed and opened again, or whose server broke off, goes on where it was:
// each mail comes once.
func TestTheMailboxGoesOnWhereItWas(t *testing.T) {
	o := newOffice(t, "")
	o.run()
	o.write("ada@example.org", "One", "Is there food on board?", "")
	o.eventually("the first is here", func() bool { return len(o.room.Received()) == 1 })
	if err := o.stop(); err != nil {
		t.Fatal(err)
	}
	o.write("ada@example.org", "Two", "And for dogs?", "")
	o.run()
	o.eventually("the second is here", func() bool { return len(o.room.Received()) == 2 })

	// One that cannot be kept is fetched again, and none behind it is lost.
	if err := o.stop(); err != nil {
		t.Fatal(err)
	}
	o.room.Fail(fmt.Errorf("the disk is full"))
	o.write("ada@example.org", "Three", "Is there a lift?", "")
	if err := o.box.Run(t.Context()); err == nil || !strings.Contains(err.Error(), "disk is full") {
		t.Errorf("a mail that cannot be kept: %v", err)
	}
	o.room.Fail(nil)
	o.write("ada@example.org", "Four", "Is there a bar?", "")
	o.run()
	o.eventually("all are here", func() bool { return len(o.room.Received()) == 4 })
}

// What the mailbox lacks is said with what it has.
func TestWhatAMailboxLacksIsSaid(t *testing.T) {
	o := newOffice(t, "")
	if found, err := o.box.Test(t.Context()); err != nil || strings.Join(found, " ") != "Drafts INBOX Junk Sent Worth knowing" {
		t.Errorf("found %q, %v", found, err)
	}
	o.box.Folders = []string{"Customers"}
	if err := o.box.Run(t.Context()); err == nil || !strings.Contains(err.Error(), "no folder Customers; it has Drafts, INBOX") {
		t.Errorf("a folder that is not there: %v", err)
	}
	o.box.Folders, o.box.Secret = []string{"INBOX"}, "guessed"
	if _, err := o.box.Test(t.Context()); err == nil || !strings.Contains(err.Error(), "does not let office@brackwater.example sign in") || strings.Contains(err.Error(), "guessed") {
		t.Errorf("a wrong password: %v", err)
	}
	o.box.Secret = world.OfficePassword
	o.box.server.Secret = "guessed"
	if _, err := o.box.Test(t.Context()); err == nil || !strings.Contains(err.Error(), "cannot go out") {
		t.Errorf("a wrong password for sending: %v", err)
	}
	o.box.Other.Security = workspace.StartTLS
	if _, err := o.box.Test(t.Context()); err == nil || !strings.Contains(err.Error(), "encryption") {
		t.Errorf("a server without encryption, where it is wanted: %v", err)
	}
}

// An answer goes into the thread, to whom it should, with its sources and what it answers.
func TestAnAnswerStandsInItsThread(t *testing.T) {
	o := newOffice(t, "quote: true\nto_all: true\n")
	out := channel.Outgoing{
		ID: "01990000-0000-7000-8000-000000000001", Address: "ada@example.org", Parts: message.Of("Dogs travel free.\n\nYours, Pip"), At: time.Now(),
		Citations: []answer.Citation{{Trail: []string{"Dogs"}, Address: "https://brackwater.example/dogs"}},
		Subject:   "Dogs on board", References: []string{"a@example.org", "b@example.org"}, Said: "Can I bring my dog?", SaidAt: time.Now(),
		Original: message.Beside{From: "Ada Winter <ada@example.org>", To: []string{"office@brackwater.example"}, Copy: []string{"Bea <bea@example.org>", "ada@example.org"}},
	}
	for range 2 { // the second is the same mail
		if err := o.box.Send(t.Context(), out); err != nil {
			t.Fatal(err)
		}
	}
	mails := o.mail.Mails()
	if len(mails) != 2 {
		t.Fatalf("there are %+v", mails)
	}
	for i, to := range []string{"ada@example.org", "bea@example.org"} {
		m := mails[i]
		if m.To != to || m.Subject != "Re: Dogs on board" || m.ID != out.ID+"@brackwater.example" || m.Answers != "b@example.org" || m.Header["Auto-Submitted"] != "auto-replied" ||
			!strings.Contains(m.Header["References"], "a@example.org") || !strings.Contains(m.Header["To"], "Ada Winter") {
			t.Errorf("the mail to %s is %+v", to, m)
		}
		for _, part := range []string{"Dogs travel free.", "- Dogs https://brackwater.example/dogs", "Ada Winter <ada@example.org>, 20", "> Can I bring my dog?"} {
			if !strings.Contains(m.Body, part) {
				t.Errorf("it does not say %q: %s", part, m.Body)
			}
		}
	}
	out.ByPerson = true
	if a := o.box.answer(out); a.Automatic {
		t.Error("a person's own words are marked as a machine's")
	}
}

// Our own mails, and those of machines, are told with the reason; a report that a mail did not
// arrive is told of that message.
func TestWhatComesBackIsUnderstood(t *testing.T) {
	o := newOffice(t, "")
	o.run()
	own, err := letter.Write(letter.Answer{ID: "x@brackwater.example", From: letter.Person{Address: world.OfficeAddress}, To: []letter.Person{{Address: world.OfficeAddress}}, Subject: "Re: x", Text: "x", At: time.Now()})
	if err != nil {
		t.Fatal(err)
	}
	report := bytes.ReplaceAll([]byte(`From: MAILER-DAEMON@mx.example
Subject: Undelivered
Message-ID: <r@mx.example>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status; boundary="r"

--r
Content-Type: message/delivery-status

Reporting-MTA: dns; mx.example

Final-Recipient: rfc822; ada@example.org
Action: failed
Diagnostic-Code: smtp; 550 no such user

--r
Content-Type: text/rfc822-headers

Message-ID: <m-17@brackwater.example>
--r--
`), []byte("\n"), []byte("\r\n"))
	for _, raw := range [][]byte{own, report} {
		if err := o.mail.Put(raw); err != nil {
			t.Fatal(err)
		}
	}
	o.eventually("the report is told", func() bool { return len(o.room.NotDelivered()) == 1 })
	if told := o.room.NotDelivered()[0]; told != "m-17: 550 no such user, says the server of ada@example.org" {
		t.Errorf("told is %q", told)
	}
	for _, want := range []string{"one of our own", "delivery report"} {
		o.eventually("a mail is taken in that is "+want, func() bool {
			return slices.ContainsFunc(o.room.Received(), func(in channel.Incoming) bool { return strings.Contains(in.Beside.Silent, want) })
		})
	}
}

// opened opens a folder of the mailbox, as a mail program does.
func (o *office) opened(name string) (*imapclient.Client, *imap.SelectData) {
	o.t.Helper()
	c, err := imapclient.DialInsecure(o.box.Other.Address, nil)
	if err != nil {
		o.t.Fatal(err)
	}
	if err := c.Login(o.box.user(), o.box.Secret).Wait(); err != nil {
		o.t.Fatal(err)
	}
	box, err := c.Select(name, nil).Wait()
	if err != nil {
		o.t.Fatal(err)
	}
	return c, box
}

// folder reads what a folder of the mailbox holds.
func (o *office) folder(name string) (list []letter.Letter) {
	o.t.Helper()
	c, box := o.opened(name)
	defer c.Close()
	if box.NumMessages == 0 {
		return nil
	}
	var all imap.SeqSet
	all.AddRange(1, 0)
	whole := &imap.FetchItemBodySection{Peek: true}
	mails, err := c.Fetch(all, &imap.FetchOptions{BodySection: []*imap.FetchItemBodySection{whole}}).Collect()
	if err != nil {
		o.t.Fatal(err)
	}
	for _, mail := range mails {
		list = append(list, letter.Read(mail.FindBodySection(whole)))
	}
	return list
}

// empty removes all that a folder holds, as a person does who deletes it.
func (o *office) empty(name string) {
	o.t.Helper()
	c, _ := o.opened(name)
	defer c.Close()
	var all imap.SeqSet
	all.AddRange(1, 0)
	if err := c.Store(all, &imap.StoreFlags{Op: imap.StoreFlagsAdd, Silent: true, Flags: []imap.Flag{imap.FlagDeleted}}, nil).Close(); err != nil {
		o.t.Fatal(err)
	}
	if err := c.Expunge().Close(); err != nil {
		o.t.Fatal(err)
	}
}

// drafts tries how replies are laid among the drafts of a mailbox.
func drafts(t *testing.T, o *office) {
	walked := clock.NewWalked(time.Now())
	o.box.Clock = walked
	out := channel.Outgoing{ID: "01990000-0000-7000-8000-000000000001", Address: "ada@example.org", Parts: message.Of("Dogs travel free."), At: time.Now(), Subject: "Dogs", References: []string{"a@example.org"}}
	other := out
	other.ID, other.Parts = "01990000-0000-7000-8000-000000000002", message.Of("Soup.")
	lie := func(texts ...string) func() bool {
		return func() bool {
			var got []string
			for _, l := range o.folder("Drafts") {
				got = append(got, l.Text)
			}
			slices.Sort(got)
			return slices.Equal(got, texts)
		}
	}
	o.run()
	o.room.Lay(out)
	o.eventually("the reply lies among the drafts", lie("Dogs travel free."))
	if l := o.folder("Drafts")[0]; l.ID != out.ID+"@brackwater.example" || l.Subject != "Re: Dogs" || fmt.Sprint(l.References) != "[a@example.org a@example.org]" && fmt.Sprint(l.References) != "[a@example.org]" || l.To[0].Address != "ada@example.org" {
		t.Errorf("the draft is %+v", l)
	}
	o.room.Lay(out, other)
	o.eventually("both lie there", lie("Dogs travel free.", "Soup."))
	// Begun anew, it lays nothing twice, also where it does not know that it has.
	if err := o.stop(); err != nil {
		t.Fatal(err)
	}
	if err := o.room.Keep(t.Context(), "draft "+other.ID, ""); err != nil {
		t.Fatal(err)
	}
	o.run()
	o.eventually("it is known again", func() bool { state, _ := o.room.Recall(t.Context(), "draft "+other.ID); return state == "laid" })
	if !lie("Dogs travel free.", "Soup.")() {
		t.Errorf("begun anew, the drafts are %+v", o.folder("Drafts"))
	}
	// One that waits no more is taken out.
	o.room.Lay(other)
	o.eventually("one is left", lie("Soup."))
	// One that a person deletes was rejected; not at once, as it may just be sent.
	o.empty("Drafts")
	o.eventually("it is seen that it is gone", func() bool {
		walked.Walk(draftPause)
		state, _ := o.room.Recall(t.Context(), "draft "+other.ID)
		return state != "laid"
	})
	if got := o.room.WereDiscarded(); len(got) != 0 {
		t.Errorf("at once %q count as rejected", got)
	}
	o.eventually("it counts as rejected", func() bool {
		walked.Walk(draftPause)
		return slices.Equal(o.room.WereDiscarded(), []string{other.ID})
	})
	if len(o.folder("Drafts")) != 0 {
		t.Error("what was deleted was laid again")
	}
}

func TestRepliesLieAmongTheDrafts(t *testing.T) { drafts(t, newOffice(t, "replies: draft\n")) }

// What people send from their own mail program is told of, with the thread that it is in.
func TestWhatPeopleSendThemselvesIsToldOf(t *testing.T) {
	o := newOffice(t, "replies: draft\n")
	o.run()
	o.eventually("what is sent is watched", func() bool { at, _ := o.room.Recall(t.Context(), "folder Sent"); return at != "" })
	if err := o.mail.PutIn("Sent", []byte("From: Robin <office@brackwater.example>\r\nTo: Ada <ada@example.org>\r\nSubject: Re: Dogs\r\nMessage-ID: <own@robins-laptop>\r\nIn-Reply-To: <a@example.org>\r\n\r\nThey do.\r\n\r\nOn Tuesday 3 March 2026 Ada wrote:\r\n> Do dogs travel free?\r\n")); err != nil {
		t.Fatal(err)
	}
	o.eventually("it is told of", func() bool { return len(o.room.WereSent()) == 1 })
	if got := o.room.WereSent()[0]; got.Address != "ada@example.org" || got.Name != "Robin" || got.Text != "They do." || fmt.Sprint(got.Thread.References) != "[a@example.org]" || !strings.HasPrefix(got.ExternalID, "own@robins-laptop#") {
		t.Errorf("told is %+v", got)
	}
	if len(o.room.Received()) != 0 {
		t.Errorf("it was received as a customer's: %+v", o.room.Received())
	}
}
