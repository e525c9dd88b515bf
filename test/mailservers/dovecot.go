// Package mailservers starts real mail servers, each in a folder of its own on loopback, for
// tests and benchmarks.
package mailservers

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// Password is everybody's at a Dovecot.
const Password = "tern-and-tide"

// A Dovecot is an IMAP server.
type Dovecot struct {
	Folder  string
	Address string // of IMAP, without encryption
	Auth    string // where other servers ask whether somebody may sign in
	LMTP    string // where other servers deliver

	server *exec.Cmd
}

// HasDovecot reports whether one is installed, with its part for LMTP.
func HasDovecot() bool {
	_, server := exec.LookPath("dovecot")
	_, lmtp := os.Stat("/usr/lib/dovecot/lmtp")
	return server == nil && lmtp == nil
}

// NewDovecot starts one in an empty folder, whose name must be short: its sockets lie there.
func NewDovecot(folder string) (*Dovecot, error) {
	d := &Dovecot{Folder: folder}
	names := []string{"DIR", folder, "PASSWORD", Password}
	for name, address := range map[string]*string{"PORT-IMAP": &d.Address, "PORT-AUTH": &d.Auth, "PORT-LMTP": &d.LMTP} {
		var port string
		var err error
		if *address, port, err = free(); err != nil {
			return nil, err
		}
		names = append(names, name, port)
	}
	config := strings.NewReplacer(names...).Replace(dovecotConfig)
	for _, err := range []error{os.WriteFile(filepath.Join(folder, "conf"), []byte(config), 0o644), os.Mkdir(d.mail(), 0o777), os.Chmod(folder, 0o755), os.Chmod(d.mail(), 0o777)} {
		if err != nil {
			return nil, err
		}
	}
	return d, d.Start()
}

func (d *Dovecot) mail() string { return filepath.Join(d.Folder, "mail") }

// Start starts it again after Stop.
func (d *Dovecot) Start() error {
	d.server = exec.Command("dovecot", "-F", "-c", filepath.Join(d.Folder, "conf"))
	if err := d.server.Start(); err != nil {
		return err
	}
	return answers("dovecot", d.Address, filepath.Join(d.Folder, "log"))
}

// Stop ends it; its mails stay.
func (d *Dovecot) Stop() {
	_ = d.server.Process.Signal(os.Interrupt)
	_ = d.server.Wait() // it says that it was interrupted
}

// Delivered are the mails that were delivered to somebody and not looked at, as files.
func (d *Dovecot) Delivered(to string) (mails []string, err error) {
	files, err := filepath.Glob(filepath.Join(d.mail(), to, "new", "*"))
	for _, file := range files {
		raw, err := os.ReadFile(file)
		if err != nil {
			return mails, err
		}
		mails = append(mails, string(raw))
	}
	return mails, err
}

// answers waits until a server that was started listens.
func answers(name, address, log string) error {
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		if conn, err := net.Dial("tcp", address); err == nil {
			return conn.Close()
		}
		if time.Now().After(end) {
			said, _ := os.ReadFile(log)
			return fmt.Errorf("%s does not answer: %s", name, said)
		}
	}
}

// free is an address of this machine at which nothing listens.
func free() (address, port string, err error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", "", err
	}
	_, port, _ = net.SplitHostPort(l.Addr().String())
	return l.Addr().String(), port, l.Close()
}

const dovecotConfig = `base_dir = DIR/run
state_dir = DIR/state
log_path = DIR/log
protocols = imap lmtp
listen = 127.0.0.1
ssl = no
disable_plaintext_auth = no
mail_location = maildir:DIR/mail/%u
mail_uid = nobody
mail_gid = nogroup
first_valid_uid = 1
first_valid_gid = 1
default_internal_user = nobody
default_login_user = nobody
passdb {
  driver = static
  args = password=PASSWORD
}
userdb {
  driver = static
  args = uid=nobody gid=nogroup home=DIR/mail/%u
}
namespace inbox {
  inbox = yes
  mailbox Drafts {
    auto = create
    special_use = \Drafts
  }
  mailbox Sent {
    auto = create
    special_use = \Sent
  }
}
service auth {
  inet_listener {
    port = PORT-AUTH
  }
}
service lmtp {
  inet_listener lmtp {
    port = PORT-LMTP
  }
}
service imap-login {
  inet_listener imap {
    port = PORT-IMAP
  }
  inet_listener imaps {
    port = 0
  }
}
`
