// Package workspace defines the documents that a workspace consists of beside
// its bots: settings, channels, connections, tools and sheets. Each is YAML,
// checked whole, with errors by line and column.
package workspace

import (
	"net/url"
	"strings"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
)

// Kind is a kind of document.
type Kind string

// The kinds of documents.
const (
	KindSettings   Kind = "settings"
	KindBot        Kind = "bot"
	KindChannel    Kind = "channel"
	KindConnection Kind = "connection"
	KindTool       Kind = "tool"
	KindSheet      Kind = "sheet"
)

// Kinds lists all kinds in the order in which they can be read: a document
// refers only to kinds before it.
var Kinds = []Kind{KindSettings, KindConnection, KindSheet, KindTool, KindBot, KindChannel}

// Settings are the workspace's own.
type Settings struct {
	Settings string     `yaml:"settings"` // the workspace's name
	Title    string     `yaml:"title"`    // the business's name
	Language string     `yaml:"language"` // ISO 639-1
	Region   string     `yaml:"region"`   // ISO 3166, for telephone numbers
	TimeZone string     `yaml:"time_zone"`
	Synonyms [][]string `yaml:"synonyms"`

	Lessons    string     `yaml:"lessons"`    // review: a person approves them; at once
	Embeddings Embeddings `yaml:"embeddings"` // none: the encoder that ships with the product

	zone *time.Location
}

// Embeddings name a model that makes the vectors of passages and questions, in
// place of the built-in encoder.
type Embeddings struct {
	Connection string `yaml:"connection"` // to an HTTP system with the call POST /embeddings
	Model      string `yaml:"model"`
}

// Zone is the workspace's time zone, UTC if none is set.
func (s Settings) Zone() *time.Location {
	if s.zone == nil {
		return time.UTC
	}
	return s.zone
}

// Analyzer returns the analyzer for the workspace's language and synonyms.
func (s Settings) Analyzer() *text.Analyzer { return text.NewAnalyzer(s.Language, s.Synonyms) }

// DefaultSettings are those of a workspace that has not set any.
func DefaultSettings(name string) Settings {
	return Settings{Settings: name, Title: name, Language: "en", Region: "GB", TimeZone: "UTC", Lessons: "review", zone: time.UTC}
}

// ParseSettings reads settings. The error is document.Problems.
func ParseSettings(file string, source []byte) (Settings, error) {
	s := DefaultSettings("main")
	c := document.Decode(file, source, &s)
	if !c.Failed() {
		c.Name("$.settings", s.Settings)
		zone, err := time.LoadLocation(s.TimeZone)
		if err != nil {
			c.Wrong("$.time_zone", "%q is not a time zone; write one like Europe/London", s.TimeZone)
		}
		s.zone = zone
		if s.Lessons != "review" && s.Lessons != "at once" {
			c.Wrong("$.lessons", "%q is not known here; it is review or at once", s.Lessons)
		}
		if s.Embeddings.Model != "" && s.Embeddings.Connection == "" {
			c.Wrong("$.embeddings", "say which connection leads to the model")
		}
	}
	return s, c.Err()
}

// ChannelKind is the protocol of a channel.
type ChannelKind string

// The kinds of channels.
const (
	Website  ChannelKind = "website"
	TextLine ChannelKind = "text-line"
)

// A Channel is a way in for customers.
type Channel struct {
	Channel    string      `yaml:"channel"`
	Title      string      `yaml:"title"`
	Kind       ChannelKind `yaml:"kind"`
	Bot        string      `yaml:"bot"`        // receives new conversations
	Connection string      `yaml:"connection"` // text line: the gateway
	Number     string      `yaml:"number"`     // text line: its own number
	Origins    []string    `yaml:"origins"`    // website: pages that may carry the chat
	Pause      Duration    `yaml:"pause"`      // how long to collect messages that follow closely
	Off        bool        `yaml:"off"`
}

// A Duration is written as in "250ms" or "2m".
type Duration time.Duration

// UnmarshalText reads a duration.
func (d *Duration) UnmarshalText(b []byte) error {
	v, err := time.ParseDuration(string(b))
	*d = Duration(v)
	return err
}

// Abilities are what a channel can carry.
type Abilities struct {
	Limit int  // runes in one message; 0 is no limit
	Cites bool // shows the sources of a reply
}

// Abilities returns what the channel's protocol can carry.
func (c Channel) Abilities() Abilities {
	if c.Kind == TextLine {
		return Abilities{Limit: 480} // about three or four segments
	}
	return Abilities{Limit: 1200, Cites: true}
}

// ParseChannel reads a channel. The error is document.Problems.
func ParseChannel(file string, source []byte) (Channel, error) {
	var ch Channel
	c := document.Decode(file, source, &ch)
	if c.Failed() {
		return ch, c.Err()
	}
	c.Name("$.channel", ch.Channel)
	c.Name("$.bot", ch.Bot)
	if ch.Pause < 0 || ch.Pause > Duration(time.Minute) {
		c.Wrong("$.pause", "the pause must be from 0s to 1m")
	}
	switch ch.Kind {
	case Website:
		for i, origin := range ch.Origins {
			if u, err := url.Parse(origin); err != nil || u.Host == "" || u.Path != "" || u.Scheme != "http" && u.Scheme != "https" {
				c.Wrong("$.origins", "origin %d, %q, must be like https://www.example.org, without a path", i+1, origin)
			}
		}
	case TextLine:
		if ch.Connection == "" {
			c.Wrong("$.connection", "a text line needs the connection of its gateway")
		}
		if ch.Number == "" {
			c.Wrong("$.number", "a text line needs its own number")
		}
	default:
		c.Wrong("$.kind", "%q is not a kind of channel; it is website or text-line", ch.Kind)
	}
	if ch.Title == "" {
		ch.Title = ch.Channel
	}
	return ch, c.Err()
}

// ConnectionKind is what a connection leads to.
type ConnectionKind string

// The kinds of connections.
const (
	HTTPSystem ConnectionKind = "http" // tools, CRMs, text gateways
	MailServer ConnectionKind = "smtp"
)

// A Connection is the address of an outside system. Its secret is kept apart,
// sealed.
type Connection struct {
	Connection string         `yaml:"connection"`
	Title      string         `yaml:"title"`
	Kind       ConnectionKind `yaml:"kind"`
	Address    string         `yaml:"address"` // a URL, or HOST:PORT for smtp
	From       string         `yaml:"from"`    // smtp: the sender
}

// ParseConnection reads a connection. The error is document.Problems.
func ParseConnection(file string, source []byte) (Connection, error) {
	var conn Connection
	c := document.Decode(file, source, &conn)
	if c.Failed() {
		return conn, c.Err()
	}
	c.Name("$.connection", conn.Connection)
	switch conn.Kind {
	case HTTPSystem:
		if u, err := url.Parse(conn.Address); err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
			c.Wrong("$.address", "%q is not the address of an HTTP system; write it like https://crm.example.org/api", conn.Address)
		} else if u.User != nil {
			c.Wrong("$.address", "a secret does not belong in the address; set it with parrot connection secret")
		}
	case MailServer:
		if !strings.Contains(conn.Address, ":") {
			c.Wrong("$.address", "%q is not the address of a mail server; write HOST:PORT", conn.Address)
		}
		if text.Email(conn.From) == "" {
			c.Wrong("$.from", "a mail server needs the address that mails come from")
		}
	default:
		c.Wrong("$.kind", "%q is not a kind of connection; it is http or smtp", conn.Kind)
	}
	return conn, c.Err()
}

// A Sheet is a table that rows are written to.
type Sheet struct {
	Sheet   string   `yaml:"sheet"`
	Title   string   `yaml:"title"`
	Columns []string `yaml:"columns"`
}

// ParseSheet reads a sheet. The error is document.Problems.
func ParseSheet(file string, source []byte) (Sheet, error) {
	var s Sheet
	c := document.Decode(file, source, &s)
	if c.Failed() {
		return s, c.Err()
	}
	c.Name("$.sheet", s.Sheet)
	if len(s.Columns) == 0 || len(s.Columns) > 100 {
		c.Wrong("$.columns", "a sheet has from 1 to 100 columns")
	}
	seen := map[string]bool{}
	for _, column := range s.Columns {
		if column == "" || seen[column] {
			c.Wrong("$.columns", "each column needs a name of its own; %q is empty or there twice", column)
		}
		seen[column] = true
	}
	return s, c.Err()
}
