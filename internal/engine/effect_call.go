package engine

import (
	"context"
	"errors"
	"fmt"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// callKind calls a tool that a turn waits for. The tool has its own tries; after
// them the customer, who is waiting, gets a word.
var callKind = EffectKind{
	Name: "call", OfBot: true,
	Time: func(w *Workspace, e store.Effect) time.Duration {
		const spare = 5 * time.Second // for what is around the tries
		call, err := body[dialogue.Call](e)
		if err != nil {
			return spare
		}
		return w.config.Load().tools[call.Tool].Time() + spare
	},
	To: func(w *Workspace, e store.Effect) string {
		call, err := body[dialogue.Call](e)
		if err != nil {
			return ""
		}
		return "connection/" + w.config.Load().tools[call.Tool].Connection
	},
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		call, err := body[dialogue.Call](e)
		came := calledBack{Result: dialogue.Result{Call: call}}
		if err == nil {
			came.Value, came.kept, err = w.Tools.call(ctx, call, caller{id: e.ID, by: "bot", conversation: e.ConversationID})
		}
		if err != nil {
			came.Error = err.Error()
			return came, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		return came, nil
	},
	Settle: func(tx *store.Tx, e store.Effect, result any) error {
		came, ok := result.(calledBack)
		if !ok { // it never came to a call
			came.Result = dialogue.Result{Error: e.Error}
			if call, err := body[dialogue.Call](e); err == nil {
				came.Call = call
			}
		}
		return errors.Join(came.keep(tx), tx.FinishCall(e.TurnID, came.Result))
	},
}

// calledBack is what came of a call, and what is kept of it.
type calledBack struct {
	dialogue.Result
	kept *store.ToolCall // nil: it never came to a call
}

func (c calledBack) keep(tx *store.Tx) error {
	if c.kept == nil {
		return nil
	}
	return tx.PutToolCall(*c.kept)
}

// allowKind asks people to allow a call.
var allowKind = EffectKind{Name: "allow", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	allow := e.(dialogue.Allow)
	c.commit.Allow = append(c.commit.Allow, allow)
	c.Happened("A person has to allow: " + c.snapshot.Words(allow.Call))
}}
