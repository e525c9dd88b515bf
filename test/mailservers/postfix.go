package mailservers

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// A Postfix is a server that takes mails from those whom a Dovecot knows, and delivers to that
// Dovecot's mailboxes by LMTP: office@brackwater.example and ada@customers.example. What goes
// to gone.example it hands on to another server.
type Postfix struct {
	Address string // of SMTP

	folder string
	server *exec.Cmd
}

// HasPostfix reports whether one is installed and can be started: only by root.
func HasPostfix() bool {
	_, err := exec.LookPath("postfix")
	return err == nil && os.Getuid() == 0
}

// NewPostfix starts one. gone is the port, on this machine, of the server for gone.example.
func NewPostfix(d *Dovecot, gone string) (*Postfix, error) {
	p := &Postfix{folder: filepath.Join(d.Folder, "postfix")}
	var port string
	var err error
	if p.Address, port, err = free(); err != nil {
		return nil, err
	}
	main := strings.NewReplacer("DIR", p.folder, "LMTP", d.LMTP, "AUTH", d.Auth, "GONE", gone).Replace(postfixConfig)
	for _, err := range []error{
		os.MkdirAll(filepath.Join(p.folder, "queue"), 0o755), os.WriteFile(filepath.Join(p.folder, "main.cf"), []byte(main), 0o644),
		os.WriteFile(filepath.Join(p.folder, "master.cf"), []byte(strings.Replace(postfixServices, "PORT", port, 1)), 0o644),
	} {
		if err != nil {
			return nil, err
		}
	}
	p.server = exec.Command("postfix", "-c", p.folder, "start-fg")
	if err := p.server.Start(); err != nil {
		return nil, err
	}
	return p, answers("postfix", p.Address, filepath.Join(p.folder, "log"))
}

// Stop ends it.
func (p *Postfix) Stop() {
	_ = exec.Command("postfix", "-c", p.folder, "stop").Run()
	_ = p.server.Wait() // it says that it was stopped
}

const postfixConfig = `compatibility_level = 3.6
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
virtual_mailbox_maps = inline:{ {office@brackwater.example = known} {ada@customers.example = known} }
virtual_transport = lmtp:inet:LMTP
transport_maps = inline:{ {gone.example = smtp:[127.0.0.1]:GONE} }
`

const postfixServices = `127.0.0.1:PORT inet n - n - - smtpd
pickup unix n - n 60 1 pickup
cleanup unix n - n - 0 cleanup
qmgr unix n - n 300 1 qmgr
tlsmgr unix - - n 1000? 1 tlsmgr
rewrite unix - - n - - trivial-rewrite
bounce unix - - n - 0 bounce
defer unix - - n - 0 bounce
trace unix - - n - 0 bounce
proxymap unix - - n - - proxymap
smtp unix - - n - - smtp
error unix - - n - - error
retry unix - - n - - error
lmtp unix - - n - - lmtp
anvil unix - - n - 1 anvil
postlog unix-dgram n - n - 1 postlogd
`
