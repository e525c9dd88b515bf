package connect

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/outbound"
)

// An Exchange is what a call sent and what came back, for people to read: without the
// secret, and no longer than ExchangeLimit each.
type Exchange struct {
	Request  string
	Status   int // as HTTP has it; 0 where there is none
	Response string
	Took     time.Duration
	Tries    int
}

// ExchangeLimit is how much of a request and of its answer is shown, in bytes.
const ExchangeLimit = 16 << 10

// Request calls a tool that is an HTTP request. One that may be repeated is tried again
// after a short pause as often as the tool allows; another one only where nothing was sent.
// The result is decoded JSON that is what the tool is for.
func Request(ctx context.Context, e Endpoint, t tool.Tool, v template.Values, key string) (result any, x Exchange, err error) {
	prepared, err := t.Prepare(v)
	if err != nil {
		return nil, x, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
	}
	if t.Reads() {
		key = ""
	}
	x.Request = e.shown(prepared)
	err = tries(ctx, e.Clock, t, &x, func(ctx context.Context) (err error) {
		var raw []byte
		x.Status, raw, err = e.send(ctx, systemLimit, prepared, key)
		x.Response = excerptOf(raw)
		if err != nil {
			return err
		}
		v.Status = x.Status
		if v.Result, err = decoded(raw); err != nil {
			return fmt.Errorf("%s sent something that is not JSON", e.Title)
		}
		result, err = read(t, v, e.Title)
		return err
	})
	return result, x, err
}

// tries makes the tries of a call, until one succeeds or it is of no use.
func tries(ctx context.Context, c clock.Clock, t tool.Tool, x *Exchange, once func(context.Context) error) (err error) {
	started := c.Now()
	defer func() { x.Took = c.Now().Sub(started) }()
	for try := range t.Tries {
		if pause := t.PauseBefore(try); pause > 0 {
			passed, stop := c.Timer(pause)
			select {
			case <-passed:
			case <-ctx.Done():
				stop()
				return errors.Join(err, ctx.Err())
			}
		}
		limited, cancel := clock.WithTimeout(ctx, c, time.Duration(t.Timeout))
		err = once(limited)
		cancel()
		x.Tries++
		if err == nil || errors.Is(err, outbound.ErrRefused) || !t.Repeatable() && !neverSent(err) {
			return err
		}
	}
	return err
}

// neverSent reports whether a request failed before anything was sent.
func neverSent(err error) bool {
	var op *net.OpError
	return errors.As(err, &op) && op.Op == "dial"
}

// read takes what came back for what the tool is for.
func read(t tool.Tool, v template.Values, from string) (any, error) {
	result, err := t.Read(v)
	if err != nil {
		return nil, fmt.Errorf("%w: of %s: %w", outbound.ErrRefused, from, err)
	}
	return result, nil
}

// decoded reads an answer; one without a body is null.
func decoded(raw []byte) (v any, err error) {
	if len(strings.TrimSpace(string(raw))) == 0 {
		return nil, nil
	}
	return v, json.Unmarshal(raw, &v)
}

// shown is a request as people read it.
func (e Endpoint) shown(p tool.Prepared) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s %s%s\n", p.Method, strings.TrimSuffix(e.Address, "/"), p.Path)
	for name, value := range p.Headers {
		fmt.Fprintf(&b, "%s: %s\n", name, value)
	}
	if e.Secret != "" {
		name := e.Header
		if name == "" {
			name = "Authorization"
		}
		fmt.Fprintf(&b, "%s: ***\n", name)
	}
	if p.Body != nil {
		fmt.Fprintf(&b, "\n%s\n", p.Body)
	}
	return excerptOf(e.withoutSecret([]byte(b.String())))
}

func excerptOf(raw []byte) string {
	if len(raw) <= ExchangeLimit {
		return strings.ToValidUTF8(string(raw), "\uFFFD")
	}
	return strings.ToValidUTF8(string(raw[:ExchangeLimit]), "") + "…"
}

// Shown is a value as the log of calls shows it.
func Shown(value any) string {
	raw, err := json.Marshal(value)
	if err != nil {
		return ""
	}
	return excerptOf(raw)
}
