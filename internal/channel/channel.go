// Package channel holds what the adapters of all protocols share: what comes in,
// what goes out, and the limits on both. Each protocol has a folder of its own.
package channel

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"unicode/utf8"

	"urgentparrot.example/internal/problem"
)

// Incoming is a message as it arrives.
type Incoming struct {
	Address    string // the customer's, on this channel
	ExternalID string // the channel's own id: a repeat has the same
	Text       string
	Automated  bool // by a machine or by the channel's own account: starts nothing
}

// Received says what became of it.
type Received struct {
	Message      string `json:"message"`
	Conversation string `json:"conversation"`
	Repeat       bool   `json:"repeat"` // it had been received before
}

// Intake keeps an incoming message. Once it returns without an error, the
// message is on disk.
type Intake func(context.Context, Incoming) (Received, error)

// Outgoing is a message to be carried to the customer.
type Outgoing struct {
	ID      string   `json:"id"` // the idempotency key
	Address string   `json:"address"`
	Text    string   `json:"text"`
	Answers []string `json:"answers"` // the external ids of the messages it replies to
}

// A Sender carries messages outward. An error that wraps ErrRefused is final;
// any other may be tried again.
type Sender interface {
	Send(context.Context, Outgoing) error
}

// ErrRefused is a final no of the other side.
var ErrRefused = errors.New("refused by the other side")

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
