package world

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapserver"
	"github.com/emersion/go-imap/v2/imapserver/imapmemserver"
	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"
	"github.com/google/uuid"
)

// The mailbox of the business in the mailroom.
const (
	OfficeAddress  = "office@brackwater.example"
	OfficePassword = "tern-and-tide"
)

// A Mailroom is a mail server: what is sent by it is kept for whom it is to, and what is sent
// to the business lies in its mailbox. A mail with a Message-ID that it has already is a
// repeat and is kept once.
type Mailroom struct {
	Trouble
	smtp    *smtp.Server
	imap    *imapserver.Server
	box     *imapmemserver.User
	started time.Time
	desk    *ConsentDesk // whose tokens let in too
	mood    atomic.Value // one of Moods, as a string

	mu      sync.Mutex
	mails   []Mail
	ids     map[string]bool
	letIn   map[*boxSession]bool // with a token
	address string               // where the mailbox is served
	served  chan struct{}
	once    sync.Once
}

// A Mail is one mail in the mailroom.
type Mail struct {
	ID      string    `json:"id"` // the Message-ID
	From    string    `json:"from"`
	To      string    `json:"to"`
	Subject string    `json:"subject"`
	Body    string    `json:"body"`
	Answers string    `json:"answers,omitempty"` // the mail that it answers
	ReplyTo string    `json:"reply_to,omitempty"`
	Flagged bool      `json:"flagged,omitempty"`
	At      time.Time `json:"at"`

	Header map[string]string `json:"-"` // some more of it
}

// WorthKnowing is the folder of the mailbox for what the bots should know.
const WorthKnowing = "Worth knowing"

// folders are those of the mailbox.
var folders = []string{"INBOX", "Drafts", "Sent", "Junk", WorthKnowing}

// Moods are what the mailroom may do to those who hand it mails, beside being out of order.
var Moods = map[string]string{
	"busy":    "is busy: mails are to come later (4xx)",
	"refuses": "refuses all mails (5xx)",
	"slow":    "takes five seconds for each mail",
	"drops":   "breaks off in the middle of a mail",
	"full":    "has a full mailbox",
}

func newMailroom(desk *ConsentDesk) *Mailroom {
	m := &Mailroom{desk: desk, ids: map[string]bool{}, letIn: map[*boxSession]bool{}, served: make(chan struct{}), started: time.Now(), box: imapmemserver.NewUser(OfficeAddress, OfficePassword)}
	for _, folder := range folders {
		if err := m.box.Create(folder, nil); err != nil {
			panic(err) // it is empty
		}
	}
	desk.ended = m.showOut
	m.smtp = smtp.NewServer(smtp.BackendFunc(func(conn *smtp.Conn) (smtp.Session, error) {
		if m.isDown() {
			return nil, &smtp.SMTPError{Code: 421, Message: "out of order"}
		}
		return &mailSession{room: m, conn: conn.Conn()}, nil
	}))
	m.smtp.Domain = "mailroom.example"
	m.smtp.MaxMessageBytes = 26 << 20
	m.smtp.AllowInsecureAuth = true
	quiet := log.New(io.Discard, "", 0) // a client that breaks off is no news
	m.smtp.ErrorLog = quiet
	m.smtp.ReadTimeout, m.smtp.WriteTimeout = 30*time.Second, 30*time.Second
	boxes := imapmemserver.New()
	boxes.AddUser(m.box)
	m.imap = imapserver.New(&imapserver.Options{
		NewSession: func(conn *imapserver.Conn) (imapserver.Session, *imapserver.GreetingData, error) {
			if m.isDown() {
				return nil, nil, errors.New("out of order")
			}
			return &boxSession{boxes.NewSession(), m, conn, ""}, nil, nil
		},
		Caps:         imap.CapSet{imap.CapIMAP4rev1: {}, imap.CapIdle: {}, imap.CapUIDPlus: {}, imap.CapSpecialUse: {}, imap.AuthCap(sasl.OAuthBearer): {}},
		InsecureAuth: true, Logger: quiet,
	})
	return m
}

func (m *Mailroom) serve(l net.Listener) error { return m.smtp.Serve(l) }
func (m *Mailroom) serveBox(l net.Listener) error {
	m.mu.Lock()
	m.address = l.Addr().String()
	m.mu.Unlock()
	m.once.Do(func() { close(m.served) })
	return m.imap.Serve(l)
}

// A boxSession is one IMAP connection. The mailbox lies in memory, so its numbers begin anew
// with each start, and it says so.
type boxSession struct {
	imapserver.Session
	room  *Mailroom
	conn  *imapserver.Conn
	token string // by which it was let in, "": by the password
}

// AuthenticateMechanisms and Authenticate are imapserver.SessionSASL's.
func (s *boxSession) AuthenticateMechanisms() []string { return []string{sasl.Plain, sasl.OAuthBearer} }

func (s *boxSession) Authenticate(mechanism string) (sasl.Server, error) {
	switch mechanism {
	case sasl.OAuthBearer:
		return s.room.bearer(func(token string) error {
			s.token = token
			s.room.mu.Lock()
			s.room.letIn[s] = true
			s.room.mu.Unlock()
			return s.Session.Login(OfficeAddress, OfficePassword)
		}), nil
	case sasl.Plain:
		return sasl.NewPlainServer(func(_, user, password string) error { return s.Session.Login(user, password) }), nil
	}
	return nil, errors.New("it is not known here")
}

// bearer lets in who has a token of the consent desk for the office's mails.
func (m *Mailroom) bearer(in func(token string) error) sasl.Server {
	return sasl.NewOAuthBearerServer(func(o sasl.OAuthBearerOptions) *sasl.OAuthBearerError {
		if o.Username != OfficeAddress || !m.desk.Lets(o.Token, "mail") || in(o.Token) != nil {
			return &sasl.OAuthBearerError{Status: "invalid_token", Schemes: "bearer"}
		}
		return nil
	})
}

// Append is imapserver.Session's.
func (s *boxSession) Append(folder string, r imap.LiteralReader, options *imap.AppendOptions) (*imap.AppendData, error) {
	if s.room.Mood() == "full" {
		return nil, &imap.Error{Type: imap.StatusResponseTypeNo, Code: "OVERQUOTA", Text: "the mailbox is full"}
	}
	return s.Session.Append(folder, r, options)
}

func (s *boxSession) Close() error {
	s.room.mu.Lock()
	delete(s.room.letIn, s)
	s.room.mu.Unlock()
	return s.Session.Close()
}

// showOut ends the connections of those whose consent is no more.
func (m *Mailroom) showOut() {
	m.mu.Lock()
	defer m.mu.Unlock()
	for s := range m.letIn {
		if !m.desk.Lets(s.token, "mail") {
			s.conn.NetConn().Close()
		}
	}
}

func (s *boxSession) Select(folder string, options *imap.SelectOptions) (*imap.SelectData, error) {
	data, err := s.Session.Select(folder, options)
	if data != nil {
		data.UIDValidity = uint32(s.room.started.Unix())
	}
	return data, err
}

// Mood is what the mailroom does to those who hand it mails, one of Moods; "" for nothing.
func (m *Mailroom) Mood() string {
	mood, _ := m.mood.Load().(string)
	return mood
}

// SetMood changes it.
func (m *Mailroom) SetMood(mood string) error {
	if _, ok := Moods[mood]; !ok && mood != "" {
		return fmt.Errorf("there is no mood called %q", mood)
	}
	m.mood.Store(mood)
	return nil
}

// Mails returns the mails that were sent to others than the business, oldest first.
func (m *Mailroom) Mails() []Mail {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Mail{}, m.mails...)
}

// MailsTo returns the mails to one address, oldest first.
func (m *Mailroom) MailsTo(address string) []Mail {
	return slices.DeleteFunc(m.Mails(), func(mail Mail) bool { return mail.To != address })
}

func (m *Mailroom) list(w http.ResponseWriter, _ *http.Request) {
	writeJSON(w, http.StatusOK, m.Mails())
}

// Write sends a mail to the business as somebody, who may answer a mail. It returns the
// Message-ID.
func (m *Mailroom) Write(from, subject, body, answers string) (id string, err error) {
	return m.WriteTo(from, OfficeAddress, subject, body, answers)
}

// WriteTo is Write to an address of the business.
func (m *Mailroom) WriteTo(from, to, subject, body, answers string) (id string, err error) {
	if !isOffice(to) {
		return "", fmt.Errorf("%s is no address of the office", to)
	}
	address, err := mail.ParseAddress(from)
	if err != nil {
		return "", fmt.Errorf("%q is no mail address", from)
	}
	var h mail.Header
	id = uuid.NewString() + "@" + address.Address[strings.LastIndexByte(address.Address, '@')+1:]
	h.SetMessageID(id)
	h.SetDate(time.Now())
	h.SetSubject(subject)
	h.SetAddressList("From", []*mail.Address{address})
	h.SetAddressList("To", []*mail.Address{{Address: to}})
	if answers != "" {
		h.SetMsgIDList("In-Reply-To", []string{answers})
		h.SetMsgIDList("References", []string{answers})
	}
	raw, err := plainMail(h, body)
	if err != nil {
		return "", err
	}
	return id, m.Put(raw)
}

// plainMail is a mail of plain text as it is sent.
func plainMail(h mail.Header, body string) ([]byte, error) {
	h.SetContentType("text/plain", map[string]string{"charset": "utf-8"})
	var b bytes.Buffer
	w, err := mail.CreateSingleInlineWriter(&b, h)
	if err != nil {
		return nil, err
	}
	_, err = io.WriteString(w, strings.ReplaceAll(body, "\n", "\r\n"))
	if err = errors.Join(err, w.Close()); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// Put lays a mail into the mailbox of the business as it is.
func (m *Mailroom) Put(raw []byte) error { return m.PutIn("INBOX", raw) }

// PutIn lays a mail into a folder of the mailbox: INBOX, Drafts, Sent or Junk.
func (m *Mailroom) PutIn(folder string, raw []byte) error {
	if m.isDown() {
		return errors.New("the mailroom is out of order")
	}
	if m.Mood() == "full" {
		return &smtp.SMTPError{Code: 452, EnhancedCode: smtp.EnhancedCode{4, 2, 2}, Message: "the mailbox is full"}
	}
	_, err := m.box.Append(folder, literal{bytes.NewReader(raw)}, &imap.AppendOptions{Time: time.Now()})
	return err
}

type literal struct{ *bytes.Reader }

func (l literal) Size() int64 { return l.Reader.Size() }

// write takes a mail from the mailroom's page.
func (m *Mailroom) write(rw http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(rw, r.Body, 1<<20)
	to := r.FormValue("to")
	if to == "" {
		to = OfficeAddress
	}
	if _, err := m.WriteTo(r.FormValue("from"), to, r.FormValue("subject"), r.FormValue("body"), r.FormValue("answers")); err != nil {
		http.Error(rw, err.Error(), http.StatusUnprocessableEntity)
		return
	}
	rw.WriteHeader(http.StatusNoContent)
}

// A mailSession is one SMTP connection.
type mailSession struct {
	room *Mailroom
	conn net.Conn
	from string
	to   []string
}

func (s *mailSession) Reset()        { s.from, s.to = "", nil }
func (s *mailSession) Logout() error { return nil }

// AuthMechanisms and Auth are smtp.AuthSession's.
func (s *mailSession) AuthMechanisms() []string { return []string{sasl.Plain, sasl.OAuthBearer} }

func (s *mailSession) Auth(mechanism string) (sasl.Server, error) {
	if mechanism == sasl.OAuthBearer {
		return s.room.bearer(func(string) error { return nil }), nil
	}
	return sasl.NewPlainServer(func(_, user, password string) error {
		if user != OfficeAddress || password != OfficePassword {
			return smtp.ErrAuthFailed
		}
		return nil
	}), nil
}

func (s *mailSession) Mail(from string, _ *smtp.MailOptions) error {
	switch s.room.Mood() {
	case "busy":
		return &smtp.SMTPError{Code: 450, EnhancedCode: smtp.EnhancedCode{4, 3, 2}, Message: "too busy, try again later"}
	case "refuses":
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 7, 1}, Message: "nothing is taken from you"}
	}
	if s.room.isDown() {
		return &smtp.SMTPError{Code: 451, Message: "out of order, try again later"}
	}
	s.from = from
	return nil
}

func (s *mailSession) Rcpt(to string, _ *smtp.RcptOptions) error {
	if strings.HasPrefix(to, "nobody@") {
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "nobody of this name lives here"}
	}
	s.to = append(s.to, to)
	return nil
}

func (s *mailSession) Data(r io.Reader) error {
	switch s.room.Mood() {
	case "slow":
		time.Sleep(5 * time.Second) // as slow servers do: it is what is tried
	case "drops":
		s.conn.Close()
		return errors.New("broken off")
	}
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	one, err := readMail(raw)
	if err != nil {
		return err
	}
	one.From = s.from
	s.room.mu.Lock()
	defer s.room.mu.Unlock()
	if one.ID != "" && s.room.ids[one.ID] {
		return nil
	}
	s.room.ids[one.ID] = true
	for _, to := range s.to {
		if isOffice(to) {
			if err := s.room.Put(raw); err != nil {
				return err
			}
			continue
		}
		one.To = to
		s.room.mails = append(s.room.mails, one)
	}
	return nil
}

// isOffice reports whether an address is that of the business, with or without a mark behind a
// plus sign.
func isOffice(address string) bool {
	local, domain, _ := strings.Cut(strings.ToLower(address), "@")
	local, _, _ = strings.Cut(local, "+")
	return local+"@"+domain == OfficeAddress
}

// readMail reads what is shown of a mail.
func readMail(raw []byte) (one Mail, err error) {
	letter, err := mail.CreateReader(bytes.NewReader(raw))
	if err != nil {
		return one, err
	}
	defer letter.Close()
	one.At = time.Now()
	if one.Subject, err = letter.Header.Subject(); err != nil {
		return one, err
	}
	one.Header = map[string]string{}
	for _, key := range []string{"From", "To", "Cc", "Auto-Submitted", "References"} {
		one.Header[key] = letter.Header.Get(key)
	}
	if one.ID, err = letter.Header.MessageID(); err != nil {
		return one, err
	}
	if to, err := letter.Header.AddressList("Reply-To"); err == nil && len(to) > 0 {
		one.ReplyTo = to[0].Address
	}
	if ids, err := letter.Header.MsgIDList("In-Reply-To"); err == nil && len(ids) > 0 {
		one.Answers = ids[0]
	}
	part, err := letter.NextPart()
	if err != nil {
		return one, err
	}
	body, err := io.ReadAll(part.Body)
	one.Body = strings.ReplaceAll(string(body), "\r\n", "\n")
	return one, err
}
