package engine

import (
	"context"
	"fmt"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// A thinkBody says which model is asked; what it is asked stands with the turn.
type thinkBody struct {
	Connection, Bot string
}

// thinkKind puts to a model what a turn waits for. There is one try: the customer waits,
// and the built-in thinker always has an answer.
var thinkKind = EffectKind{
	Name: "think", OfBot: true,
	Time: func(w *Workspace, e store.Effect) time.Duration {
		b, _ := body[thinkBody](e)
		return w.modelTime(b.Connection)
	},
	To: toConnection,
	AtOnce: func(w *Workspace, e store.Effect) int {
		b, _ := body[thinkBody](e)
		if conn, ok := find[workspace.Connection](w.config.Load(), b.Connection); ok && conn.AtOnce > 0 {
			return conn.AtOnce
		}
		return 1
	},
	Patience: func(w *Workspace, e store.Effect) time.Duration {
		b, _ := body[thinkBody](e)
		return w.modelTime(b.Connection)
	},
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		b, err := body[thinkBody](e)
		if err != nil {
			return nil, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		turn, err := w.store.Turn(ctx, e.TurnID)
		if err != nil || len(turn.Thoughts) == 0 {
			return nil, fmt.Errorf("%w: the turn has nothing to ask: %w", outbound.ErrRefused, err)
		}
		last := turn.Thoughts[len(turn.Thoughts)-1]
		thought, use := w.askModel(ctx, b.Connection, b.Bot, last.Request)
		use.ConversationID, use.TurnID = e.ConversationID, e.TurnID
		if thought.Error != "" {
			return thoughtAndUse{thought, use}, fmt.Errorf("%w: %s", outbound.ErrRefused, thought.Error)
		}
		return thoughtAndUse{thought, use}, nil
	},
	Settle: func(tx *store.Tx, e store.Effect, result any) error {
		r, ok := result.(thoughtAndUse)
		if !ok { // it never came to a request
			r.Thought.Error = e.Error
			return tx.FinishThought(e.TurnID, r.Thought)
		}
		if err := tx.NoteModelUse(r.use); err != nil {
			return err
		}
		return tx.FinishThought(e.TurnID, r.Thought)
	},
}

type thoughtAndUse struct {
	dialogue.Thought
	use store.ModelUse
}

func (w *Workspace) modelTime(connection string) time.Duration {
	if conn, ok := find[workspace.Connection](w.config.Load(), connection); ok && conn.Kind == workspace.Model {
		return time.Duration(conn.Timeout)
	}
	return time.Second
}
