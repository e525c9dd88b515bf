package submission_test

import (
	"context"
	"errors"
	"io"
	"net"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/submission"
)

// A postOffice is a mail server that takes mails from whoever has its secret, and says of some
// recipients what servers say.
type postOffice struct {
	address string
	secret  string

	mu       sync.Mutex
	sessions int
	taken    []string
	hangs    chan struct{} // mails to hang@ are not answered before it is closed
}

func newPostOffice(t *testing.T, secret string) *postOffice {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	p := &postOffice{address: listener.Addr().String(), secret: secret, hangs: make(chan struct{})}
	server := smtp.NewServer(p)
	server.AllowInsecureAuth = true
	go server.Serve(listener)
	t.Cleanup(func() { close(p.hangs); server.Close() })
	return p
}

func (p *postOffice) NewSession(*smtp.Conn) (smtp.Session, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.sessions++
	return &session{office: p, in: p.secret == ""}, nil
}

func (p *postOffice) seen() (sessions int, taken []string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.sessions, p.taken
}

// client is a server as the product knows it, with a secret.
func (p *postOffice) client(secret string) *submission.Server {
	user := ""
	if secret != "" {
		user = "robin"
	}
	return &submission.Server{Address: p.address, Security: workspace.NoSecurity, User: user, Secret: secret, Rules: outbound.Rules{Allowed: []string{"127.0.0.1"}}}
}

type session struct {
	office *postOffice
	in     bool
	to     string
}

func (s *session) AuthMechanisms() []string { return []string{sasl.Plain, sasl.OAuthBearer} }

func (s *session) Auth(mechanism string) (sasl.Server, error) {
	let := func(secret string) error {
		if s.in = secret == s.office.secret; !s.in {
			return errors.New("who are you?")
		}
		return nil
	}
	if mechanism == sasl.OAuthBearer {
		return sasl.NewOAuthBearerServer(func(o sasl.OAuthBearerOptions) *sasl.OAuthBearerError {
			if let(o.Token) != nil {
				return &sasl.OAuthBearerError{Status: "invalid_token"}
			}
			return nil
		}), nil
	}
	return sasl.NewPlainServer(func(_, _, password string) error { return let(password) }), nil
}

func (s *session) Mail(string, *smtp.MailOptions) error {
	if !s.in {
		return &smtp.SMTPError{Code: 530, Message: "sign in first"}
	}
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	switch name, _, _ := strings.Cut(to, "@"); name {
	case "nobody":
		return &smtp.SMTPError{Code: 550, Message: "no such mailbox"}
	case "full":
		return &smtp.SMTPError{Code: 452, Message: "the mailbox is full"}
	}
	s.to = to
	return nil
}

func (s *session) Data(r io.Reader) error {
	letter, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	if strings.HasPrefix(s.to, "hang@") {
		<-s.office.hangs
		return errors.New("too late")
	}
	s.office.mu.Lock()
	defer s.office.mu.Unlock()
	s.office.taken = append(s.office.taken, s.to+": "+string(letter))
	return nil
}

func (s *session) Reset()        {}
func (s *session) Logout() error { return nil }

// What a server will never take is told from what it may take later, and one session serves for
// mails that follow one another.
func TestWhatAServerSaysOfAMail(t *testing.T) {
	office := newPostOffice(t, "")
	server := office.client("")
	defer server.Close()
	for _, c := range []struct {
		to    string
		says  string
		final bool
	}{
		{"ada@example.org", "", false}, {"nobody@example.org", "550 no such mailbox", true}, {"full@example.org", "452 the mailbox is full", false}, {"wei@example.org", "", false}, {"olu@example.org", "", false},
	} {
		err := server.Send(t.Context(), "robin@example.org", []string{c.to}, []byte("Subject: boats\r\n\r\nThey run.\r\n"))
		if (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) || errors.Is(err, outbound.ErrRefused) != c.final {
			t.Errorf("%s: %v", c.to, err)
		}
	}
	sessions, taken := office.seen()
	if len(taken) != 3 || !strings.HasPrefix(taken[1], "wei@example.org: Subject: boats\r\n") {
		t.Errorf("it took %q", taken)
	}
	if sessions > 3 { // a new one after each refusal
		t.Errorf("there were %d sessions for five mails", sessions)
	}
}

// A server that does not answer holds nobody up beyond the deadline, one that broke off is
// connected to anew, and what speaks otherwise is not told on.
func TestServersThatDoNotAnswer(t *testing.T) {
	office := newPostOffice(t, "")
	server := office.client("")
	defer server.Close()
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	begun := time.Now()
	if err := server.Send(ctx, "robin@example.org", []string{"hang@example.org"}, []byte("\r\n")); err == nil || !strings.Contains(err.Error(), "too long") || time.Since(begun) > 10*time.Second {
		t.Errorf("after %s: %v", time.Since(begun), err)
	}
	if err := server.Send(t.Context(), "robin@example.org", []string{"ada@example.org"}, []byte("\r\n")); err != nil {
		t.Errorf("after one that hung: %v", err)
	}

	other, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	go func() {
		for {
			conn, err := other.Accept()
			if err != nil {
				return
			}
			io.WriteString(conn, "HTTP/1.1 200 OK\r\n\r\nsecret of another service\r\n")
			conn.Close()
		}
	}()
	strange := office.client("")
	strange.Address = other.Addr().String()
	if err := strange.Send(t.Context(), "robin@example.org", []string{"ada@example.org"}, nil); err == nil || !strings.Contains(err.Error(), "does not speak SMTP") || strings.Contains(err.Error(), "secret") || errors.Is(err, outbound.ErrRefused) {
		t.Errorf("another service: %v", err)
	}
	inside := office.client("")
	inside.Rules = outbound.Rules{}
	if err := inside.Send(t.Context(), "robin@example.org", []string{"ada@example.org"}, nil); err == nil || !strings.Contains(err.Error(), "cannot be reached") {
		t.Errorf("an address of the server's own network: %v", err)
	}
}

// Who is not let in is told so, for the connection to be mended, and no mail is given up for it;
// a token that has run out is renewed once.
func TestSigningIn(t *testing.T) {
	office := newPostOffice(t, "right")
	mail := func(s *submission.Server) error {
		defer s.Close()
		return s.Send(t.Context(), "robin@example.org", []string{"ada@example.org"}, []byte("\r\n"))
	}
	if err := mail(office.client("right")); err != nil {
		t.Error(err)
	}
	if err := mail(office.client("wrong")); err == nil || !strings.Contains(err.Error(), "does not let us in") || errors.Is(err, outbound.ErrRefused) {
		t.Errorf("with a wrong secret: %v", err)
	}
	var asked []string
	tokens := office.client("unused")
	tokens.Token = func(_ context.Context, stale string) (string, error) {
		asked = append(asked, stale)
		return map[string]string{"": "old", "old": "right"}[stale], nil
	}
	if err := mail(tokens); err != nil || len(asked) != 2 || asked[1] != "old" {
		t.Errorf("tokens were asked for as %q: %v", asked, err)
	}
	never := office.client("unused")
	never.Token = func(context.Context, string) (string, error) { return "gone", nil }
	if err := mail(never); err == nil || !strings.Contains(err.Error(), "does not let us in") {
		t.Errorf("with a token that is not renewed: %v", err)
	}
}
