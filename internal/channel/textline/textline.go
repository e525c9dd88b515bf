// Package textline speaks with telephone text gateways: signed webhooks both
// ways, with the headers of Standard Webhooks.
package textline

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/problem"
)

// Kind is the text line.
var Kind = channel.Kind{
	Name: "text-line", Title: "Text line", Path: "hooks", Needs: "the text gateway", Sealed: true,
	Settings: func() channel.Settings { return &Settings{} },
	Open: func(s channel.Settings, setup channel.Setup) (channel.Adapter, error) {
		return open(s.(*Settings), setup)
	},
	Example: `channel: text-line
title: Text line
kind: text-line
bot: front-desk
connection: text-gateway
number: "+441632960100"
`,
	Form: []document.Field{{Key: "number", Label: "Number of the line", As: document.AsText, Example: "+441632960100"}},
}

// Settings are those of a text line.
type Settings struct {
	workspace.Channel `yaml:",inline"`

	Number string `yaml:"number"` // the line's own
}

// CheckOwn is channel.Settings'.
func (s *Settings) CheckOwn(c *document.Checker) {
	if s.Number == "" {
		c.Wrong("$.number", "a text line needs its own number")
	}
}

// A line is one text line.
type line struct {
	channel.Setup
	number string
	hook   *webhooks.Webhook
	wrong  *channel.Limits
}

func open(s *Settings, setup channel.Setup) (*line, error) {
	hook, err := webhooks.NewWebhook(setup.Secret)
	if err != nil {
		return nil, errors.New("the secret of the text line is not one: it starts with whsec_ and goes on in base64")
	}
	if err := workspace.CheckSigningSecret(setup.Secret); err != nil {
		return nil, err
	}
	return &line{setup, s.Number, hook, channel.NewLimits(setup.Clock, 1, 30)}, nil
}

// limit is some three or four segments.
const limit = 480

func (l *line) Abilities() workspace.Abilities {
	return workspace.Abilities{Limit: limit, Handle: contact.Phone}
}
func (l *line) Handler() http.Handler     { return l }
func (l *line) Sender() channel.Sender    { return l }
func (l *line) Run(context.Context) error { return nil }
func (l *line) Close() error              { return nil }

// Received is the payload of a text that came in.
type Received struct {
	Type      string    `json:"type"` // text.received
	Timestamp time.Time `json:"timestamp"`
	Data      struct {
		ID        string `json:"id"`
		From      string `json:"from"`
		To        string `json:"to"`
		Text      string `json:"text"`
		Automated bool   `json:"automated"`
	} `json:"data"`
}

// Sent is the payload of a text that goes out.
type Sent struct {
	Type      string    `json:"type"` // text.send
	Timestamp time.Time `json:"timestamp"`
	Data      SentText  `json:"data"`
}

// SentText is a text that goes out.
type SentText struct {
	ID       string   `json:"id"`
	From     string   `json:"from"`
	To       string   `json:"to"`
	Text     string   `json:"text"`
	Answers  []string `json:"answers"` // the ids of the texts it replies to
	Segments int      `json:"segments"`
}

// ServeHTTP takes a signed webhook of the gateway.
func (l *line) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, bad := channel.ReadBody(w, r)
	if bad != nil {
		problem.Write(w, bad)
		return
	}
	if err := l.hook.Verify(body, r.Header); err != nil {
		if !l.wrong.Allow(channel.RemoteHost(r)) {
			problem.Write(w, problem.New(problem.TooMany, "too many requests with a wrong signature", ""))
			return
		}
		problem.Write(w, problem.New(problem.BadSignature, "the signature is wrong or older than five minutes; sign with the secret of this line's connection and check the clock", ""))
		return
	}
	var in Received
	if bad := channel.Decode(body, &in); bad != nil {
		problem.Write(w, bad)
		return
	}
	text, bad := l.incoming(in)
	if bad != nil {
		problem.Write(w, bad)
		return
	}
	received, err := l.Room.Receive(r.Context(), text)
	if err != nil {
		problem.Write(w, problem.New(problem.Unavailable, "the text could not be kept; send it again", ""))
		return
	}
	channel.WriteJSON(w, http.StatusAccepted, received)
}

func (l *line) incoming(in Received) (channel.Incoming, *problem.Details) {
	d := in.Data
	switch {
	case in.Type != "text.received":
		return channel.Incoming{}, problem.New(problem.BadInput, fmt.Sprintf("the type is %q; only text.received is taken here", in.Type), "type")
	case d.ID == "" || len(d.ID) > 200:
		return channel.Incoming{}, problem.New(problem.BadInput, "the text needs an id of at most 200 characters", "data.id")
	case d.From == "" || len(d.From) > 64:
		return channel.Incoming{}, problem.New(problem.BadInput, "the text needs the number it came from", "data.from")
	case d.From != l.number && d.To != "" && d.To != l.number:
		return channel.Incoming{}, problem.New(problem.BadInput, fmt.Sprintf("the text is for %s; this line is %s", d.To, l.number), "data.to")
	}
	if bad := channel.CheckText(d.Text); bad != nil {
		bad.Field = "data.text"
		return channel.Incoming{}, bad
	}
	text := channel.Incoming{Address: d.From, ExternalID: d.ID, Text: d.Text, Automated: d.Automated}
	if d.From == l.number {
		text.Address, text.Automated = d.To, true
		if d.To == "" {
			return text, problem.New(problem.BadInput, "a text of the line's own needs the number it went to", "data.to")
		}
	}
	return text, nil
}

// Send carries a text to the gateway, which recognises a repeat by webhook-id.
func (l *line) Send(ctx context.Context, m channel.Outgoing) error {
	now, words := l.Clock.Now(), message.Plain(m.Parts)
	answers := m.Answers
	if answers == nil {
		answers = []string{}
	}
	body, err := json.Marshal(Sent{"text.send", now.UTC(), SentText{m.ID, l.number, m.Address, words, answers, Segments(words)}})
	if err != nil {
		return err
	}
	signature, err := l.hook.Sign(m.ID, now, body)
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, l.Address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set(webhooks.HeaderWebhookID, m.ID)
	request.Header.Set(webhooks.HeaderWebhookTimestamp, fmt.Sprint(now.Unix()))
	request.Header.Set(webhooks.HeaderWebhookSignature, signature)
	response, err := l.Client.Do(request)
	if err != nil {
		return fmt.Errorf("the text gateway cannot be reached: %w", outbound.Why(err))
	}
	defer response.Body.Close()
	said, _ := io.ReadAll(io.LimitReader(response.Body, 4<<10))
	switch {
	case response.StatusCode < 300:
		return nil
	case response.StatusCode < 500 && response.StatusCode != http.StatusTooManyRequests && response.StatusCode != http.StatusRequestTimeout:
		return fmt.Errorf("%w: the text gateway answered %d: %s", outbound.ErrRefused, response.StatusCode, outbound.Excerpt(said))
	}
	return fmt.Errorf("the text gateway answered %d", response.StatusCode)
}

// basic are the characters of the GSM 03.38 alphabet that take one place, and
// extended those that take two.
const (
	basic    = "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà"
	extended = "^{}\\[~]|€\f"
)

// Segments counts the texts of 140 bytes that a message is sent as: 160 places
// in the GSM alphabet, 153 each if there are several; 70 and 67 in UCS-2
// (3GPP TS 23.038 and 23.040).
func Segments(s string) int {
	places, single, several := 0, 160, 153
	for _, r := range s {
		switch {
		case strings.ContainsRune(basic, r):
			places++
		case strings.ContainsRune(extended, r):
			places += 2
		default:
			single, several = 70, 67
		}
	}
	if single == 70 {
		places = 0
		for _, r := range s {
			places++
			if r > 0xffff {
				places++
			}
		}
	}
	if places <= single {
		return 1
	}
	return (places + several - 1) / several
}
