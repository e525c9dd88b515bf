package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

// The bodies of effects, by kind.
type (
	sendBody struct {
		Channel string           `json:"channel"`
		Message channel.Outgoing `json:"message"`
	}
	callBody struct {
		Tool      string         `json:"tool"`
		Arguments map[string]any `json:"arguments"`
	}
	syncBody struct {
		Connection string            `json:"connection"`
		Details    map[string]string `json:"details"`
	}
	notifyBody struct {
		Connection string `json:"connection"`
		To         string `json:"to"`
		Subject    string `json:"subject"`
		Body       string `json:"body"`
	}
)

// effectTime is how long one try of an effect may take.
const effectTime = 60 * time.Second

// carryOut carries one effect out and records what came of it. It returns when
// to try again, or zero if the effect is settled.
func (w *Workspace) carryOut(ctx context.Context, e store.Effect) time.Time {
	ctx, cancel := context.WithTimeout(ctx, effectTime)
	defer cancel()
	result, err := w.perform(ctx, e)
	e.Attempts++
	switch {
	case err == nil && result != nil:
		err = w.settle(func(tx *store.Tx) error { return tx.FinishCall(e, *result) })
	case err == nil:
		w.finished.add(e.ID)
	default:
		if w.running.Err() != nil {
			return w.options.Now() // broken off by the close: it stays pending
		}
		e.Error = err.Error()
		refused := errors.Is(err, connect.ErrRefused) || errors.Is(err, channel.ErrRefused)
		tooOld := w.options.Now().Sub(e.CreatedAt) > w.options.GiveUp
		if !refused && !tooOld {
			e.NextAt = w.options.Now().Add(w.backOff(e.Attempts))
			w.log.Info("an effect will be tried again", "kind", e.Kind, "effect", e.ID, "attempt", e.Attempts, "error", err)
			if err := w.settle(func(tx *store.Tx) error { return tx.PostponeEffect(e) }); err != nil {
				w.log.Error("a failed try could not be recorded", "effect", e.ID, "error", err)
			}
			return e.NextAt
		}
		w.log.Warn("an effect was given up", "kind", e.Kind, "effect", e.ID, "error", err)
		err = w.settle(func(tx *store.Tx) error { return tx.FailEffect(e, result, w.options.Now()) })
	}
	if err != nil {
		w.log.Error("what came of an effect could not be recorded", "effect", e.ID, "error", err)
		return w.options.Now().Add(w.options.RetryBase)
	}
	if e.Kind == store.Call {
		w.turns.signal(e.ConversationID)
	}
	return time.Time{}
}

// settle records what came of an effect, also while the workspace is closing.
func (w *Workspace) settle(work func(*store.Tx) error) error {
	return w.write(context.WithoutCancel(w.running), work)
}

// backOff doubles the pause with each try, up to five minutes, give or take a
// quarter so that many do not come back at once.
func (w *Workspace) backOff(attempts int) time.Duration {
	pause := min(w.options.RetryBase<<min(attempts-1, 20), 5*time.Minute)
	return pause*3/4 + rand.N(pause/2+1)
}

// perform does what an effect says. The result is that of a tool, also a failed
// one.
func (w *Workspace) perform(ctx context.Context, e store.Effect) (*dialogue.Result, error) {
	switch e.Kind {
	case store.Send:
		var body sendBody
		if err := json.Unmarshal([]byte(e.Body), &body); err != nil {
			return nil, err
		}
		ch := w.config.Load().channels[body.Channel]
		if ch == nil || ch.sender == nil {
			return nil, fmt.Errorf("the channel %s cannot send now", body.Channel)
		}
		body.Message.ID = e.ID
		return nil, ch.sender.Send(ctx, body.Message)
	case store.Call:
		var body callBody
		if err := json.Unmarshal([]byte(e.Body), &body); err != nil {
			return nil, err
		}
		result := dialogue.Result{Call: dialogue.Call(body)}
		value, err := w.callTool(ctx, body.Tool, body.Arguments, e.ID)
		if err != nil {
			// The tool has had its tries: the customer is waiting for a word.
			result.Error = err.Error()
			return &result, fmt.Errorf("%w: %w", connect.ErrRefused, err)
		}
		result.Value = value
		return &result, nil
	case store.Sync:
		var body syncBody
		if err := json.Unmarshal([]byte(e.Body), &body); err != nil {
			return nil, err
		}
		endpoint, err := w.endpoint(ctx, body.Connection)
		if err != nil {
			return nil, err
		}
		person := connect.Person{Name: body.Details["name"], Email: body.Details["email"], Phone: body.Details["phone"], Note: "as said by the customer"}
		return nil, connect.SyncPerson(ctx, endpoint, person, e.ID)
	case store.Notify:
		var body notifyBody
		if err := json.Unmarshal([]byte(e.Body), &body); err != nil {
			return nil, err
		}
		server, ok := w.config.Load().connections[body.Connection]
		if !ok {
			return nil, fmt.Errorf("there is no connection called %s", body.Connection)
		}
		return nil, connect.SendMail(ctx, server.Address, connect.Mail{
			ID: e.ID, From: server.From, To: body.To, Subject: body.Subject, Body: body.Body, At: e.CreatedAt,
		})
	}
	return nil, fmt.Errorf("%w: an effect of the kind %q is not known", connect.ErrRefused, e.Kind)
}

func (w *Workspace) callTool(ctx context.Context, name string, arguments map[string]any, key string) (any, error) {
	tool, ok := w.config.Load().tools[name]
	if !ok {
		return nil, fmt.Errorf("there is no tool called %s", name)
	}
	endpoint, err := w.endpoint(ctx, tool.Connection)
	if err != nil {
		return nil, err
	}
	return connect.CallTool(ctx, endpoint, tool.Tool, arguments, key)
}
