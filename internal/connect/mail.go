package connect

import (
	"context"
	"time"

	"urgentparrot.example/internal/letter"
	"urgentparrot.example/internal/submission"
)

// A Mail is a plain mail to people of the business.
type Mail struct {
	ID            string // becomes the Message-ID, so that a repeat is recognised
	From          string
	To            []string
	ReplyTo       string // "": From
	Subject, Body string
	At            time.Time
}

// SendMail hands a mail to a mail server.
func SendMail(ctx context.Context, by *submission.Server, m Mail) error {
	defer by.Close()
	a := letter.Answer{ID: m.ID + "@urgent-parrot", From: letter.Person{Address: m.From}, Subject: m.Subject, Text: m.Body, At: m.At, Automatic: true}
	if m.ReplyTo != "" {
		a.ReplyTo = letter.Person{Address: m.ReplyTo}
	}
	for _, address := range m.To {
		a.To = append(a.To, letter.Person{Address: address})
	}
	written, err := letter.Write(a)
	if err != nil {
		return err
	}
	return by.Send(ctx, m.From, m.To, written)
}
