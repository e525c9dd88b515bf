package workspace

import (
	"encoding/base64"
	"errors"
	"fmt"
	"math"
	"net/url"
	"regexp"
	"strings"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
)

// ConnectionKind is what a connection leads to.
type ConnectionKind string

// The kinds of connections.
const (
	HTTPSystem ConnectionKind = "http" // tools, CRMs, text gateways
	MailServer ConnectionKind = "smtp"
	Model      ConnectionKind = "model"   // a server of language models
	MCPServer  ConnectionKind = "mcp"     // a server of tools, by the Model Context Protocol
	Mailbox    ConnectionKind = "mailbox" // mails come from it by IMAP and go out by SMTP
)

// connectionKinds are the kinds in words.
var connectionKinds = map[ConnectionKind]string{HTTPSystem: "connection to an HTTP system", MailServer: "connection to a mail server", Model: "connection to a model server", MCPServer: "connection to an MCP server", Mailbox: "connection to a mailbox"}

// A Connection is the address of an outside system. Its secret is kept apart,
// sealed.
type Connection struct {
	Name     string         `yaml:"connection"`
	Title    string         `yaml:"title"`
	Kind     ConnectionKind `yaml:"kind"`
	Address  string         `yaml:"address"`  // a URL, or HOST:PORT for smtp and mailbox; for mcp also program:NAME, one of those that the host's configuration allows
	From     string         `yaml:"from"`     // smtp, mailbox: the sender
	Sends    string         `yaml:"sends"`    // mailbox: the HOST:PORT by which mails go out
	User     string         `yaml:"user"`     // smtp, mailbox: who signs in, with the secret; "": the sender, if there is a secret
	Security string         `yaml:"security"` // smtp, mailbox: how the connection is kept private: see below
	Header   string         `yaml:"header"`   // http, mcp: the header that the secret is sent in; "": as a bearer token
	Consent  *Consent       `yaml:"consent"`  // somebody lets the service in; nil: with the secret

	// Of a model server.
	Model       string   `yaml:"model"`       // the name of the model, as the server lists it
	Temperature float64  `yaml:"temperature"` // 0: always the likeliest word; 2: the most varied
	Output      int      `yaml:"output"`      // tokens of a reply at most
	Window      int      `yaml:"window"`      // tokens that the model takes in at once
	Price       Price    `yaml:"price"`
	Timeout     Duration `yaml:"timeout"` // of one request
	AtOnce      int      `yaml:"at_once"` // requests at the same time
}

// How a connection to a mail server is kept private. The first is for servers on the same
// machine or network alone: the password goes over the wire as it is.
const (
	NoSecurity = "none"
	StartTLS   = "starttls" // begun in the clear and then encrypted, or broken off
	TLS        = "tls"      // encrypted from the beginning
)

// SecurityAt is how the connection to one of its addresses is kept private, where the document
// does not say: as the port is for.
func (conn Connection) SecurityAt(address string) string {
	if conn.Security != "" {
		return conn.Security
	}
	switch address[strings.LastIndexByte(address, ':')+1:] {
	case "993", "465":
		return TLS
	}
	return StartTLS
}

// Price is what a million tokens cost, in the currency of the bill.
type Price struct {
	Read    float64 `yaml:"read"`
	Written float64 `yaml:"written"`
}

// Cost is what an exchange costs, in millionths of the currency.
func (p Price) Cost(read, written int) int64 {
	return int64(math.Round(p.Read*float64(read) + p.Written*float64(written)))
}

// Named is document.Document's.
func (conn Connection) Named() string { return conn.Name }

// Refers is document.Document's.
func (conn Connection) Refers() []document.Reference { return nil }

// A Consent says whom the service asks to be let in, where the other side takes no password or
// key but asks a person (OAuth 2). The connection's secret is then the service's own there, if
// it was given one.
type Consent struct {
	Issuer    string   `yaml:"issuer"`    // tells its addresses by itself (RFC 8414)
	Authorize string   `yaml:"authorize"` // where a person is asked, and
	Token     string   `yaml:"token"`     // where tokens are got, of an issuer that does not
	Client    string   `yaml:"client"`    // what the service is called there
	Scopes    []string `yaml:"scopes"`    // what it asks to be allowed
}

// Origin is what a secret is meant for: the scheme, host and port of an HTTP system, the mail
// servers, or where the tokens come from that somebody's consent gives.
func (conn Connection) Origin() string {
	if conn.Consent != nil {
		return strings.ToLower(strings.TrimSpace(conn.Consent.Issuer + " " + conn.Consent.Token))
	}
	return conn.Reaches()
}

// Reaches is where what somebody consented to is sent.
func (conn Connection) Reaches() string {
	if conn.Kind == MailServer || conn.Kind == Mailbox {
		return strings.ToLower(strings.TrimSpace(conn.Address + " " + conn.Sends))
	}
	u, err := url.Parse(conn.Address)
	if err != nil {
		return ""
	}
	return strings.ToLower(u.Scheme + "://" + u.Host)
}

// headerName is the name of a header that a secret may be sent in.
var headerName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9-]{0,63}$`)

// Program is the name of the program on this host that an MCP server is, if it is one.
func (conn Connection) Program() (name string, is bool) {
	name, is = strings.CutPrefix(conn.Address, "program:")
	return name, is && conn.Kind == MCPServer
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
	what := connectionKinds[kind]
	return document.Reference{Path: path, Kind: "connection", Name: name, What: what, Unfit: func(d document.Document) string {
		if is := d.(Connection).Kind; is != kind && (kind != MailServer || is != Mailbox) {
			return name + " is not a " + what
		}
		return ""
	}}
}

// ToEmbeddings returns the reference of a document to a connection that makes vectors: a
// model server or another HTTP system.
func ToEmbeddings(path, name string) document.Reference {
	return document.Reference{Path: path, Kind: "connection", Name: name, What: connectionKinds[Model], Unfit: func(d document.Document) string {
		if kind := d.(Connection).Kind; kind == MailServer || kind == Mailbox {
			return name + " is a " + connectionKinds[kind]
		}
		return ""
	}}
}

// ParseConnection reads a connection. The error is document.Problems.
func ParseConnection(file string, source []byte) (Connection, error) {
	conn := Connection{Temperature: 0.2, Output: 700, Window: 8192, Timeout: Duration(20 * time.Second), AtOnce: 8}
	c := document.Decode(file, source, &conn)
	if c.Failed() {
		return conn, c.Err()
	}
	c.Name("$.connection", conn.Name)
	switch conn.Kind {
	case HTTPSystem, Model, MCPServer:
		if program, is := conn.Program(); is {
			c.Name("$.address", program)
		} else if u, err := url.Parse(conn.Address); err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
			c.Wrong("$.address", "%q is not the address of an HTTP system; write it like https://crm.example.org/api", conn.Address)
		} else if u.User != nil {
			c.Wrong("$.address", "a secret does not belong in the address; set it with parrot connection secret")
		}
		if conn.Kind == Model {
			conn.checkModel(c)
		}
	case Mailbox:
		conn.checkHost(c, "$.address", conn.Address, "imap.example.org:993")
		conn.checkHost(c, "$.sends", conn.Sends, "smtp.example.org:587")
		if text.Email(conn.From) == "" {
			c.Wrong("$.from", "a mailbox needs the address that mails come from")
		}
	case MailServer:
		if !strings.Contains(conn.Address, ":") {
			c.Wrong("$.address", "%q is not the address of a mail server; write HOST:PORT", conn.Address)
		}
		if text.Email(conn.From) == "" {
			c.Wrong("$.from", "a mail server needs the address that mails come from")
		}
	default:
		c.Wrong("$.kind", "%q is not a kind of connection; it is http, smtp, mailbox, model or mcp", conn.Kind)
	}
	if s := conn.Security; s != "" && s != NoSecurity && s != StartTLS && s != TLS {
		c.Wrong("$.security", "%q is not known here; it is tls, starttls or none", s)
	}
	if conn.Header != "" && !headerName.MatchString(conn.Header) {
		c.Wrong("$.header", "%q is not the name of a header; write one like X-Api-Key", conn.Header)
	}
	if conn.Consent != nil {
		conn.Consent.check(c)
		if _, is := conn.Program(); is {
			c.Wrong("$.consent", "a program on this host asks nobody")
		}
	}
	if conn.Title == "" {
		conn.Title = conn.Name
	}
	return conn, c.Err()
}

// mostScopes is how many things a connection may ask for.
const mostScopes = 40

func (consent *Consent) check(c *document.Checker) {
	for _, at := range []struct{ path, address string }{{"issuer", consent.Issuer}, {"authorize", consent.Authorize}, {"token", consent.Token}} {
		if at.address == "" {
			continue
		}
		if u, err := url.Parse(at.address); err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.User != nil || u.Fragment != "" {
			c.Wrong("$.consent."+at.path, "%q is not a web address; write it like https://accounts.example.org", at.address)
		}
	}
	switch {
	case consent.Issuer == "" && consent.Authorize == "" && consent.Token == "":
		c.Wrong("$.consent", "say whom the service asks to be let in: issuer, or authorize and token")
	case (consent.Authorize == "") != (consent.Token == ""):
		c.Wrong("$.consent", "authorize and token belong together: where a person is asked, and where the tokens come from")
	}
	if strings.TrimSpace(consent.Client) == "" {
		c.Wrong("$.consent", "client: say what the service is called there; you get this id where you register it")
	}
	if len(consent.Scopes) > mostScopes {
		c.Wrong("$.consent.scopes", "at most %d things are asked for", mostScopes)
	}
	for i, scope := range consent.Scopes {
		if scope == "" || strings.ContainsFunc(scope, func(r rune) bool { return r <= ' ' || r >= 127 || r == '"' || r == '\\' }) {
			c.Wrong(fmt.Sprintf("$.consent.scopes[%d]", i), "%q is not the name of a scope; each is a word of its own", scope)
		}
	}
}

var hostPort = regexp.MustCompile(`^(\[[0-9a-fA-F:.]+\]|[^\s:/@\[\]]+):\d{1,5}$`)

// checkHost checks an address of a mail server.
func (conn Connection) checkHost(c *document.Checker, path, address, example string) {
	if !hostPort.MatchString(address) {
		c.Wrong(path, "%q is not the address of a mail server; write HOST:PORT, such as %s", address, example)
	}
}

// Bounds of what is said of a model.
const (
	leastOutput, mostOutput = 50, 8_000
	leastWindow, mostWindow = 2_000, 1_000_000
	mostTimeout             = 5 * time.Minute
	mostAtOnce              = 256
)

func (conn Connection) checkModel(c *document.Checker) {
	if strings.TrimSpace(conn.Model) == "" {
		c.Wrong("$.model", "say which of the server's models is used; the list of them can be fetched")
	}
	if !(conn.Temperature >= 0 && conn.Temperature <= 2) {
		c.Wrong("$.temperature", "the temperature lies between 0 (always the likeliest word) and 2 (the most varied); 0.2 is a good start")
	}
	if conn.Output < leastOutput || conn.Output > mostOutput {
		c.Wrong("$.output", "a reply may have from %d to %d tokens", leastOutput, mostOutput)
	}
	if conn.Window < leastWindow || conn.Window > mostWindow {
		c.Wrong("$.window", "a model takes in from %d to %d tokens at once", leastWindow, mostWindow)
	}
	if !(conn.Price.Read >= 0 && conn.Price.Written >= 0 && conn.Price.Read <= 1e6 && conn.Price.Written <= 1e6) {
		c.Wrong("$.price", "a price for a million tokens lies between 0 and 1000000")
	}
	if t := time.Duration(conn.Timeout); t < 100*time.Millisecond || t > mostTimeout {
		c.Wrong("$.timeout", "a request may take from 100ms to 5m")
	}
	if conn.AtOnce < 1 || conn.AtOnce > mostAtOnce {
		c.Wrong("$.at_once", "from 1 to %d requests may be under way at once", mostAtOnce)
	}
}
