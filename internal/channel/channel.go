// Package channel holds what the adapters of all protocols share: the seam that
// they plug into, what comes in and what goes out, and the limits on both. Each
// protocol has a folder of its own, and is registered in internal/kinds.
package channel

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"
	"unicode/utf8"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/problem"
)

// An Adapter speaks a protocol for one channel. The engine opens one for each
// channel that is switched on, keeps it open while the channel's document, its
// connection and its secret stay the same, and calls it from many goroutines.
// It holds no rules: what is answered, by whom and when is decided elsewhere.
type Adapter interface {
	// Abilities says what the channel can carry. It is always the same.
	Abilities() workspace.Abilities
	// Handler serves the channel to outsiders, with the path below its address; nil
	// if nothing of the channel is served. It must bound what it reads.
	Handler() http.Handler
	// Sender carries messages outward; nil if the other side fetches what was said
	// from the Room.
	Sender() Sender
	// Run works for the channel while it is open, such as watching a mailbox. It is
	// called once and ends when ctx does; an error is shown to people, and Run is
	// called again after a pause. A channel that has nothing to run returns nil at
	// once.
	Run(ctx context.Context) error
	// Close gives back what the adapter holds. It is called once, after Run has
	// ended; a Send may still be under way.
	Close() error
}

// A Sender carries messages outward. It must be done when ctx ends. An error that
// wraps outbound.ErrRefused is final; any other may be tried again, with the same
// id.
type Sender interface {
	Send(context.Context, Outgoing) error
}

// A Looker is an adapter that can be told to look for what is new now.
type Looker interface{ Look() }

// A Tester is an adapter that can try whether all that it needs works. It returns what it
// found on the other side, for people.
type Tester interface {
	Test(context.Context) (found []string, err error)
}

// An Understander is an adapter that tells what it would make of a message as it comes,
// without taking it in.
type Understander interface {
	Understand(ctx context.Context, raw []byte) Incoming
}

// A Taker is an adapter to which others bring messages as they come, by the address that they
// go to.
type Taker interface {
	Takes(address string) bool
	// Take takes a message in. Once it returns without an error, the message is on disk.
	Take(ctx context.Context, raw []byte, by Bringer) error
}

// A Bringer is who brought a message, as the connection shows it.
type Bringer struct {
	IP    net.IP // nil: it is not known
	Hello string // what it calls itself
	From  string // whom it says the message is from, in the envelope; "": nobody
}

// A Historian is an adapter that can take in what came before it was opened, from a day to
// another, without any of it being answered.
type Historian interface {
	Past(ctx context.Context, from, to time.Time, progress func(done, all int)) error
}

// A Kind is a protocol: what plugs into the seam.
type Kind struct {
	Name    string                   // in documents: "text-line"
	Title   string                   // for people: "Text line"
	Path    string                   // the public address is /PATH/WORKSPACE/CHANNEL; "" without a handler
	Page    bool                     // people can open that address, and write there
	Embed   string                   // what the business puts into its own pages, with ADDRESS for that address; "" if nothing
	Needs   string                   // what its connection leads to: "the text gateway"; "" if it needs none
	To      workspace.ConnectionKind // of the connection; "" is HTTPSystem
	Drafts  bool                     // it can lay replies among the drafts of the other side
	Sealed  bool                     // the connection must have a secret
	Example string                   // a whole document
	Form    []document.Field         // how people fill in what the kind adds to all channels
	// Settings returns empty settings, which embed workspace.Channel.
	Settings func() Settings
	// Open opens an adapter. It must not wait for the other side. An error says what
	// keeps the channel from working.
	Open func(Settings, Setup) (Adapter, error)
}

// Settings are a channel's document: what all channels have, and what the kind
// adds.
type Settings interface {
	document.Document
	Common() *workspace.Channel
	// CheckOwn notes what is wrong with what the kind adds.
	CheckOwn(*document.Checker)
}

// Setup is what an adapter works with.
type Setup struct {
	Room    Room
	Title   func() string        // the business's name
	Address string               // of the connection
	Secret  string               // of the connection, in the clear
	Token   outbound.Token       // in its place, where somebody has let the service in; nil elsewhere
	Other   workspace.Connection // the connection itself
	Rules   outbound.Rules       // for connecting to other systems
	Names   Names                // asks the domain name system; nil: as the machine does
	Key     []byte               // for signing, known to this channel alone
	Client  *http.Client         // for calls to other systems: it keeps the address rules
	Clock   clock.Clock
	Log     *slog.Logger
}

// Names asks the domain name system, as net.Resolver does.
type Names interface {
	LookupTXT(ctx context.Context, name string) ([]string, error)
	LookupMX(ctx context.Context, name string) ([]*net.MX, error)
	LookupIPAddr(ctx context.Context, host string) ([]net.IPAddr, error)
	LookupAddr(ctx context.Context, address string) ([]string, error)
}

// A Room is where a channel's conversations are kept. It is safe for concurrent
// use.
type Room interface {
	// Receive keeps a message of a customer. Once it returns without an error, the
	// message is on disk.
	Receive(context.Context, Incoming) (Received, error)
	// Said returns what was said with a handle after an id, oldest first, and
	// whether there is more.
	Said(ctx context.Context, address, after string) (list []Said, more bool, err error)
	// Undelivered says that a message that was sent did not arrive: people are told.
	// One that is not there is no error.
	Undelivered(ctx context.Context, message, why string) error
	// Drafts are the replies that wait for a person and are to be laid among the drafts of the
	// other side; Changed signals when they may be others.
	Drafts(context.Context) ([]Outgoing, error)
	Changed() (<-chan struct{}, func())
	// Discarded says that a person has deleted a draft: its reply counts as rejected.
	Discarded(ctx context.Context, message string) error
	// Sent keeps a message of the business's own people that they sent past the product, to
	// the handle that its Address names: it settles a draft, or takes the conversation over.
	Sent(context.Context, Incoming) error
	// Wanted says that a person wants a draft of an answer to a message, whatever else is done
	// with it. A message that is not here yet is taken in, and not answered by itself.
	Wanted(context.Context, Incoming) error
	// Teach says that a person wants knowledge to be made of a message.
	Teach(context.Context, Taught) error
	// Recall returns what was kept under a name, "" for nothing; Keep keeps it. It is
	// the channel's memory of the other side, such as how far a mailbox has been read.
	Recall(ctx context.Context, name string) (string, error)
	Keep(ctx context.Context, name, value string) error
	// Watch returns a channel that is signalled whenever something was said with a
	// handle, and what ends the watch.
	Watch(address string) (<-chan struct{}, func())
}

// Said is a message as the customer sees it.
type Said struct {
	ID        string            `json:"id"`
	Author    string            `json:"author"` // customer, bot, person
	Name      string            `json:"name,omitempty"`
	Text      string            `json:"text"`
	Parts     []message.Part    `json:"parts"`
	Citations []answer.Citation `json:"citations,omitempty"`
	At        time.Time         `json:"at"`
}

// Parse returns what reads the documents of channels of the kinds given.
func Parse(kinds []Kind) func(file string, source []byte) (document.Document, error) {
	return func(file string, source []byte) (document.Document, error) {
		var head struct {
			Kind string `yaml:"kind"`
		}
		if err := document.Peek(file, source, &head); err != nil {
			return nil, err
		}
		names := make([]string, len(kinds))
		for i, kind := range kinds {
			if names[i] = kind.Name; kind.Name != head.Kind {
				continue
			}
			settings := kind.Settings()
			c := document.Decode(file, source, settings)
			if c.Failed() {
				return nil, c.Err()
			}
			common := settings.Common()
			common.To = kind.To
			common.Check(c)
			if common.Replies == workspace.Draft && !kind.Drafts {
				c.Wrong("$.replies", "a %s has no drafts; replies are sent or held", lower(kind.Title))
			}
			if kind.Needs != "" && common.Connection == "" {
				c.Wrong("$.connection", "say which connection leads to %s", kind.Needs)
			}
			settings.CheckOwn(c)
			return settings, c.Err()
		}
		return nil, document.At(file, source, "$.kind", "%q is not a kind of channel; it is %s", head.Kind, strings.Join(names, " or "))
	}
}

// lower begins a title with a small letter.
func lower(title string) string { return strings.ToLower(title[:1]) + title[1:] }

// Incoming is a message as it arrives.
type Incoming struct {
	Address    string // the customer's, on this channel
	ExternalID string // the channel's own id: a repeat has the same
	Text       string
	Automated  bool // by a machine or by the channel's own account: starts nothing

	Token    string  // it answers a notification that carried this token; "": it does not
	Name     string  // of who wrote, "" if it is not told
	Unproven bool    // the address is what it says, and nobody vouches for it
	Thread   *Thread // what it belongs to, on channels with threads; nil on others
	Beside   message.Beside
	Files    []File
}

// Taught is a message that knowledge is to be made of.
type Taught struct {
	Incoming
	Bot string // whose knowledge; "": everybody's
	Own bool   // one of the business's people wrote it, to the Address
}

// TokenMark begins what carries the token of a notification in an address, or the id of a
// message.
const TokenMark = "r-"

// A Thread is what a message belongs to, on a channel with threads. ExternalID begins with
// the message's own id there, then # and what tells it from others that claim the same id.
type Thread struct {
	Subject    string
	References []string // the ids of the messages that it refers to, the latest last
}

// A File came with a message.
type File struct {
	Name   string
	Type   string // as its content shows
	Inline bool   // shown within the text
	Bytes  []byte
}

// Received says what became of it.
type Received struct {
	Message      string `json:"message"`
	Conversation string `json:"conversation"`
	Repeat       bool   `json:"repeat"` // it had been received before
}

// Outgoing is a message to be carried to the customer.
type Outgoing struct {
	ID      string         `json:"id"` // the idempotency key
	Address string         `json:"address"`
	Parts   []message.Part `json:"parts"`
	Answers []string       `json:"answers"` // the external ids of the messages it replies to

	Citations []answer.Citation `json:"citations,omitempty"` // that the channel shows, if it shows them
	ByPerson  bool              `json:"by_person,omitempty"` // a person's own words

	// On channels with threads, filled in when it is sent.
	Subject    string         `json:"-"`
	References []string       `json:"-"` // the ids that it belongs to, the latest last
	Original   message.Beside `json:"-"` // of the message that it replies to
	Said       string         `json:"-"` // in that message
	SaidAt     time.Time      `json:"-"`
	At         time.Time      `json:"-"` // it was made: the same with every try
}

// TextLimit is the longest message that is taken, in bytes.
const TextLimit = 64 << 10

// CheckText says what is wrong with an incoming text, or nil.
func CheckText(s string) *problem.Details {
	switch {
	case !utf8.ValidString(s):
		return problem.New(problem.BadInput, "the text is not in UTF-8", "text")
	case strings.TrimSpace(s) == "":
		return problem.New(problem.BadInput, "the text is empty", "text")
	case len(s) > TextLimit:
		return problem.New(problem.TooLarge, fmt.Sprintf("the text has %d KiB; at most %d KiB are taken", len(s)>>10, TextLimit>>10), "text")
	case strings.ContainsRune(s, 0):
		return problem.New(problem.BadInput, "the text holds a character of zero", "text")
	}
	return nil
}

// ReadBody reads a request's JSON body of bounded size; it must be UTF-8.
func ReadBody(w http.ResponseWriter, r *http.Request) ([]byte, *problem.Details) {
	// Text in JSON may be escaped, which makes it up to six times as long.
	const limit = 6*TextLimit + 4<<10
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, limit))
	if err != nil {
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return nil, problem.New(problem.TooLarge, fmt.Sprintf("the request is larger than %d KiB", limit>>10), "")
		}
		return nil, problem.New(problem.BadInput, "the request broke off before its end", "")
	}
	if !utf8.Valid(body) {
		return nil, problem.New(problem.BadInput, "the request is not in UTF-8", "")
	}
	return body, nil
}

// Decode reads JSON into a value.
func Decode(body []byte, into any) *problem.Details {
	if err := json.Unmarshal(body, into); err != nil {
		return problem.New(problem.BadInput, "the request is not the JSON that is expected here: "+err.Error(), "")
	}
	return nil
}

// WriteJSON answers a request.
func WriteJSON(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	// A client that is gone is no failure of ours.
	_ = json.NewEncoder(w).Encode(v)
}
