package engine

import (
	"context"
	"fmt"
	"time"

	"urgentparrot.example/internal/connect"
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
		result := dialogue.Result{Call: call}
		if err == nil {
			result.Value, err = w.callTool(ctx, call, e.ID)
		}
		if err != nil {
			result.Error = err.Error()
			return result, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		return result, nil
	},
	Settle: func(tx *store.Tx, e store.Effect, result any) error {
		r, ok := result.(dialogue.Result)
		if !ok { // it never came to a call
			r = dialogue.Result{Error: e.Error}
			if call, err := body[dialogue.Call](e); err == nil {
				r.Call = call
			}
		}
		return tx.FinishCall(e.TurnID, r)
	},
}

func (w *Workspace) callTool(ctx context.Context, call dialogue.Call, key string) (any, error) {
	tool, ok := w.config.Load().tools[call.Tool]
	if !ok {
		return nil, fmt.Errorf("there is no tool called %s", call.Tool)
	}
	endpoint, err := w.Documents.endpoint(ctx, tool.Connection)
	if err != nil {
		return nil, err
	}
	return connect.CallTool(ctx, endpoint, tool.Tool, call.Arguments, key)
}
