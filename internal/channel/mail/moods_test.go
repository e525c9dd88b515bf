package mail

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/emersion/go-imap/v2/imapclient"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/world"
)

// What a mail server does to a mail decides whether it is tried again; whatever it was, the same
// mail arrives once it works again.
func TestAMailServersMoods(t *testing.T) {
	o := newOffice(t, "")
	finals := map[string]bool{"busy": false, "refuses": true, "slow": false, "drops": false, "full": false}
	for mood := range world.Moods {
		final, known := finals[mood]
		if !known {
			t.Errorf("nobody knows what becomes of a mail while the server %s", world.Moods[mood])
		}
		out := channel.Outgoing{ID: mood, Address: "ada@example.org", Subject: "Dogs", Parts: message.Of("Dogs travel free."), At: time.Now()}
		if mood == "full" {
			out.Address = world.OfficeAddress // it is the mailbox of the office that is full
		}
		if err := o.mail.SetMood(mood); err != nil {
			t.Fatal(err)
		}
		ctx, cancel := context.WithTimeout(t.Context(), 2*time.Second)
		err := o.box.Send(ctx, out)
		cancel()
		if err == nil || errors.Is(err, outbound.ErrRefused) != final {
			t.Errorf("a server that %s: %v", world.Moods[mood], err)
		}
		if err := o.mail.SetMood(""); err != nil {
			t.Fatal(err)
		}
		if err := o.box.Send(t.Context(), out); err != nil {
			t.Errorf("after a server that %s: %v", world.Moods[mood], err)
		}
	}
	if n := len(o.mail.MailsTo("ada@example.org")); n != len(finals)-1 {
		t.Errorf("%d mails arrived", n)
	}

	// A mailbox that has no folder for drafts gets one.
	bare := newOffice(t, "replies: draft\n")
	c, err := imapclient.DialInsecure(bare.box.Other.Address, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if err := errors.Join(c.Login(world.OfficeAddress, world.OfficePassword).Wait(), c.Delete("Drafts").Wait(), c.Delete("Sent").Wait()); err != nil {
		t.Fatal(err)
	}
	bare.room.Lay(channel.Outgoing{ID: "one", Address: "ada@example.org", Subject: "Dogs", Parts: message.Of("Dogs travel free."), At: time.Now()})
	bare.run()
	bare.eventually("the draft is laid", func() bool {
		list, err := bare.mail.Folder("Drafts")
		return err == nil && len(list) == 1
	})

	// Drafts for a full mailbox are laid once there is room.
	full := newOffice(t, "replies: draft\n")
	full.room.Lay(channel.Outgoing{ID: "one", Address: "ada@example.org", Subject: "Dogs", Parts: message.Of("Dogs travel free."), At: time.Now()})
	if err := full.mail.SetMood("full"); err != nil {
		t.Fatal(err)
	}
	if err := full.box.Run(t.Context()); err == nil {
		t.Error("a full mailbox takes drafts")
	}
	if err := full.mail.SetMood(""); err != nil {
		t.Fatal(err)
	}
	full.run()
	full.eventually("the draft is laid", func() bool {
		list, err := full.mail.Folder("Drafts")
		return err == nil && len(list) == 1
	})
}
