package engine

import (
	"context"
	"fmt"
	"sync"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/thinker"
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

// askModel puts a request to the model of a connection.
func (w *Workspace) askModel(ctx context.Context, connection, bot string, request *thinker.Request) (thought dialogue.Thought, use store.ModelUse) {
	started := w.Clock.Now()
	conn, ok := find[workspace.Connection](w.config.Load(), connection)
	use = store.ModelUse{Bot: bot, Connection: connection, Kind: string(request.Kind), At: started}
	fail := func(err error) (dialogue.Thought, store.ModelUse) {
		thought.Error, use.Error, use.Took = err.Error(), err.Error(), w.Clock.Now().Sub(started)
		w.resting.failed(connection, w.Clock.Now())
		return thought, use
	}
	if !ok {
		return fail(fmt.Errorf("there is no connection called %s", connection))
	}
	endpoint, err := w.Documents.endpoint(ctx, connection)
	if err != nil {
		return fail(err)
	}
	endpoint.Client = w.models
	reply, err := endpoint.Chat(ctx, connect.Model{Name: conn.Model, Temperature: conn.Temperature, Output: conn.Output}, request)
	if err != nil {
		if ctx.Err() != nil {
			err = fmt.Errorf("%s took longer than %v", conn.Title, time.Duration(conn.Timeout))
		}
		return fail(err)
	}
	w.resting.worked(connection)
	thought.Reply = &reply
	use.Read, use.Written, use.Took = reply.In, reply.Out, time.Duration(reply.Took)*time.Millisecond
	use.Cost = conn.Price.Cost(reply.In, reply.Out)
	return thought, use
}

func (w *Workspace) modelTime(connection string) time.Duration {
	if conn, ok := find[workspace.Connection](w.config.Load(), connection); ok && conn.Kind == workspace.Model {
		return time.Duration(conn.Timeout)
	}
	return time.Second
}

// modelOf returns the model that a bot thinks with, nil for the built-in thinker.
func (w *Workspace) modelOf(ctx context.Context, brief bot.Brief) (*dialogue.Model, error) {
	c := w.config.Load()
	use := brief.Model.Use
	if use == "" {
		use = c.settings.Model
	}
	if use == "" || use == bot.BuiltIn {
		return nil, nil
	}
	conn, ok := find[workspace.Connection](c, use)
	if !ok || conn.Kind != workspace.Model {
		return nil, nil
	}
	now := w.Clock.Now().In(c.settings.Zone())
	m := &dialogue.Model{Thinker: thinker.Model{}, Connection: conn, Resting: w.resting.why(use, now)}
	if brief.Model.Daily != (bot.Daily{}) {
		var err error
		if m.Spent, err = w.store.Spent(ctx, brief.Name, w.midnight()); err != nil {
			return nil, err
		}
	}
	return m, nil
}

// resting are models that failed again and again: they are left alone for a while, so that
// nobody waits for them.
type resting struct {
	mu    sync.Mutex
	inRow map[string]int
	until map[string]time.Time
}

// A model rests after so many failures in a row, for so long.
const (
	failuresInRow = 3
	rest          = 30 * time.Second
)

func (r *resting) failed(connection string, now time.Time) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.inRow == nil {
		r.inRow, r.until = map[string]int{}, map[string]time.Time{}
	}
	if r.inRow[connection]++; r.inRow[connection] >= failuresInRow {
		r.until[connection] = now.Add(rest)
	}
}

func (r *resting) worked(connection string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.inRow, connection)
	delete(r.until, connection)
}

// why says why a model is left alone, "" if it is not.
func (r *resting) why(connection string, now time.Time) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	if until := r.until[connection]; now.Before(until) {
		return fmt.Sprintf("the model failed %d times in a row; it is asked again at %s", r.inRow[connection], until.In(now.Location()).Format("15:04:05"))
	}
	return ""
}
