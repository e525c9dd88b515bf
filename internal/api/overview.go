package api

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// day is how far back today's figures reach.
const day = 24 * time.Hour

func today(q *request) (t client.Today, err error) {
	ctx, w := q.Request.Context(), q.workspace
	now := w.Clock.Now()
	waiting, err := w.Store().Conversations(ctx, store.Filter{Urgent: true, Limit: 10, Name: q.nameField()}, now)
	if err != nil {
		return t, err
	}
	t = client.Today{Waiting: q.conversations(waiting)}
	if t.Counts, err = q.counts(ctx); err != nil {
		return t, err
	}
	if t.Decisions, err = q.decisions(ctx); err != nil {
		return t, err
	}
	t.Channels = q.channels()
	if t.Models, err = q.models(ctx); err != nil {
		return t, err
	}
	t.Paused = q.workspace.Paused() != nil
	if t.Begin, err = q.beginning(ctx, t); err != nil {
		return t, err
	}
	t.Troubles, err = q.troubles(ctx)
	return t, err
}

// beginning says what there is of what a business needs before its first customer; nil once
// one has written.
func (q *request) beginning(ctx context.Context, t client.Today) (*client.Beginning, error) {
	if c := t.Counts; c.Waiting+c.Bot+c.Person+c.Closed > 0 {
		return nil, nil
	}
	documents, err := q.workspace.Store().Documents(ctx, "")
	if err != nil {
		return nil, err
	}
	has := func(kind string) bool {
		return slices.ContainsFunc(documents, func(d store.Document) bool { return d.Kind == kind })
	}
	return &client.Beginning{
		Named: has("settings"), Bot: has("bot"), Person: has("person"), Channel: len(t.Channels) > 0,
		Knowledge: q.workspace.Library.Index().Len() > 0,
	}, nil
}

func status(q *request) (s client.Status, err error) {
	ctx, w := q.Request.Context(), q.workspace
	counts, err := q.counts(ctx)
	if err != nil {
		return s, err
	}
	decisions, err := q.decisions(ctx)
	if err != nil {
		return s, err
	}
	models, err := q.models(ctx)
	if err != nil {
		return s, err
	}
	troubles, err := q.troubles(ctx)
	return client.Status{
		Models:  models,
		Version: Version, Workspace: w.Name, Title: w.Documents.Settings().Title, Passages: w.Library.Index().Len(), Counts: counts, Decisions: decisions, Channels: q.channels(), Troubles: troubles,
	}, err
}

func (q *request) counts(ctx context.Context) (client.Counts, error) {
	c, err := q.workspace.Store().Counts(ctx, q.workspace.Clock.Now().Add(-day))
	return client.Counts{
		Waiting: c.Waiting, Bot: c.ByLead[dialogue.LedByBot], Person: c.ByLead[dialogue.LedByPerson], Closed: c.ByLead[dialogue.Closed],
		Opened: c.Today, Replies: c.ByBot, Pending: c.Pending,
	}, err
}

// decisions are how often the bots decided what in the last day.
func (q *request) decisions(ctx context.Context) ([]client.Decision, error) {
	made, err := q.workspace.Store().Decisions(ctx, q.workspace.Clock.Now().Add(-day))
	list := []client.Decision{}
	for _, d := range made {
		list = append(list, client.Decision{Code: string(d.Code), Decision: d.Code.Words(), Times: d.Times})
	}
	return list, err
}

func (q *request) channels() []client.Channel {
	list := []client.Channel{}
	for _, ch := range q.workspace.Channels.States() {
		c := client.Channel{Name: ch.Name, Title: ch.Title, Kind: ch.Kind, Speaks: ch.KindTitle, Bot: ch.Bot, Replies: ch.Replies, Fault: ch.Fault}
		c.Off, c.Looks, c.Keeps, c.Past = ch.Off, ch.Looks, ch.Keeps, (*client.Past)(ch.Past)
		if ch.Path != "" {
			c.Address = strings.TrimSuffix(q.server.PublicURL, "/") + "/" + ch.Path + "/" + q.workspace.Name + "/" + ch.Name
			c.Page, c.Embed = ch.Page, strings.ReplaceAll(ch.Embed, "ADDRESS", c.Address)
		}
		list = append(list, c)
	}
	return list
}

// models are what was used of language models since midnight.
func (q *request) models(ctx context.Context) ([]client.ModelUse, error) {
	used, err := q.workspace.ModelsToday(ctx)
	list := []client.ModelUse{}
	for _, m := range used {
		list = append(list, client.ModelUse{
			Bot: m.Bot, Connection: m.Connection, Requests: m.Requests, Failed: m.Failed, Read: m.Read, Written: m.Written, Cost: float64(m.Cost) / 1e6,
			Average: int(m.Took.Milliseconds()) / max(1, m.Requests), MostTokens: m.Daily.Tokens, MostCost: m.Daily.Cost, Resting: m.Resting,
		})
	}
	return list, err
}

// listModels asks a model server for its models.
func listModels(q *request) (names client.ModelNames, err error) {
	names.Items, err = q.workspace.ServedModels(q.Request.Context(), q.Param("name"))
	return names, unreached(err)
}

// modelsAt asks the server at an address for its models.
func modelsAt(q *request, in client.ModelServer) (names client.ModelNames, err error) {
	names.Items, err = q.workspace.ModelsAt(q.Request.Context(), in.Address, in.Connection)
	return names, unreached(err)
}

// unreached makes the failure of another system a problem of its own.
func unreached(err error) error {
	var failed *engine.Unreached
	if errors.As(err, &failed) {
		return problem.New(problem.Unreached, failed.Error(), "")
	}
	return err
}

// mostTroubles is how many effects in trouble are listed.
const mostTroubles = 200

// troubles are documents that cannot be used, channels that do not work, and
// effects that were given up or are late.
func (q *request) troubles(ctx context.Context) ([]client.Trouble, error) {
	list := []client.Trouble{}
	if trouble := q.workspace.Trouble(ctx); trouble != "" {
		list = append(list, client.Trouble{What: "Nothing can be kept safely", Detail: trouble, GivenUp: true})
	}
	if warning := q.workspace.Library.Warning(); warning != "" {
		list = append(list, client.Trouble{What: "Files are read with less care", Detail: warning, GivenUp: true})
	}
	for _, fault := range q.workspace.Documents.Faults() {
		list = append(list, client.Trouble{What: "A document cannot be used", Detail: fault, GivenUp: true})
	}
	for _, fault := range q.workspace.Documents.Unbound(ctx) {
		list = append(list, client.Trouble{What: "A connection has no secret to use", Detail: fault, GivenUp: true})
	}
	for _, fault := range q.workspace.Consents.Faults(ctx) {
		list = append(list, client.Trouble{What: "A connection waits for consent", Detail: fault, GivenUp: true})
	}
	for _, ch := range q.workspace.Channels.States() {
		if ch.Fault != "" {
			list = append(list, client.Trouble{What: "The channel " + ch.Title + " does not work", Detail: ch.Fault, GivenUp: true})
		}
	}
	failed, err := q.workspace.Store().FailedTurns(ctx)
	if err != nil {
		return nil, err
	}
	for _, f := range failed {
		list = append(list, client.Trouble{What: "A message could not be decided on", Detail: f.Error, Conversation: f.ConversationID, GivenUp: f.Times >= engine.TurnTries})
	}
	if sw := q.workspace.Paused(); sw != nil {
		list = append(list, client.Trouble{What: "Bots and flows are paused", Detail: sw.By + " paused them " + sw.At.In(q.workspace.Documents.Settings().Zone()).Format("on 2 January at 15:04") + ". What comes in waits.", GivenUp: true})
	}
	broken, err := q.workspace.Store().Runs(ctx, store.RunFilter{Failed: true, Limit: mostTroubles})
	if err != nil {
		return nil, err
	}
	for _, r := range broken {
		list = append(list, client.Trouble{What: "A run of the flow " + r.Flow + " failed", Detail: r.Why, Conversation: r.ConversationID, Flow: r.Flow, Run: r.ID, GivenUp: true})
	}
	effects, err := q.workspace.Store().Troubled(ctx, mostTroubles)
	if err != nil {
		return nil, err
	}
	for _, e := range effects {
		if trouble := q.workspace.TroubleWith(e.Kind); trouble != "" {
			list = append(list, client.Trouble{What: trouble, Detail: e.Error, Conversation: e.ConversationID, Effect: e.ID, GivenUp: e.State == "failed"})
		}
	}
	return list, nil
}

func retryEffect(q *request) error {
	return q.workspace.Outbox.Retry(q.Request.Context(), q.Param("id"))
}
