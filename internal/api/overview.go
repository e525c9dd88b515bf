package api

import (
	"context"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

// day is how far back today's figures reach.
const day = 24 * time.Hour

func today(q *request) (any, error) {
	ctx, w := q.Request.Context(), q.workspace
	now := w.Now()
	waiting, err := w.Store().Conversations(ctx, store.Filter{Urgent: true, Limit: 10}, now)
	if err != nil {
		return nil, err
	}
	t := client.Today{Waiting: conversations(waiting), Decisions: []client.Decision{}}
	if t.Counts, err = q.counts(ctx); err != nil {
		return nil, err
	}
	decisions, err := w.Store().Decisions(ctx, now.Add(-day))
	if err != nil {
		return nil, err
	}
	for _, d := range decisions {
		t.Decisions = append(t.Decisions, client.Decision(d))
	}
	t.Channels = q.channels()
	t.Troubles, err = q.troubles(ctx)
	return t, err
}

func status(q *request) (any, error) {
	ctx, w := q.Request.Context(), q.workspace
	counts, err := q.counts(ctx)
	if err != nil {
		return nil, err
	}
	troubles, err := q.troubles(ctx)
	return client.Status{
		Version: Version, Workspace: w.Name, Title: w.Title(), Passages: w.Index().Len(), Counts: counts, Channels: q.channels(), Troubles: troubles,
	}, err
}

func (q *request) counts(ctx context.Context) (client.Counts, error) {
	c, err := q.workspace.Store().Counts(ctx, q.workspace.Now().Add(-day))
	return client.Counts{
		Waiting: c.Waiting, Bot: c.ByLead[dialogue.LedByBot], Person: c.ByLead[dialogue.LedByPerson], Closed: c.ByLead[dialogue.Closed],
		Opened: c.Today, Replies: c.ByBot, Pending: c.Pending,
	}, err
}

func (q *request) channels() []client.Channel {
	list := []client.Channel{}
	for _, ch := range q.workspace.Channels() {
		list = append(list, client.Channel{Name: ch.Name, Title: ch.Title, Kind: string(ch.Kind), Bot: ch.Bot, Fault: ch.Fault})
	}
	return list
}

// what names effects for people.
var what = map[store.EffectKind]string{
	store.Send: "A reply could not be delivered", store.Call: "A tool failed", store.Sync: "A contact could not be written to the CRM", store.Notify: "A notification could not be sent",
}

// troubles are documents that cannot be used, channels that do not work, and
// effects that were given up or are late.
func (q *request) troubles(ctx context.Context) ([]client.Trouble, error) {
	list := []client.Trouble{}
	for _, fault := range q.workspace.Faults() {
		list = append(list, client.Trouble{What: "A document cannot be used", Detail: fault, GivenUp: true})
	}
	for _, ch := range q.workspace.Channels() {
		if ch.Fault != "" {
			list = append(list, client.Trouble{What: "The channel " + ch.Title + " does not work", Detail: ch.Fault, GivenUp: true})
		}
	}
	for _, state := range []string{"pending", "failed"} {
		effects, err := q.workspace.Store().Effects(ctx, state, 100)
		if err != nil {
			return nil, err
		}
		for _, e := range effects {
			// A tool that failed has been owned up to; the customer waits for nothing.
			if e.Attempts > 0 && e.Kind != store.Call {
				list = append(list, client.Trouble{What: what[e.Kind], Detail: e.Error, Conversation: e.ConversationID, Effect: e.ID, GivenUp: state == "failed"})
			}
		}
	}
	return list, nil
}

func retryEffect(q *request) (any, error) {
	return nil, q.workspace.Retry(q.Request.Context(), q.Param("id"))
}
