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
	"urgentparrot.example/internal/core/tool"
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
	Secret  string // "" for none
	Header  string // that the secret is sent in; "": as a bearer token
	Client  *http.Client
	Clock   clock.Clock

	renews *renewing // nil: the secret stays what it is
}

// call sends a request and decodes the JSON that comes back into into, unless it
// is nil. key, if any, is the idempotency key.
func (e Endpoint) call(ctx context.Context, method, path, key string, body, into any) error {
	return e.callFor(ctx, systemLimit, method, path, key, body, into)
}

// callFor is call for answers of at most so many bytes.
func (e Endpoint) callFor(ctx context.Context, most int64, method, path, key string, body, into any) error {
	var content []byte
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			return err
		}
		content = raw
	}
	_, raw, err := e.send(ctx, most, tool.Prepared{Method: method, Path: path, Body: content}, key)
	if err != nil || into == nil {
		return err
	}
	if err := json.Unmarshal(raw, into); err != nil {
		return fmt.Errorf("%s sent something that is not JSON", e.Title)
	}
	return nil
}

// send sends a request and returns what came back, at most so many bytes of it, also of an
// answer that is an error. key, if any, is the idempotency key.
func (e Endpoint) send(ctx context.Context, most int64, p tool.Prepared, key string) (status int, raw []byte, err error) {
	var content io.Reader
	if p.Body != nil {
		content = bytes.NewReader(p.Body)
	}
	request, err := http.NewRequestWithContext(ctx, p.Method, strings.TrimSuffix(e.Address, "/")+p.Path, content)
	if err != nil {
		return 0, nil, err
	}
	request.Header.Set("Accept", "application/json")
	if p.Body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	for name, value := range p.Headers {
		request.Header.Set(name, value)
	}
	if key != "" {
		request.Header.Set("Idempotency-Key", key)
	}
	e.sign(request.Header)
	response, err := e.Client.Do(request)
	if err != nil {
		return 0, nil, fmt.Errorf("%s cannot be reached: %w", e.Title, outbound.Why(err))
	}
	defer response.Body.Close()
	raw, err = io.ReadAll(io.LimitReader(response.Body, most+1))
	status = response.StatusCode
	switch {
	case err != nil:
		return status, nil, fmt.Errorf("%s broke off: %w", e.Title, err)
	case int64(len(raw)) > most:
		return status, nil, fmt.Errorf("%w: %s sent more than %d KiB", outbound.ErrRefused, e.Title, most>>10)
	}
	raw = e.withoutSecret(raw)
	switch {
	case status == http.StatusTooManyRequests, status == http.StatusRequestTimeout, status >= 500:
		return status, raw, fmt.Errorf("%s answered %d", e.Title, status)
	case status == http.StatusNotFound:
		return status, raw, fmt.Errorf("%w: %s answered 404: %s", errNotThere, e.Title, outbound.Excerpt(raw))
	case status >= 300:
		return status, raw, fmt.Errorf("%w: %s answered %d: %s", outbound.ErrRefused, e.Title, status, outbound.Excerpt(raw))
	}
	return status, raw, nil
}

// Get returns what stands at a path of the system, whatever it is, at most 8 MiB of it.
func (e Endpoint) Get(ctx context.Context, path string) ([]byte, error) {
	if !strings.HasPrefix(path, "/") {
		path = "/" + path
	}
	_, raw, err := e.send(ctx, modelLimit, tool.Prepared{Method: http.MethodGet, Path: path}, "")
	return raw, err
}

// Answers tries whether the system is there and lets the service in: whatever else it says at its
// address, which need not be a page, is taken for a yes.
func (e Endpoint) Answers(ctx context.Context) error {
	status, _, err := e.send(ctx, modelLimit, tool.Prepared{Method: http.MethodGet}, "")
	switch {
	case status == http.StatusUnauthorized, status == http.StatusForbidden:
		return fmt.Errorf("%s does not let us in: it answered %d; is its secret set?", e.Title, status)
	case status != 0 && status < http.StatusInternalServerError:
		return nil
	}
	return err
}

// sign adds the secret to a request.
func (e Endpoint) sign(h http.Header) {
	switch {
	case e.Secret == "":
	case e.Header != "":
		h.Set(e.Header, e.Secret)
	default:
		h.Set("Authorization", "Bearer "+e.Secret)
	}
}

// withoutSecret blanks the secret in what a system sends back: some repeat what they
// were sent, and what they say is shown, kept and logged.
func (e Endpoint) withoutSecret(raw []byte) []byte {
	const shortest = 4 // bytes of a secret that can be told from other words
	secrets := []string{e.Secret}
	if e.renews != nil {
		secrets = append(secrets, e.renews.secret())
	}
	for _, secret := range secrets {
		if len(secret) < shortest {
			continue
		}
		for _, form := range []string{secret, url.QueryEscape(secret), base64.StdEncoding.EncodeToString([]byte(secret)), strings.Trim(string(quoted(secret)), `"`)} {
			raw = bytes.ReplaceAll(raw, []byte(form), []byte("***"))
		}
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
