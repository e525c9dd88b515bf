// Package connect reaches outward: HTTP tools, the CRM, mail, and the files of
// sheets. Each call is tried by the caller until it succeeds or is refused.
package connect

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/outbound"
)

// How much of an answer is read, in bytes: of a model, which makes long lists of
// numbers, and of other systems, whose answers are kept with the turn.
const (
	modelLimit  = 8 << 20
	systemLimit = 512 << 10
)

// errNotThere is the answer of a system that does not have what was asked for.
var errNotThere = fmt.Errorf("%w", outbound.ErrRefused)

// An Endpoint is an HTTP system with its secret.
type Endpoint struct {
	Title   string // for messages
	Address string
	Secret  string // sent as a bearer token; "" for none
	Client  *http.Client
	Clock   clock.Clock
}

// call sends a request and decodes the JSON that comes back into into, unless it
// is nil. key, if any, is the idempotency key.
func (e Endpoint) call(ctx context.Context, method, path, key string, body, into any) error {
	return e.callFor(ctx, systemLimit, method, path, key, body, into)
}

// callFor is call for answers of at most so many bytes.
func (e Endpoint) callFor(ctx context.Context, most int64, method, path, key string, body, into any) error {
	var content io.Reader
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			return err
		}
		content = bytes.NewReader(raw)
	}
	request, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(e.Address, "/")+path, content)
	if err != nil {
		return err
	}
	request.Header.Set("Accept", "application/json")
	if body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	if key != "" {
		request.Header.Set("Idempotency-Key", key)
	}
	if e.Secret != "" {
		request.Header.Set("Authorization", "Bearer "+e.Secret)
	}
	response, err := e.Client.Do(request)
	if err != nil {
		return fmt.Errorf("%s cannot be reached: %w", e.Title, err)
	}
	defer response.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(response.Body, most+1))
	switch {
	case err != nil:
		return fmt.Errorf("%s broke off: %w", e.Title, err)
	case int64(len(raw)) > most:
		return fmt.Errorf("%w: %s sent more than %d KiB", outbound.ErrRefused, e.Title, most>>10)
	case response.StatusCode == http.StatusTooManyRequests, response.StatusCode == http.StatusRequestTimeout, response.StatusCode >= 500:
		return fmt.Errorf("%s answered %d", e.Title, response.StatusCode)
	}
	raw = e.withoutSecret(raw)
	switch {
	case response.StatusCode == http.StatusNotFound:
		return fmt.Errorf("%w: %s answered 404: %s", errNotThere, e.Title, outbound.Excerpt(raw))
	case response.StatusCode >= 300:
		return fmt.Errorf("%w: %s answered %d: %s", outbound.ErrRefused, e.Title, response.StatusCode, outbound.Excerpt(raw))
	case into == nil:
		return nil
	}
	if err := json.Unmarshal(raw, into); err != nil {
		return fmt.Errorf("%s sent something that is not JSON", e.Title)
	}
	return nil
}

// withoutSecret blanks the secret in what a system sends back: some repeat what they
// were sent, and what they say is shown, kept and logged.
func (e Endpoint) withoutSecret(raw []byte) []byte {
	const shortest = 4 // bytes of a secret that can be told from other words
	if len(e.Secret) < shortest {
		return raw
	}
	for _, form := range []string{e.Secret, url.QueryEscape(e.Secret), base64.StdEncoding.EncodeToString([]byte(e.Secret)), strings.Trim(string(quoted(e.Secret)), `"`)} {
		raw = bytes.ReplaceAll(raw, []byte(form), []byte("***"))
	}
	return raw
}

func quoted(s string) []byte {
	raw, err := json.Marshal(s)
	if err != nil {
		return []byte(s)
	}
	return raw
}
