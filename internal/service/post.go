package service

import (
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"log/slog"
	"net"
	"strings"
	"time"

	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/engine"
)

// A Post is where mail servers forward mails to: an SMTP listener that takes only what goes to
// the addresses of channels, and acknowledges a mail once it is on disk.
type Post struct {
	Listen string      // HOST:PORT
	TLS    *tls.Config // for STARTTLS; nil: mails come as they are
}

// Bounds of what is taken.
const (
	postBytes      = 25 << 20
	postRecipients = 20
	postTime       = time.Minute
	postAtOnce     = 64 // connections
	postReading    = 8  // mails that are read at once, each whole
)

// startPost listens for mails.
func startPost(p Post, workspaces map[string]*engine.Workspace, log *slog.Logger) (*smtp.Server, net.Listener, error) {
	l, err := net.Listen("tcp", p.Listen)
	if err != nil {
		return nil, nil, fmt.Errorf("cannot listen for mails on %s: %w", p.Listen, err)
	}
	places, reading := make(chan struct{}, postAtOnce), make(chan struct{}, postReading)
	server := smtp.NewServer(smtp.BackendFunc(func(conn *smtp.Conn) (smtp.Session, error) {
		select {
		case places <- struct{}{}:
			p := &posting{workspaces: workspaces, log: log, leave: func() { <-places }, reading: reading, conn: conn.Conn(), by: channel.Bringer{Hello: conn.Hostname()}}
			if at, ok := conn.Conn().RemoteAddr().(*net.TCPAddr); ok {
				p.by.IP = at.IP
			}
			return p, nil
		default:
			return nil, &smtp.SMTPError{Code: 421, EnhancedCode: smtp.EnhancedCode{4, 3, 2}, Message: "too many connections, try again later"}
		}
	}))
	server.Domain = "urgent-parrot"
	server.TLSConfig = p.TLS
	server.MaxMessageBytes, server.MaxRecipients, server.MaxLineLength = postBytes, postRecipients, 64<<10
	server.ReadTimeout, server.WriteTimeout = postTime, postTime
	server.ErrorLog = slog.NewLogLogger(log.Handler(), slog.LevelDebug)
	return server, l, nil
}

// A posting is one connection of a mail server.
type posting struct {
	workspaces map[string]*engine.Workspace
	log        *slog.Logger
	leave      func()
	reading    chan struct{} // has a place for each mail that is read
	conn       net.Conn
	to         []destination
	by         channel.Bringer
}

// A destination is a channel that takes mails to an address.
type destination struct {
	workspace *engine.Workspace
	channel   string
}

func (p *posting) Reset() { p.to, p.by.From = nil, "" }

func (p *posting) Mail(from string, _ *smtp.MailOptions) error {
	p.by.From = from
	return nil
}

func (p *posting) Logout() error {
	p.leave()
	return nil
}

func (p *posting) Rcpt(to string, _ *smtp.RcptOptions) error {
	for _, w := range p.workspaces {
		if name := w.Channels.ForAddress(strings.ToLower(to)); name != "" {
			for _, known := range p.to {
				if known.workspace == w && known.channel == name {
					return nil
				}
			}
			p.to = append(p.to, destination{w, name})
			return nil
		}
	}
	return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "nothing is taken for this address here"}
}

func (p *posting) Data(r io.Reader) error {
	select {
	case p.reading <- struct{}{}:
		defer func() { <-p.reading }()
		// Whoever takes longer is cut off: a place is not held by sending little at a time.
		defer time.AfterFunc(2*postTime, func() { p.conn.Close() }).Stop()
	case <-time.After(postTime / 2):
		return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 2}, Message: "too many mails at once, try again later"}
	}
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), postTime)
	defer cancel()
	for _, d := range p.to {
		if err := d.workspace.Channels.Take(ctx, d.channel, raw, p.by); err != nil {
			p.log.Error("a mail could not be taken", "channel", d.channel, "error", err)
			return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "it could not be kept, try again later"}
		}
	}
	return nil
}
