// Package submission hands mails to a mail server, which delivers them (RFC 6409).
package submission

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"os"
	"sync"
	"time"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
)

// A Server is a mail server that takes mails, with the connections that are kept open to it
// for the next ones. It is safe for concurrent use.
type Server struct {
	Address  string // HOST:PORT
	Security string // workspace.TLS, StartTLS or NoSecurity
	User     string // "": nobody signs in
	Secret   string
	Token    outbound.Token // who signs in does it with a token of OAuth 2; nil: with the secret
	Rules    outbound.Rules
	Roots    *tls.Config // of whom is trusted; nil: as the system says

	mu   sync.Mutex
	idle []open
}

type open struct {
	*smtp.Client
	since time.Time
}

// Bounds of connections.
const (
	sendTime = 30 * time.Second // of one delivery, and of signing in
	idleTime = 50 * time.Second // for which one is kept open: servers close them after a minute or more
	mostIdle = 2
)

// Send hands over a mail. An error that wraps outbound.ErrRefused is final; after any other it
// may be handed over again: with the same Message-ID, since the server may have it.
func (s *Server) Send(ctx context.Context, from string, to []string, letter []byte) error {
	client, err := s.client(ctx)
	if err != nil {
		return err
	}
	stop := context.AfterFunc(ctx, func() { client.Close() })
	defer stop()
	if err := client.SendMail(from, to, bytes.NewReader(letter)); err != nil {
		client.Close()
		if ctx.Err() != nil {
			return errors.New("the mail server took too long to answer")
		}
		return s.said(err)
	}
	// The server has taken the mail. What comes after that is no reason to send again.
	if stop() {
		s.keep(client)
	}
	return nil
}

// client returns a connection that is signed in: one that was kept, if it still works.
func (s *Server) client(ctx context.Context) (*smtp.Client, error) {
	for {
		s.mu.Lock()
		n := len(s.idle)
		if n == 0 {
			s.mu.Unlock()
			return s.Connect(ctx)
		}
		kept := s.idle[n-1]
		s.idle = s.idle[:n-1]
		s.mu.Unlock()
		if time.Since(kept.since) < idleTime && kept.Reset() == nil {
			return kept.Client, nil
		}
		kept.Close()
	}
}

func (s *Server) keep(client *smtp.Client) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.idle) < mostIdle {
		s.idle = append(s.idle, open{client, time.Now()})
		return
	}
	client.Close()
}

// Close ends the connections that are kept.
func (s *Server) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, kept := range s.idle {
		kept.Close()
	}
	s.idle = nil
}

// Connect opens a connection and signs in, without handing anything over. A token that the
// server does not take is renewed once.
func (s *Server) Connect(ctx context.Context) (*smtp.Client, error) {
	if s.Token == nil {
		return s.connect(ctx, s.Secret)
	}
	token, err := s.Token(ctx, "")
	if err != nil {
		return nil, err
	}
	client, err := s.connect(ctx, token)
	if errors.Is(err, errSignIn) {
		if token, err = s.Token(ctx, token); err == nil {
			client, err = s.connect(ctx, token)
		}
	}
	return client, err
}

// errSignIn is wrapped by what a server says to those whom it does not let in. It says nothing
// of a mail, which is tried again.
var errSignIn = errors.New("the mail server does not let us in")

func (s *Server) connect(ctx context.Context, secret string) (*smtp.Client, error) {
	conn, err := s.Rules.Dial(ctx, "tcp", s.Address)
	if err != nil {
		return nil, fmt.Errorf("the mail server cannot be reached: %w", err)
	}
	if deadline, ok := ctx.Deadline(); !ok || time.Until(deadline) > sendTime {
		err = conn.SetDeadline(time.Now().Add(sendTime))
	} else {
		err = conn.SetDeadline(deadline)
	}
	if err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	client, err := s.greeted(conn)
	if err == nil {
		if err = s.signIn(client, secret); err != nil {
			var answer *smtp.SMTPError
			var token *sasl.OAuthBearerError
			if errors.As(err, &answer) || errors.As(err, &token) {
				conn.Close()
				return nil, fmt.Errorf("%w: %s", errSignIn, outbound.Excerpt([]byte(err.Error())))
			}
		}
	}
	if err != nil {
		conn.Close()
		return nil, s.said(err)
	}
	return client, conn.SetDeadline(time.Time{})
}

// greeted begins a session, encrypted as the server and the settings allow.
func (s *Server) greeted(conn net.Conn) (*smtp.Client, error) {
	config := &tls.Config{}
	if s.Roots != nil {
		config = s.Roots.Clone()
	}
	config.ServerName, _, _ = net.SplitHostPort(s.Address)
	var client *smtp.Client
	switch s.Security {
	case workspace.TLS:
		client = smtp.NewClient(tls.Client(conn, config))
	case workspace.StartTLS:
		var err error
		if client, err = smtp.NewClientStartTLS(conn, config); err != nil {
			return nil, err
		}
	default:
		client = smtp.NewClient(conn)
	}
	client.CommandTimeout, client.SubmissionTimeout = sendTime, sendTime
	if err := client.Hello(hello()); err != nil {
		return nil, err
	}
	return client, nil
}

// hello is what the server is told of who we are.
func hello() string {
	if name, err := os.Hostname(); err == nil && name != "" {
		return name
	}
	return "localhost"
}

// signIn signs in by the way that the server knows.
func (s *Server) signIn(client *smtp.Client, secret string) error {
	switch {
	case s.User == "" || secret == "":
		return nil
	case s.Token != nil && client.SupportsAuth(sasl.OAuthBearer):
		return client.Auth(sasl.NewOAuthBearerClient(&sasl.OAuthBearerOptions{Username: s.User, Token: secret}))
	case s.Token != nil:
		return fmt.Errorf("%w: the mail server takes no tokens (OAUTHBEARER)", outbound.ErrRefused)
	case client.SupportsAuth(sasl.Plain):
		return client.Auth(sasl.NewPlainClient("", s.User, secret))
	case client.SupportsAuth(sasl.Login):
		return client.Auth(sasl.NewLoginClient(s.User, secret))
	}
	return fmt.Errorf("%w: the mail server knows no way of signing in that is known here (PLAIN, LOGIN, OAUTHBEARER)", outbound.ErrRefused)
}

// said tells what a server answered, and whether that is final.
func (s *Server) said(err error) error {
	var answer *smtp.SMTPError
	var net net.Error
	switch {
	case errors.Is(err, outbound.ErrRefused):
		return err
	case errors.As(err, &answer) && !answer.Temporary():
		return fmt.Errorf("%w: the mail server answered %d %s", outbound.ErrRefused, answer.Code, outbound.Excerpt([]byte(answer.Message)))
	case errors.As(err, &answer):
		return fmt.Errorf("the mail server answered %d %s", answer.Code, outbound.Excerpt([]byte(answer.Message)))
	case errors.As(err, &net) && net.Timeout(), errors.Is(err, os.ErrDeadlineExceeded):
		return errors.New("the mail server took too long to answer")
	}
	var certificate *tls.CertificateVerificationError
	if errors.As(err, &certificate) {
		return fmt.Errorf("the certificate of the mail server at %s is not trusted: %w", s.Address, certificate.Err)
	}
	// What another protocol says there is not told on.
	return fmt.Errorf("what answers at %s does not speak SMTP, or not with the encryption that is set, or broke off", s.Address)
}
