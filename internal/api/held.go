package api

import (
	"strings"

	"urgentparrot.example/client"
)

func listHeld(q *request) (page client.HeldPage, err error) {
	ctx := q.Request.Context()
	list, err := q.workspace.Inbox.Held(ctx)
	page.Items = make([]client.HeldReply, len(list))
	for i, h := range list {
		if name, err := q.workspace.Store().ContactName(ctx, h.Conversation.ContactID, q.nameField()); err == nil {
			h.Conversation.ContactName = name
		}
		page.Items[i] = client.HeldReply{Message: message(h.Message), Conversation: q.conversation(h.Conversation), Asked: h.Asked, Topics: append([]string{}, h.Topics...), Came: h.Came.Words(), Confidence: h.Confidence}
	}
	return page, err
}

// lastJudged is how many of the latest judgements are listed.
const lastJudged = 50

func independence(q *request) (out client.Independence, err error) {
	ctx := q.Request.Context()
	out = client.Independence{Topics: []client.Topic{}, Thresholds: []client.AtThreshold{}, Last: []client.Approved{}}
	topics, err := q.workspace.Store().Topics(ctx)
	if err != nil {
		return out, err
	}
	for _, t := range topics {
		out.Topics = append(out.Topics, client.Topic{Topic: t.Topic, All: t.All, Unchanged: t.Unchanged, Worded: t.Worded, Changed: t.Changed, Rejected: t.Rejected, Trusted: t.Trusted})
	}
	thresholds, judged, err := q.workspace.Inbox.Thresholds(ctx)
	if err != nil {
		return out, err
	}
	out.Judged = judged
	for _, at := range thresholds {
		out.Thresholds = append(out.Thresholds, client.AtThreshold(at))
	}
	last, err := q.workspace.Store().Approvals(ctx, lastJudged)
	for _, a := range last {
		topics := []string{}
		if a.Topic != "" {
			topics = strings.Split(a.Topic, "\n")
		}
		out.Last = append(out.Last, client.Approved{Conversation: a.ConversationID, Topics: topics, Verdict: string(a.Verdict), Was: a.Was, Became: a.Became, Why: a.Why, Person: a.Person, At: a.At})
	}
	return out, err
}

func trustTopic(q *request, in client.Trust) (out client.Independence, err error) {
	if err := text(in.Topic, "topic", 1000); err != nil {
		return out, err
	}
	if err := q.workspace.Inbox.Trust(q.Request.Context(), in.Topic, q.access.Label, in.Trust); err != nil {
		return out, err
	}
	return independence(q)
}
