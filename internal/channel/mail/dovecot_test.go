package mail

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/test/mailservers"
)

// A dovecot is a real IMAP server.
type dovecot struct {
	*mailservers.Dovecot
	t *testing.T
}

// startDovecot starts one; where it is not installed, the test is left out (make test
// installs it).
func startDovecot(t *testing.T) *dovecot {
	t.Helper()
	if !mailservers.HasDovecot() {
		t.Skip("dovecot is not installed")
	}
	folder, err := os.MkdirTemp("/tmp", "dovecot-") // its sockets need a short name
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	d, err := mailservers.NewDovecot(folder)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(d.Stop)
	return &dovecot{d, t}
}

// put appends mails to a folder, over a connection of its own.
func (d *dovecot) put(folder string, mails ...string) {
	d.t.Helper()
	c, err := imapclient.DialInsecure(d.Address, nil)
	if err != nil {
		d.t.Fatal(err)
	}
	defer c.Close()
	if err := c.Login("office@brackwater.example", mailservers.Password).Wait(); err != nil {
		d.t.Fatal(err)
	}
	for _, mail := range mails {
		raw := bytes.ReplaceAll([]byte(mail), []byte("\n"), []byte("\r\n"))
		w := c.Append(folder, int64(len(raw)), nil)
		if _, err := w.Write(raw); err != nil {
			d.t.Fatal(err)
		}
		if err := w.Close(); err != nil {
			d.t.Fatal(err)
		}
		if _, err := w.Wait(); err != nil {
			d.t.Fatal(err)
		}
	}
}

var statusUnseen = imap.StatusOptions{NumUnseen: true}

func aMail(n int, says string) string {
	return fmt.Sprintf("From: Ada Winter <ada@example.org>\nTo: office@brackwater.example\nSubject: Question %d\nMessage-ID: <m%d@example.org>\nDate: Tue, 03 Mar 2026 09:00:00 +0000\n\n%s\n", n, n, says)
}

// office opens a channel over the server, whose mails go out by another if one is named.
func (d *dovecot) office(more string, sends ...string) *office {
	d.t.Helper()
	o := &office{t: d.t, room: &channeltest.Room{}}
	parsed, err := channel.Parse([]channel.Kind{Kind})("office.yaml", []byte(strings.Replace(Kind.Example, "replies: hold\n", "", 1)+more))
	if err != nil {
		d.t.Fatal(err)
	}
	setup := o.room.Setup(clock.Real{})
	setup.Rules, setup.Secret = outbound.Rules{Allowed: []string{"127.0.0.1"}}, mailservers.Password
	setup.Other = workspace.Connection{Address: d.Address, Sends: append(sends, "127.0.0.1:1")[0], From: "office@brackwater.example", Security: workspace.NoSecurity}
	a, err := Kind.Open(parsed.(channel.Settings), setup)
	if err != nil {
		d.t.Fatal(err)
	}
	o.box = a.(*mailbox)
	d.t.Cleanup(func() { a.Close() })
	return o
}

// A real server tells of new mails by itself (IDLE). One that is stopped and started again is
// gone on with, and mails that came meanwhile are taken in, each once.
func TestARealMailboxIsWatched(t *testing.T) {
	d := startDovecot(t)
	d.put("INBOX", aMail(0, "An old one."))
	o := d.office("mark_seen: true\n")
	o.run()
	begun := time.Now()
	d.put("INBOX", aMail(1, "Is there food on board?"))
	o.eventually("a mail is here", func() bool { return len(o.room.Received()) == 1 })
	if took := time.Since(begun); took > 2*time.Second { // a second, on a machine that does nothing else
		t.Errorf("it took %s", took)
	}
	if found, err := o.box.Test(t.Context()); err == nil || !strings.Contains(strings.Join(found, " "), "Drafts") || !strings.Contains(err.Error(), "cannot go out") {
		t.Errorf("found %q, %v", found, err)
	}

	d.Stop()
	if err := o.stop(); err == nil {
		t.Log("the channel was asked to end before it saw that the server had gone")
	}
	if err := d.Start(); err != nil {
		t.Fatal(err)
	}
	d.put("INBOX", aMail(2, "Is there a lift?"), aMail(3, "Is there a bar?"))
	o.run()
	o.eventually("those that came meanwhile are here", func() bool { return len(o.room.Received()) == 3 })
	seen := map[string]int{}
	for _, in := range o.room.Received() {
		seen[in.Thread.Subject]++
	}
	for subject, times := range seen {
		if times != 1 {
			t.Errorf("%s came %d times", subject, times)
		}
	}
	// What was taken in is marked as read.
	c, err := imapclient.DialInsecure(d.Address, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if err := c.Login("office@brackwater.example", mailservers.Password).Wait(); err != nil {
		t.Fatal(err)
	}
	o.eventually("all but the old one are marked as read", func() bool {
		box, err := c.Status("INBOX", &statusUnseen).Wait()
		return err == nil && box.NumUnseen != nil && *box.NumUnseen == 1
	})
}

// Folders that are numbered anew, as after a repair, bring no mail twice and lose none.
func TestAMailboxThatIsNumberedAnewLosesNothing(t *testing.T) {
	d := startDovecot(t)
	o := d.office("")
	o.run()
	d.put("INBOX", aMail(1, "Is there food on board?"))
	o.eventually("a mail is here", func() bool { return len(o.room.Received()) == 1 })
	if err := o.stop(); err != nil {
		t.Fatal(err)
	}
	d.put("INBOX", aMail(2, "Is there a lift?"))
	d.Stop()
	for _, lists := range []string{"dovecot-uidlist", "dovecot-uidvalidity*"} {
		files, _ := filepath.Glob(filepath.Join(d.Folder, "mail", "*", lists))
		for _, file := range files {
			if err := os.Remove(file); err != nil {
				t.Fatal(err)
			}
		}
	}
	files, _ := filepath.Glob(filepath.Join(d.Folder, "mail", "*", "dovecot.*"))
	for _, file := range files {
		if err := os.Remove(file); err != nil {
			t.Fatal(err)
		}
	}
	// The new validity is the second of its making: it must be another one.
	time.Sleep(time.Second)
	if err := d.Start(); err != nil {
		t.Fatal(err)
	}
	o.run()
	o.eventually("the second is here", func() bool { return len(o.room.Received()) == 2 })
	ctx, cancel := context.WithTimeout(t.Context(), time.Second)
	defer cancel()
	<-ctx.Done()
	if n := len(o.room.Received()); n != 2 {
		t.Errorf("%d mails came", n)
	}
}

// A real server keeps the drafts as they should be, too.
func TestRepliesLieAmongTheDraftsOfARealMailbox(t *testing.T) {
	d := startDovecot(t)
	drafts(t, d.office("replies: draft\n"))
}

// Flags and keywords that somebody sets in a real mailbox are told of, with those of a mail that
// was there before.
func TestARealMailboxTellsOfMarks(t *testing.T) {
	d := startDovecot(t)
	d.put("INBOX", aMail(0, "What was the fare last year?"))
	o := d.office("learns: { keyword: worth-knowing }\n")
	o.run()
	d.put("INBOX", aMail(1, "Is there food on board?"))
	o.eventually("a mail is here", func() bool { return len(o.room.Received()) == 1 })
	c, err := imapclient.DialInsecure(d.Address, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if err := c.Login("office@brackwater.example", mailservers.Password).Wait(); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Select("INBOX", nil).Wait(); err != nil {
		t.Fatal(err)
	}
	mark := func(at uint32, flag imap.Flag) {
		t.Helper()
		if err := c.Store(imap.SeqSetNum(at), &imap.StoreFlags{Op: imap.StoreFlagsAdd, Silent: true, Flags: []imap.Flag{flag}}, nil).Close(); err != nil {
			t.Fatal(err)
		}
	}
	mark(2, imap.FlagFlagged)
	o.eventually("a draft is asked for", func() bool { return len(o.room.WereWanted()) == 1 })
	mark(1, imap.FlagFlagged)
	mark(1, "worth-knowing")
	o.eventually("another is, and a mail teaches", func() bool { return len(o.room.WereWanted()) == 2 && len(o.room.WereTaught()) == 1 })
	if wanted, taught := o.room.WereWanted(), o.room.WereTaught(); wanted[0].Thread.Subject != "Question 1" || wanted[1].Thread.Subject != "Question 0" || taught[0].Text != "What was the fare last year?" {
		t.Errorf("wanted %+v, taught %+v", wanted, taught)
	}
}
