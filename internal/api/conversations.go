package api

import (
	"encoding/json"
	"slices"
	"strconv"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// pageSize is how many records a page holds.
const pageSize = 50

func listConversations(q *request) (any, error) {
	f := store.Filter{Search: q.Query("search"), Before: q.Query("cursor"), Limit: pageSize + 1}
	lead := q.Query("lead")
	switch {
	case lead == "urgent":
		f.Urgent = true
	case lead != "":
		if !slices.Contains([]dialogue.Lead{dialogue.LedByBot, dialogue.Waiting, dialogue.LedByPerson, dialogue.Closed}, dialogue.Lead(lead)) {
			return nil, problem.New(problem.BadInput, "lead is one of: bot, waiting, person, closed, urgent", "lead")
		}
		f.Leads = []dialogue.Lead{dialogue.Lead(lead)}
	}
	list, err := q.workspace.Store().Conversations(q.Request.Context(), f, q.workspace.Now())
	if err != nil {
		return nil, err
	}
	page := client.ConversationPage{}
	if len(list) > pageSize {
		list = list[:pageSize]
		if last := list[pageSize-1]; !f.Urgent {
			page.Next = last.UpdatedAt.Format(time.RFC3339Nano) + " " + last.ID
		}
	}
	page.Items = conversations(list)
	return page, nil
}

func conversations(list []store.Conversation) []client.Conversation {
	items := make([]client.Conversation, len(list))
	for i, c := range list {
		items[i] = conversation(c)
	}
	return items
}

func conversation(c store.Conversation) client.Conversation {
	out := client.Conversation{
		ID: c.ID, Channel: c.Channel, Address: c.Address, Contact: c.ContactID, Name: c.ContactName, Bot: c.Bot, Lead: string(c.Lead), Assignee: c.Assignee,
		Priority: c.Priority, Reason: c.Reason, Preview: c.Preview, OpenedAt: c.OpenedAt, UpdatedAt: c.UpdatedAt,
	}
	if !c.WaitingSince.IsZero() {
		out.WaitingSince = &c.WaitingSince
	}
	if c.Summary != "" {
		// What the store keeps is what the core wrote; if not, there is no summary.
		if json.Unmarshal([]byte(c.Summary), &out.Summary) != nil {
			out.Summary = nil
		}
	}
	return out
}

func showConversation(q *request) (any, error) {
	ctx := q.Request.Context()
	c, err := q.workspace.Store().Conversation(ctx, q.Param("id"))
	if err != nil {
		return nil, err
	}
	known, err := q.workspace.Store().Facts(ctx, c.ContactID)
	out := conversation(c)
	out.Facts = facts(known)
	for _, f := range known {
		if f.Detail == "name" {
			out.Name = f.Value
		}
	}
	return out, err
}

func facts(list []store.Fact) []client.Fact {
	out := make([]client.Fact, len(list))
	for i, f := range list {
		out[i] = client.Fact{Detail: f.Detail, Value: f.Value, Verified: f.Verified, Message: f.MessageID, LearntAt: f.LearntAt}
	}
	return out
}

func listMessages(q *request) (any, error) {
	ctx := q.Request.Context()
	if _, err := q.workspace.Store().Conversation(ctx, q.Param("id")); err != nil {
		return nil, err
	}
	before := 0
	if cursor := q.Query("cursor"); cursor != "" {
		var err error
		if before, err = strconv.Atoi(cursor); err != nil {
			return nil, problem.New(problem.BadInput, "that is no cursor of this list", "cursor")
		}
	}
	list, err := q.workspace.Store().Messages(ctx, q.Param("id"), before, pageSize)
	if err != nil {
		return nil, err
	}
	page := client.MessagePage{Items: make([]client.Message, len(list))}
	for i, m := range list {
		page.Items[i] = message(m)
	}
	if len(list) == pageSize && list[0].Position > 1 {
		page.Next = strconv.Itoa(list[0].Position)
	}
	return page, nil
}

func message(m store.Message) client.Message {
	out := client.Message{ID: m.ID, Position: m.Position, Author: string(m.Author), Name: m.Name, Text: m.Text, Turn: m.TurnID, Delivery: m.Delivery, At: m.At}
	for _, c := range m.Citations {
		out.Citations = append(out.Citations, client.Citation(c))
	}
	return out
}

func reply(q *request) (any, error) {
	var in client.Reply
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if err := text(in.Text, "text", 8000); err != nil {
		return nil, err
	}
	m, err := q.workspace.Reply(q.Request.Context(), q.Param("id"), q.access.Label, in.Text, q.GetHeader("Idempotency-Key"))
	return message(m), err
}

func replyWithFact(q *request) (any, error) {
	var in client.BareFact
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if err := text(in.Fact, "fact", 4000); err != nil {
		return nil, err
	}
	m, err := q.workspace.ReplyWithFact(q.Request.Context(), q.Param("id"), q.access.Label, in.Fact, q.GetHeader("Idempotency-Key"))
	return message(m), err
}

func take(q *request) (any, error) {
	var in client.Take
	if q.Request.ContentLength != 0 {
		if err := q.body(&in); err != nil {
			return nil, err
		}
	}
	if err := q.workspace.Take(q.Request.Context(), q.Param("id"), q.access.Label, in.Over); err != nil {
		return nil, err
	}
	return showConversation(q)
}

func giveBack(q *request) (any, error) {
	if err := q.workspace.Return(q.Request.Context(), q.Param("id"), q.access.Label); err != nil {
		return nil, err
	}
	return showConversation(q)
}

func closeConversation(q *request) (any, error) {
	if err := q.workspace.CloseConversation(q.Request.Context(), q.Param("id"), q.access.Label); err != nil {
		return nil, err
	}
	return showConversation(q)
}

func showTurn(q *request) (any, error) {
	t, err := q.workspace.Store().Turn(q.Request.Context(), q.Param("id"))
	if err != nil {
		return nil, err
	}
	out := client.Turn{ID: t.ID, Conversation: t.ConversationID, State: t.State, At: t.At}
	return out, json.Unmarshal([]byte(t.Trace), &out.Trace)
}

func listContacts(q *request) (any, error) {
	const most = 200
	list, err := q.workspace.Store().Contacts(q.Request.Context(), most)
	page := client.ContactPage{Items: make([]client.Contact, len(list))}
	for i, c := range list {
		page.Items[i] = client.Contact{ID: c.ID, Channel: c.Channel, Address: c.Address, Facts: facts(c.Facts), CreatedAt: c.CreatedAt}
	}
	return page, err
}
