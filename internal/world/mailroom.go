package world

import (
	"bytes"
	"io"
	"log"
	"net"
	"net/http"
	"sync"
	"time"

	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-smtp"
)

// A Mailroom is a mail server that keeps what it gets. A mail with a Message-ID
// that it has already is a repeat and is kept once.
type Mailroom struct {
	server *smtp.Server
	mu     sync.Mutex
	mails  []Mail
	ids    map[string]bool
}

// A Mail is one mail in the mailroom.
type Mail struct {
	From    string    `json:"from"`
	To      string    `json:"to"`
	Subject string    `json:"subject"`
	Body    string    `json:"body"`
	At      time.Time `json:"at"`
}

func newMailroom() *Mailroom {
	m := &Mailroom{ids: map[string]bool{}}
	m.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &mailSession{room: m}, nil }))
	m.server.Domain = "mailroom.example"
	m.server.MaxMessageBytes = 1 << 20
	m.server.ErrorLog = log.New(io.Discard, "", 0) // a client that breaks off is no news
	m.server.ReadTimeout, m.server.WriteTimeout = 30*time.Second, 30*time.Second
	return m
}

func (m *Mailroom) serve(l net.Listener) error { return m.server.Serve(l) }

// Mails returns the mails, oldest first.
func (m *Mailroom) Mails() []Mail {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Mail{}, m.mails...)
}

func (m *Mailroom) list(w http.ResponseWriter, _ *http.Request) {
	writeJSON(w, http.StatusOK, m.Mails())
}

// A mailSession is one SMTP connection.
type mailSession struct {
	room *Mailroom
	mail Mail
}

func (s *mailSession) Reset()        { s.mail = Mail{} }
func (s *mailSession) Logout() error { return nil }

func (s *mailSession) Mail(from string, _ *smtp.MailOptions) error {
	s.mail.From = from
	return nil
}

func (s *mailSession) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.mail.To = to
	return nil
}

func (s *mailSession) Data(r io.Reader) error {
	letter, err := mail.CreateReader(r)
	if err != nil {
		return err
	}
	defer letter.Close()
	s.mail.At = time.Now()
	if s.mail.Subject, err = letter.Header.Subject(); err != nil {
		return err
	}
	part, err := letter.NextPart()
	if err != nil {
		return err
	}
	var body bytes.Buffer
	if _, err := io.Copy(&body, part.Body); err != nil {
		return err
	}
	s.mail.Body = body.String()
	id, err := letter.Header.MessageID()
	if err != nil {
		return err
	}
	s.room.mu.Lock()
	defer s.room.mu.Unlock()
	if id == "" || !s.room.ids[id] {
		s.room.ids[id] = true
		s.room.mails = append(s.room.mails, s.mail)
	}
	return nil
}
