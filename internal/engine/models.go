package engine

import (
	"context"
	"fmt"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/store"
)

// ModelsUsed is what a bot has used of a model today, and may use.
type ModelsUsed struct {
	store.ModelTotals
	Daily   bot.Daily
	Resting string // why the model is left alone for the moment, "" if it is not
}

// ModelsToday returns what was used of models since midnight, by bot and connection.
func (w *Workspace) ModelsToday(ctx context.Context) (list []ModelsUsed, err error) {
	c := w.config.Load()
	totals, err := w.store.ModelTotals(ctx, w.midnight())
	for _, t := range totals {
		used := ModelsUsed{ModelTotals: t, Resting: w.resting.why(t.Connection, w.Clock.Now().In(c.settings.Zone()))}
		if brief, ok := find[bot.Brief](c, t.Bot); ok {
			used.Daily = brief.Model.Daily
		}
		list = append(list, used)
	}
	return list, err
}

// midnight is when the workspace's day began.
func (w *Workspace) midnight() time.Time {
	now := w.Clock.Now().In(w.Documents.Settings().Zone())
	return time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
}

// Unreached is the failure of another system that somebody waits for.
type Unreached struct{ error }

// ModelsAt asks the server at an address for its models. The secret of a connection is sent
// along only to the address that it was set for.
func (w *Workspace) ModelsAt(ctx context.Context, address, connection string) ([]string, error) {
	if _, err := w.options.Rules.Check(address); err != nil {
		return nil, &Unreached{err}
	}
	asked := workspace.Connection{Name: connection, Title: "the server", Kind: workspace.Model, Address: address}
	endpoint := connect.Endpoint{Title: asked.Title, Address: address, Client: w.client, Clock: w.Clock}
	if conn, ok := find[workspace.Connection](w.config.Load(), connection); ok && conn.Origin() == asked.Origin() {
		secret, err := w.Documents.secret(ctx, conn)
		if err != nil {
			return nil, &Unreached{err}
		}
		endpoint.Secret = secret
	}
	names, err := endpoint.Models(ctx)
	if err != nil {
		return nil, &Unreached{fmt.Errorf("the models cannot be listed: %w", err)}
	}
	return names, nil
}

// ServedModels asks the server of a connection for its models; one that is not there, or is
// no model server, is store.ErrNotFound.
func (w *Workspace) ServedModels(ctx context.Context, connection string) ([]string, error) {
	conn, ok := find[workspace.Connection](w.config.Load(), connection)
	if !ok || conn.Kind != workspace.Model {
		return nil, store.ErrNotFound
	}
	return w.ModelsAt(ctx, conn.Address, connection)
}

// questions has the model of the settings write the questions that a passage answers, within
// the day's budget.
func (w *Workspace) questions(ctx context.Context, p knowledge.Passage) ([]string, error) {
	reading := w.Documents.Settings().Reading
	conn, ok := find[workspace.Connection](w.config.Load(), reading.Model)
	if !ok || conn.Kind != workspace.Model || w.resting.why(conn.Name, w.Clock.Now()) != "" {
		return nil, library.ErrNotNow
	}
	if reading.Tokens > 0 {
		spent, err := w.store.Spent(ctx, "", w.midnight())
		if err != nil {
			return nil, err
		}
		if spent.Tokens >= reading.Tokens {
			return nil, library.ErrNotNow
		}
	}
	heads := p.Trail
	if p.Question != "" {
		heads = []string{p.Question}
	}
	task := thinker.Task{
		Kind: thinker.Ask, Brief: thinker.Brief{Workspace: w.Documents.Settings().Title}, Most: reading.Questions,
		Passages: []thinker.Passage{{ID: "P1", Heads: heads, Text: p.Text}},
	}
	thought, err := w.thinkNow(ctx, conn, "", dialogue.Thought{Request: thinker.Model{}.Ask(task)})
	if err != nil {
		return nil, err
	}
	if thought.Error != "" {
		return nil, fmt.Errorf("%w: %s", library.ErrNotNow, thought.Error)
	}
	o, err := thinker.Model{}.Read(task, thought.Reply)
	if err != nil {
		return []string{}, nil // what it says of this passage cannot be used: the next one
	}
	return o.Questions, nil
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
	endpoint, err := w.Documents.endpointBy(ctx, connection, w.models)
	if err != nil {
		return fail(err)
	}
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

// thinkNow puts a thought to a model while somebody waits, and keeps what it cost.
func (w *Workspace) thinkNow(ctx context.Context, conn workspace.Connection, bot string, thought dialogue.Thought) (dialogue.Thought, error) {
	limited, cancel := clock.WithTimeout(ctx, w.Clock, time.Duration(conn.Timeout))
	defer cancel()
	said, use := w.askModel(limited, conn.Name, bot, thought.Request)
	thought.Reply, thought.Error = said.Reply, said.Error
	return thought, w.settle(func(tx *store.Tx) error { return tx.NoteModelUse(use) })
}
