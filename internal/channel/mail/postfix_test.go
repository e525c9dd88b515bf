package mail

import (
	"errors"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/test/mailservers"
)

// Mails leave by a real mail server, signed in, and lie with their customer once, however often
// they are handed over; one that it refuses at once is given up, and one that comes back later,
// as a report in the office's own mailbox, is told of as not delivered.
func TestMailsLeaveByARealServer(t *testing.T) {
	if !mailservers.HasPostfix() {
		t.Skip("postfix is not installed, or cannot be started here")
	}
	d := startDovecot(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	refuses := &judge{func(_, _, _ string) channeltest.Verdict { return channeltest.Refuses }, t.Context().Done()}
	other := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &judged{judge: refuses}, nil }))
	go other.Serve(l)
	t.Cleanup(func() { other.Close() })
	_, gone, _ := net.SplitHostPort(l.Addr().String())
	sends, err := mailservers.NewPostfix(d.Dovecot, gone)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(sends.Stop)
	o := d.office("", sends.Address)
	o.run()
	out := func(id, to string) channel.Outgoing {
		return channel.Outgoing{ID: id, Address: to, Subject: "Dogs", Parts: message.Of("Dogs travel free. Sæl!"), At: time.Now()}
	}
	send := func(id, to string) error { return o.box.Send(t.Context(), out(id, to)) }
	for range 2 {
		if err := send("one", "ada@customers.example"); err != nil {
			t.Fatal(err)
		}
	}
	var mails []string
	o.eventually("they lie with the customer", func() bool {
		mails, err = d.Delivered("ada@customers.example")
		return err == nil && len(mails) == 2 // the server recognises no repeat; whoever reads them can
	})
	for _, mail := range mails {
		for _, part := range []string{"Message-Id: <one@brackwater.example>", "From: \"Brackwater Ferries\" <office@brackwater.example>", "To: <ada@customers.example>", "Subject: Re: Dogs", "Auto-Submitted: auto-", "ESMTPA", "LMTP"} {
			if !strings.Contains(strings.ToLower(mail), strings.ToLower(part)) {
				t.Errorf("the mail lacks %q:\n%s", part, mail)
			}
		}
	}
	if err := send("two", "nobody@customers.example"); !errors.Is(err, outbound.ErrRefused) || !strings.Contains(err.Error(), "550") {
		t.Errorf("to nobody: %v", err)
	}
	if err := send("three", "ada@gone.example"); err != nil {
		t.Fatal(err)
	}
	o.eventually("the report is told of", func() bool { return len(o.room.NotDelivered()) == 1 })
	if told := o.room.NotDelivered()[0]; !strings.HasPrefix(told, "three") || !strings.Contains(told, "no such user") {
		t.Errorf("told: %q", told)
	}
	o.box.server.Secret = "guessed"
	o.box.server.Close()
	if err := send("four", "ada@customers.example"); err == nil || errors.Is(err, outbound.ErrRefused) || !strings.Contains(err.Error(), "does not let us in") {
		t.Errorf("with another password: %v", err)
	}
}
