package api

import (
	"errors"
	"time"

	"urgentparrot.example/client"
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

func testChannel(q *request) (out client.ChannelTest, err error) {
	out.Found, err = q.workspace.Channels.Test(q.Request.Context(), q.Param("name"))
	if errors.Is(err, store.ErrNotFound) {
		return out, err
	}
	if out.Works = err == nil; err != nil {
		out.Why = err.Error()
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
