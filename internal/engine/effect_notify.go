package engine

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
	"urgentparrot.example/internal/submission"
)

type notifyBody struct {
	Connection string `json:"connection"`
	To         string `json:"to"` // a mail address, team/NAME or person/NAME
	Subject    string `json:"subject"`
	Body       string `json:"body"`
}

// notifyKind tells people: by mail, or by an alert through a system that pages them.
var notifyKind = EffectKind{
	Name: "notify", Time: within(60 * time.Second), To: toConnection, Trouble: "A notification could not be sent",
	Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
		notify := e.(dialogue.Notify)
		text, lane := notify.Body, "notify/"+c.talk.ID
		if url := c.w.options.PublicURL; url != "" && c.talk.ID != "" {
			text += "\nOpen the conversation: " + strings.TrimSuffix(url, "/") + "/inbox/" + c.talk.ID + "\n"
		}
		if c.run != nil {
			lane = "notify/run/" + c.run.ID
		}
		c.Later("notify", lane, notifyBody{notify.Connection, notify.To, notify.Subject, text})
	},
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		b, err := body[notifyBody](e)
		if err != nil {
			return nil, err
		}
		config := w.config.Load()
		server, ok := find[workspace.Connection](config, b.Connection)
		if !ok {
			return nil, fmt.Errorf("there is no connection called %s", b.Connection)
		}
		if server.Kind == workspace.HTTPSystem {
			endpoint, err := w.Documents.endpoint(ctx, b.Connection)
			if err != nil {
				return nil, err
			}
			return nil, connect.SendAlert(ctx, endpoint, connect.Alert{To: strings.Join(config.addresses(b.To), ", "), Title: b.Subject, Text: b.Body, At: e.CreatedAt}, e.ID)
		}
		by, err := w.mailServer(ctx, server)
		if err != nil {
			return nil, err
		}
		return nil, w.sendNotification(ctx, by, server, b, e)
	},
}

// mailServer is the server that a connection sends mails by.
func (w *Workspace) mailServer(ctx context.Context, conn workspace.Connection) (*submission.Server, error) {
	s := &submission.Server{Address: conn.Address, Security: conn.Security, Token: w.Consents.tokenOf(conn), Rules: w.options.Rules}
	if conn.Kind == workspace.Mailbox {
		s.Address = conn.Sends
	}
	if s.Token == nil {
		var err error
		if s.Secret, err = w.Documents.secret(ctx, conn); err != nil {
			return nil, err
		}
	}
	if s.Secret != "" || s.Token != nil {
		s.User, s.Security = cmp.Or(conn.User, conn.From), conn.SecurityAt(s.Address)
	}
	return s, nil
}

// called returns the people that a team, a person or an address stands for.
func (c *config) called(to string) []workspace.Person {
	kind, name, ok := strings.Cut(to, "/")
	switch {
	case !ok:
		for _, p := range all[workspace.Person](c) {
			if strings.EqualFold(p.Address, to) {
				return []workspace.Person{p}
			}
		}
		return []workspace.Person{{Name: to, Title: to, Address: to}}
	case kind == "person":
		if p, ok := find[workspace.Person](c, name); ok {
			return []workspace.Person{p}
		}
	case kind == "team":
		if t, ok := find[workspace.Team](c, name); ok {
			return t.Called(all[workspace.Person](c))
		}
	}
	return nil
}

// addresses are their mail addresses.
func (c *config) addresses(to string) (list []string) {
	for _, p := range c.called(to) {
		list = append(list, p.Address)
	}
	return list
}
