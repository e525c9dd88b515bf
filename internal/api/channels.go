package api

import (
	"errors"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

func listChannels(q *request) (page client.ChannelPage, err error) {
	last, err := q.workspace.Store().LastSaid(q.Request.Context())
	if err != nil {
		return page, err
	}
	page.Items = q.channels()
	for i, ch := range page.Items {
		if at, ok := last[ch.Name]; ok {
			page.Items[i].LastAt = &at
		}
	}
	return page, nil
}

func lookAtChannel(q *request) error { return q.workspace.Channels.Look(q.Param("name")) }

func testChannel(q *request, in client.ToTest) (client.ChannelTest, error) {
	ctx, name := q.Request.Context(), q.Param("name")
	if in.Text != "" {
		return tested(q.workspace.Channels.TestDraft(ctx, name, in.Text))
	}
	return tested(q.workspace.Channels.Test(ctx, name))
}

func testConnection(q *request, in client.ToTest) (client.ChannelTest, error) {
	return tested(q.workspace.Channels.TestConnection(q.Request.Context(), q.Param("name"), in.Text))
}

func tested(found []string, err error) (out client.ChannelTest, _ error) {
	var wrong document.Problems
	if errors.Is(err, store.ErrNotFound) || errors.Is(err, engine.ErrUnknown) || errors.As(err, &wrong) {
		return out, err
	}
	out.Found = found
	if out.Works = err == nil; err != nil {
		out.Why = err.Error()
	}
	return out, nil
}

// rawLimit is the largest message as it comes, in base64.
const rawLimit = 36 << 20

func tryMessage(q *request, in client.RawMessage) (out client.TriedMessage, err error) {
	name := q.Param("name")
	t, err := q.workspace.Channels.Try(q.Request.Context(), name, in.Raw)
	if err != nil {
		return out, err
	}
	out = client.TriedMessage{From: t.Address, Came: client.CameWith(t.Beside), Text: t.Text, Silent: t.Silent, Bot: t.Bot, Reply: t.Turn.Words, Code: string(t.Turn.Decision.Trace.Code)}
	if t.Thread != nil {
		out.References = t.Thread.References
	}
	for _, f := range t.Files {
		out.Files = append(out.Files, client.File{Name: f.Name, Type: f.Type, Bytes: len(f.Bytes), Inline: f.Inline})
	}
	for _, ch := range q.channels() {
		out.Held = out.Held || ch.Name == name && ch.Replies != "send" && t.Silent == ""
	}
	return out, nil
}

// longestPast is how many days may be taken in at once.
const longestPast = 3 * 366 * 24 * time.Hour

func takePast(q *request, in client.TakePast) (out client.Channel, err error) {
	if !in.From.Before(in.To) || in.To.Sub(in.From) > longestPast {
		return out, problem.New(problem.BadInput, "the first day must lie before the last, at most three years", "from")
	}
	name := q.Param("name")
	if err := q.workspace.Channels.TakePast(name, in.From, in.To); err != nil {
		return out, err
	}
	for _, ch := range q.channels() {
		if ch.Name == name {
			out = ch
		}
	}
	return out, nil
}
