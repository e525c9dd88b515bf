package connect

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/outbound"
)

// A Mail is a plain mail to people of the business.
type Mail struct {
	ID            string // becomes the Message-ID, so that a repeat is recognised
	From          string
	To            []string
	Subject, Body string
	At            time.Time
}

// mailTime is how long one delivery may take.
const mailTime = 20 * time.Second

// SendMail hands a mail to an SMTP server at HOST:PORT, if the rules let it be called.
func SendMail(ctx context.Context, rules outbound.Rules, server string, m Mail) error {
	var header mail.Header
	header.SetDate(m.At)
	header.SetSubject(m.Subject)
	header.SetAddressList("From", []*mail.Address{{Address: m.From}})
	var to []*mail.Address
	for _, address := range m.To {
		to = append(to, &mail.Address{Address: address})
	}
	header.SetAddressList("To", to)
	header.SetMessageID(m.ID + "@urgent-parrot")
	header.Set("Auto-Submitted", "auto-generated")
	header.SetContentType("text/plain", map[string]string{"charset": "utf-8"})
	var letter bytes.Buffer
	w, err := mail.CreateSingleInlineWriter(&letter, header)
	if err != nil {
		return err
	}
	if _, err := w.Write([]byte(m.Body)); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	conn, err := rules.Dial(ctx, "tcp", server)
	if err != nil {
		return fmt.Errorf("the mail server cannot be reached: %w", err)
	}
	if err := conn.SetDeadline(time.Now().Add(mailTime)); err != nil {
		return errors.Join(err, conn.Close())
	}
	client := smtp.NewClient(conn)
	defer client.Close()
	if err := client.SendMail(m.From, m.To, &letter); err != nil {
		// What is no answer of a mail server is not repeated: it may be another program's.
		var refused *smtp.SMTPError
		switch {
		case errors.As(err, &refused) && !refused.Temporary():
			return fmt.Errorf("%w: the mail server answered %d %s", outbound.ErrRefused, refused.Code, outbound.Excerpt([]byte(refused.Message)))
		case errors.As(err, &refused):
			return fmt.Errorf("the mail server answered %d %s", refused.Code, outbound.Excerpt([]byte(refused.Message)))
		case errors.Is(err, os.ErrDeadlineExceeded):
			return errors.New("the mail server took too long to answer")
		}
		return fmt.Errorf("what answers at %s does not speak SMTP, or broke off", server)
	}
	// The server has taken the mail: a goodbye that fails is no reason to send again.
	_ = client.Quit()
	return nil
}
