package api

import (
	"encoding/json"
	"strconv"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/sse"
)

// events streams what happens, from the event after Last-Event-ID on, or from
// now.
func events(q *request) error {
	w := q.workspace
	ctx, done := w.Access.While(q.Request.Context(), q.access)
	defer done()
	happened, end := w.Watch(engine.Events)
	defer end()
	last, err := strconv.ParseInt(q.GetHeader("Last-Event-ID"), 10, 64)
	if err != nil {
		if last, err = w.Store().LastEvent(ctx); err != nil {
			return err
		}
	}
	sse.Serve(q.Writer, ctx, w.Clock, happened, func() ([]sse.Event, bool, error) {
		const page = 500
		list, err := w.Store().EventsAfter(ctx, last, page)
		events := make([]sse.Event, len(list))
		for i, e := range list {
			cloud := client.Event{
				SpecVersion: "1.0", ID: strconv.FormatInt(e.Seq, 10), Source: "/workspaces/" + w.Name, Type: "urgent-parrot." + e.Type,
				Subject: e.Subject, Time: e.At, DataContentType: "application/json",
			}
			if err := json.Unmarshal([]byte(e.Data), &cloud.Data); err != nil {
				return nil, false, err
			}
			events[i] = sse.Event{ID: cloud.ID, Data: cloud}
			last = e.Seq
		}
		return events, len(list) == page, err
	})
	return nil
}
