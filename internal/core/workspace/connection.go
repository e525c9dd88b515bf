package workspace

import (
	"encoding/base64"
	"errors"
	"fmt"
	"net/url"
	"strings"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
)

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
	Name    string         `yaml:"connection"`
	Title   string         `yaml:"title"`
	Kind    ConnectionKind `yaml:"kind"`
	Address string         `yaml:"address"` // a URL, or HOST:PORT for smtp
	From    string         `yaml:"from"`    // smtp: the sender
}

// Named is document.Document's.
func (conn Connection) Named() string { return conn.Name }

// Refers is document.Document's.
func (conn Connection) Refers() []document.Reference { return nil }

// Origin is the part of the address that a secret is meant for: the scheme, host and
// port of an HTTP system, or the mail server.
func (conn Connection) Origin() string {
	if conn.Kind != HTTPSystem {
		return strings.ToLower(conn.Address)
	}
	u, err := url.Parse(conn.Address)
	if err != nil {
		return ""
	}
	return strings.ToLower(u.Scheme + "://" + u.Host)
}

// signingKey is how many bytes a secret for signatures has at least.
const signingKey = 16

// CheckSigningSecret reports what is wrong with a secret in the form of Standard
// Webhooks; other secrets are none of its concern.
func CheckSigningSecret(secret string) error {
	encoded, ok := strings.CutPrefix(secret, "whsec_")
	if !ok {
		return nil
	}
	key, err := base64.StdEncoding.DecodeString(encoded)
	if err != nil {
		return errors.New("a secret that begins with whsec_ goes on in base64")
	}
	if len(key) < signingKey {
		return fmt.Errorf("the key behind whsec_ has %d bytes; with fewer than %d anybody could guess it", len(key), signingKey)
	}
	return nil
}

// ToConnection returns the reference of a document to a connection of a kind.
func ToConnection(path, name string, kind ConnectionKind) document.Reference {
	what := map[ConnectionKind]string{HTTPSystem: "connection to an HTTP system", MailServer: "connection to a mail server"}[kind]
	return document.Reference{Path: path, Kind: "connection", Name: name, What: what, Unfit: func(d document.Document) string {
		if d.(Connection).Kind != kind {
			return name + " is not a " + what
		}
		return ""
	}}
}

// ParseConnection reads a connection. The error is document.Problems.
func ParseConnection(file string, source []byte) (Connection, error) {
	var conn Connection
	c := document.Decode(file, source, &conn)
	if c.Failed() {
		return conn, c.Err()
	}
	c.Name("$.connection", conn.Name)
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
	if conn.Title == "" {
		conn.Title = conn.Name
	}
	return conn, c.Err()
}
