// Package mail is the channel of a mailbox: mails come from it by IMAP, and answers go out by
// SMTP.
package mail

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/letter"
	"urgentparrot.example/internal/submission"
)

// Kind is the mailbox.
var Kind = channel.Kind{
	Name: "mail", Title: "Mail", Needs: "the mailbox", To: workspace.Mailbox, Drafts: true,
	Settings: func() channel.Settings { return &Settings{} },
	Open: func(s channel.Settings, setup channel.Setup) (channel.Adapter, error) {
		return open(s.(*Settings), setup)
	},
	Example: `channel: office-mail
title: Office mail
kind: mail
bot: front-desk
connection: office-mailbox
folders: [INBOX]
every: 1m
replies: hold
`,
	Form: []document.Field{
		{Key: "folders", Label: "Folders that are watched", As: document.AsTexts, Example: "INBOX"},
		{Key: "receives", Label: "Addresses for which mails are forwarded here", As: document.AsTexts, Example: "office@example.org", About: "Another mail server hands mails to these addresses to the service itself (parrot serve -mail-listen)."},
		{Key: "forwarded", Label: "Mails are only forwarded: no folder is watched", As: document.AsSwitch},
		{Key: "every", Label: "Look for new mails every", As: document.AsText, Example: "1m", About: "Only where the server does not tell at once by itself. As in 30s or 5m."},
		{Key: "mark_seen", Label: "Mark mails as read once they are here", As: document.AsSwitch},
		{Key: "to_all", Label: "Answers go to all who had the mail", As: document.AsSwitch, About: "Otherwise to the sender alone."},
		{Key: "quote", Label: "Quote the mail below the answer", As: document.AsSwitch},
		{Key: "flagged", Label: "A flag that somebody sets on a mail", As: document.AsChoice, Choices: []document.Choice{{Value: "draft", Label: "asks for a draft of an answer, among the drafts"}, {Value: "nothing", Label: "says nothing to the service"}}, About: "Set in your own mail program, also where people answer all themselves."},
		{Key: "learns.folder", Label: "Folder whose mails become knowledge", As: document.AsText, Example: "Worth knowing", About: "What somebody moves there is proposed as a lesson, without names and addresses."},
		{Key: "learns.keyword", Label: "Keyword that makes a mail knowledge", As: document.AsText, Example: "worth-knowing", About: "Set on a mail by a mail program that can."},
		{Key: "learns.bot", Label: "The bot whose knowledge it becomes", As: document.AsDocument, Of: "bot", About: "Left out: that of all."},
		{Key: "trusts", Label: "Mail server whose checks are believed", As: document.AsText, Example: "mx.example.org", About: "The name by which your own mail server signs its Authentication-Results. Without one, signatures (DKIM) are checked here."},
	},
}

// Settings are those of a mailbox.
type Settings struct {
	workspace.Channel `yaml:",inline"`

	Folders   []string `yaml:"folders"`
	Receives  []string `yaml:"receives"`  // addresses for which mails are brought to the service's own listener
	Forwarded bool     `yaml:"forwarded"` // they come that way alone

	Every    workspace.Duration `yaml:"every"`
	MarkSeen bool               `yaml:"mark_seen"`
	ToAll    bool               `yaml:"to_all"`
	Quote    bool               `yaml:"quote"`
	Trusts   string             `yaml:"trusts"`

	Flagged string `yaml:"flagged"` // what a flag asks for: draft, or nothing
	Learns  Learns `yaml:"learns"`
}

// nothing is what a flag may ask for.
const nothing = "nothing"

// Learns says how people make knowledge of mails in their own mail program.
type Learns struct {
	Folder  string `yaml:"folder"`  // mails that come there
	Keyword string `yaml:"keyword"` // mails that get it
	Bot     string `yaml:"bot"`     // whose knowledge; "": everybody's
}

// Bounds of what is said of a mailbox.
const (
	mostFolders         = 20
	leastPause, aMinute = 5 * time.Second, time.Minute
	mostPause           = 24 * time.Hour
)

// CheckOwn is channel.Settings'.
func (s *Settings) CheckOwn(c *document.Checker) {
	if len(s.Folders) == 0 {
		s.Folders = []string{"INBOX"}
	}
	if len(s.Folders) > mostFolders {
		c.Wrong("$.folders", "at most %d folders are watched", mostFolders)
	}
	for i, folder := range s.Folders {
		if strings.TrimSpace(folder) == "" {
			c.Wrong(fmt.Sprintf("$.folders[%d]", i), "name the folder, as the mailbox calls it")
		}
	}
	for i, address := range s.Receives {
		if text.Email(address) == "" {
			c.Wrong(fmt.Sprintf("$.receives[%d]", i), "%q is no mail address", address)
		}
	}
	if s.Forwarded && len(s.Receives) == 0 {
		c.Wrong("$.forwarded", "say under receives for which addresses mails are forwarded")
	}
	switch s.Flagged {
	case "":
		s.Flagged = workspace.Draft
	case workspace.Draft, nothing:
	default:
		c.Wrong("$.flagged", "%q is not known here; a flag asks for draft, or nothing", s.Flagged)
	}
	if strings.ContainsFunc(s.Learns.Keyword, func(r rune) bool { return r <= ' ' || r >= 127 || strings.ContainsRune(`(){}%*"\\]`, r) }) {
		c.Wrong("$.learns.keyword", "a keyword is one word of letters, digits and hyphens")
	}
	if slices.Contains(s.Folders, s.Learns.Folder) {
		c.Wrong("$.learns.folder", "what comes to %s is answered: name another folder", s.Learns.Folder)
	}
	if s.Every == 0 {
		s.Every = workspace.Duration(aMinute)
	}
	if every := time.Duration(s.Every); every < leastPause || every > mostPause {
		c.Wrong("$.every", "look for mails every 5s to 24h")
	}
}

// Refers is document.Document's.
func (s *Settings) Refers() []document.Reference {
	refers := s.Channel.Refers()
	if s.Learns.Bot != "" {
		refers = append(refers, document.Reference{Path: "$.learns.bot", Kind: "bot", Name: s.Learns.Bot})
	}
	return refers
}

// A mailbox is one channel of mails.
type mailbox struct {
	channel.Setup
	*Settings
	from   letter.Person
	domain string
	server *submission.Server
	look   chan struct{}
}

func open(s *Settings, setup channel.Setup) (*mailbox, error) {
	conn := setup.Other
	from, err := letter.ParseAddress(conn.From)
	if err != nil {
		return nil, errors.New("the connection of the mailbox does not say which address mails come from")
	}
	m := &mailbox{Setup: setup, Settings: s, from: from, look: make(chan struct{}, 1)}
	m.domain = from.Address[strings.LastIndexByte(from.Address, '@')+1:]
	m.server = &submission.Server{Address: conn.Sends, Security: conn.SecurityAt(conn.Sends), User: m.user(), Secret: setup.Secret, Token: setup.Token, Rules: setup.Rules}
	return m, nil
}

// user is who signs in.
func (m *mailbox) user() string {
	if m.Other.User != "" {
		return m.Other.User
	}
	return m.from.Address
}

// limit is how long an answer is at most.
const limit = 4000

func (m *mailbox) Abilities() workspace.Abilities {
	return workspace.Abilities{Limit: limit, Cites: true, Handle: contact.Email, Threads: true}
}
func (m *mailbox) Handler() http.Handler  { return nil }
func (m *mailbox) Sender() channel.Sender { return m }

func (m *mailbox) Close() error {
	m.server.Close()
	return nil
}

// Takes is channel.Taker's: the addresses that are named, also with a mark behind a plus sign.
func (m *mailbox) Takes(address string) bool {
	local, domain, _ := strings.Cut(address, "@")
	local, _, _ = strings.Cut(local, "+")
	return slices.ContainsFunc(m.Receives, func(a string) bool { return strings.EqualFold(a, local+"@"+domain) })
}

// Take is channel.Taker's.
func (m *mailbox) Take(ctx context.Context, raw []byte, by channel.Bringer) error {
	return m.handed(ctx, raw, "", by)
}

// Look is channel.Looker's.
func (m *mailbox) Look() {
	select {
	case m.look <- struct{}{}:
	default:
	}
}

// Send is channel.Sender's. The Message-ID is made of the message's id, so that whoever gets
// a mail twice can tell.
func (m *mailbox) Send(ctx context.Context, out channel.Outgoing) error {
	a := m.answer(out)
	written, err := letter.Write(a)
	if err != nil {
		return fmt.Errorf("the mail could not be written: %w", err)
	}
	var to []string
	for _, p := range append(a.To, a.Copy...) {
		to = append(to, p.Address)
	}
	return m.server.Send(ctx, m.from.Address, to, written)
}

// answer is the mail that carries a message.
func (m *mailbox) answer(out channel.Outgoing) letter.Answer {
	a := letter.Answer{
		ID: out.ID + "@" + m.domain, From: letter.Person{Name: m.Title(), Address: m.from.Address}, References: out.References,
		Subject: "Re: " + out.Subject, Text: message.Plain(out.Parts), At: out.At, Automatic: !out.ByPerson,
	}
	if out.Subject == "" {
		a.Subject = m.Title()
	}
	to := letter.Person{Address: out.Address}
	if from, err := letter.ParseAddress(out.Original.From); err == nil && from.Address == out.Address {
		to = from
	}
	a.To = []letter.Person{to}
	if m.ToAll {
		for _, said := range append(out.Original.To, out.Original.Copy...) {
			if p, err := letter.ParseAddress(said); err == nil && !m.isOwn(p.Address) && p.Address != out.Address {
				a.Copy = append(a.Copy, p)
			}
		}
	}
	for _, c := range out.Citations {
		a.Sources = append(a.Sources, letter.Source{Title: strings.Join(c.Trail, " > "), Address: c.Address})
	}
	if m.Quote && out.Said != "" {
		a.Quoted, a.QuotedFrom, a.QuotedAt = out.Said, out.Original.From, out.SaidAt
	}
	return a
}

// isOwn reports whether an address is the mailbox's.
func (m *mailbox) isOwn(address string) bool {
	return strings.EqualFold(address, m.from.Address) || strings.EqualFold(address, m.Other.User)
}
