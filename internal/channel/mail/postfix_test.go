package mail

import (
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/outbound"
)

// free is an address of this machine at which nothing listens.
func free(t *testing.T) (address, port string) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	_, port, _ = net.SplitHostPort(l.Addr().String())
	return l.Addr().String(), port
}

// startPostfix starts a real mail server that lets in whom a dovecot knows, and delivers to that
// dovecot's mailboxes: the office's and that of one customer. What goes to gone.example it takes,
// and hands on to another server. Where it is not installed, the test is left out (make test
// installs it).
func startPostfix(t *testing.T, d *dovecot, gone string) (address string) {
	t.Helper()
	if _, err := exec.LookPath("postfix"); err != nil || os.Getuid() != 0 {
		t.Skip("postfix is not installed, or cannot be started here")
	}
	folder := filepath.Join(d.folder, "postfix")
	address, port := free(t)
	main := strings.NewReplacer("DIR", folder, "MAIL", filepath.Join(d.folder, "mail"), "AUTH", d.auth, "GONE", gone).Replace(`compatibility_level = 3.6
queue_directory = DIR/queue
data_directory = DIR/data
maillog_file = DIR/log
maillog_file_prefixes = /tmp, /var
myhostname = mx.brackwater.example
mydestination =
mynetworks =
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
alias_maps =
local_recipient_maps =
biff = no
smtpd_sasl_auth_enable = yes
smtpd_sasl_type = dovecot
smtpd_sasl_path = inet:AUTH
smtpd_recipient_restrictions = permit_sasl_authenticated, reject
smtpd_relay_restrictions = permit_sasl_authenticated, reject
virtual_mailbox_domains = brackwater.example, customers.example
virtual_mailbox_base = MAIL
virtual_mailbox_maps = inline:{ {office@brackwater.example = office@brackwater.example/} {ada@customers.example = ada@customers.example/} }
virtual_uid_maps = static:NOBODY
virtual_gid_maps = static:NOGROUP
virtual_minimum_uid = 1
transport_maps = inline:{ {gone.example = smtp:[127.0.0.1]:GONE} }
`)
	id := func(of string) string {
		out, err := exec.Command("id", of, "nobody").Output()
		if err != nil {
			t.Fatal(err)
		}
		return strings.TrimSpace(string(out))
	}
	main = strings.NewReplacer("NOBODY", id("-u"), "NOGROUP", id("-g")).Replace(main)
	var master strings.Builder
	for _, line := range []string{
		"127.0.0.1:" + port + " inet n - n - - smtpd", "pickup unix n - n 60 1 pickup", "cleanup unix n - n - 0 cleanup", "qmgr unix n - n 300 1 qmgr", "tlsmgr unix - - n 1000? 1 tlsmgr",
		"rewrite unix - - n - - trivial-rewrite", "bounce unix - - n - 0 bounce", "defer unix - - n - 0 bounce", "trace unix - - n - 0 bounce", "proxymap unix - - n - - proxymap",
		"smtp unix - - n - - smtp", "error unix - - n - - error", "retry unix - - n - - error", "virtual unix - n n - - virtual", "anvil unix - - n - 1 anvil", "postlog unix-dgram n - n - 1 postlogd",
	} {
		fmt.Fprintln(&master, line)
	}
	for _, err := range []error{
		os.MkdirAll(filepath.Join(folder, "queue"), 0o755), os.WriteFile(filepath.Join(folder, "main.cf"), []byte(main), 0o644), os.WriteFile(filepath.Join(folder, "master.cf"), []byte(master.String()), 0o644),
	} {
		if err != nil {
			t.Fatal(err)
		}
	}
	server := exec.Command("postfix", "-c", folder, "start-fg")
	var said strings.Builder
	server.Stdout, server.Stderr = &said, &said
	if err := server.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = exec.Command("postfix", "-c", folder, "stop").Run()
		_ = server.Wait() // it says that it was stopped
	})
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if conn, err := net.Dial("tcp", address); err == nil {
			conn.Close()
			return address
		}
		if time.Now().After(end) {
			log, _ := os.ReadFile(filepath.Join(folder, "log"))
			t.Fatalf("postfix does not answer: %s\n%s", said.String(), log)
		}
	}
}

// Mails leave by a real mail server, signed in, and lie with their customer once, however often
// they are handed over; one that it refuses at once is given up, and one that comes back later,
// as a report in the office's own mailbox, is told of as not delivered.
func TestMailsLeaveByARealServer(t *testing.T) {
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
	sends := startPostfix(t, d, gone)
	o := d.office("", sends)
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
		mails = d.delivered("ada@customers.example")
		return len(mails) == 2 // the server recognises no repeat; whoever reads them can
	})
	for _, mail := range mails {
		for _, part := range []string{"Message-Id: <one@brackwater.example>", "From: \"Brackwater Ferries\" <office@brackwater.example>", "To: <ada@customers.example>", "Subject: Re: Dogs", "Auto-Submitted: auto-", "ESMTPA"} {
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
