package workspace

import (
	"cmp"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
)

// A Channel is a way in for customers: what the documents of all kinds of
// channels have in common. Each kind adds settings of its own.
type Channel struct {
	Name       string   `yaml:"channel"`
	Title      string   `yaml:"title"`
	Kind       string   `yaml:"kind"`       // the protocol
	Bot        string   `yaml:"bot"`        // receives new conversations
	Routes     []Route  `yaml:"routes"`     // that give some of them to other bots, the first that fits
	Connection string   `yaml:"connection"` // the other side, where the kind needs one
	Answers    Filter   `yaml:"answers"`    // which messages deserve an answer
	Replies    string   `yaml:"replies"`    // send; hold: a person approves each; draft: the same, or sends it from the mailbox; off: people answer
	HeldFor    Duration `yaml:"held_for"`   // after which people are told of a reply that is still held
	Pause      Duration `yaml:"pause"`      // how long to collect messages that follow closely
	Quiet      Quiet    `yaml:"quiet"`      // its own quiet hours; none: the workspace's
	Off        bool     `yaml:"off"`

	To ConnectionKind `yaml:"-"` // what the connection leads to, by the kind of the channel
}

// The ways in which replies of bots go out.
const (
	Send  = "send"
	Hold  = "hold"
	Draft = "draft" // held, and laid among the drafts of the mailbox
	Off   = "off"   // people answer, bots keep silent
)

// Common returns what all channels have; the documents of each kind embed it.
func (ch *Channel) Common() *Channel { return ch }

// Named is document.Document's.
func (ch *Channel) Named() string { return ch.Name }

// Refers is document.Document's.
func (ch *Channel) Refers() []document.Reference {
	refers := []document.Reference{{Path: "$.bot", Kind: "bot", Name: ch.Bot}}
	if ch.Connection != "" {
		refers = append(refers, ToConnection("$.connection", ch.Connection, cmp.Or(ch.To, HTTPSystem)))
	}
	return append(refers, ch.routeRefers()...)
}

// Check checks what all channels have, and fills in what was left out.
func (ch *Channel) Check(c *document.Checker) {
	c.Name("$.channel", ch.Name)
	c.Name("$.bot", ch.Bot)
	if ch.Pause < 0 || ch.Pause > Duration(time.Minute) {
		c.Wrong("$.pause", "the pause must be from 0s to 1m")
	}
	if ch.HeldFor == 0 {
		ch.HeldFor = Duration(4 * time.Hour)
	}
	if ch.HeldFor < Duration(time.Minute) || ch.HeldFor > Duration(30*24*time.Hour) {
		c.Wrong("$.held_for", "people are told of a held reply after 1m to 720h")
	}
	ch.Answers.check(c, "$.answers")
	ch.Quiet.check(c)
	ch.checkRoutes(c)
	if ch.Replies == "" {
		ch.Replies = Send
	}
	if ch.Replies != Send && ch.Replies != Hold && ch.Replies != Draft && ch.Replies != Off {
		c.Wrong("$.replies", "%q is not known here; it is send, hold, draft or off", ch.Replies)
	}
	if ch.Title == "" {
		ch.Title = ch.Name
	}
}

// Abilities are what a channel can carry.
type Abilities struct {
	Limit   int          // runes in one message; 0 is no limit
	Cites   bool         // shows the sources of a reply
	Handle  contact.Type // what a handle is, where the channel vouches for it (phone, email); "": it says nothing to people
	Threads bool         // what is said belongs together by subject and reference, several conversations with one handle at a time
}

// A Duration is written as in "250ms" or "2m".
type Duration time.Duration

// UnmarshalText reads a duration.
func (d *Duration) UnmarshalText(b []byte) error {
	v, err := time.ParseDuration(string(b))
	*d = Duration(v)
	return err
}
