package api

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"urgentparrot.example/internal/engine"
)

// keepAlive is how often a quiet stream shows that it is there.
const keepAlive = 20 * time.Second

// events streams what happens, from the event after Last-Event-ID on, or from
// now.
func events(q *request) (any, error) {
	ctx, w := q.Request.Context(), q.workspace
	happened, end := w.Watch(engine.Events)
	defer end()
	last, err := strconv.ParseInt(q.GetHeader("Last-Event-ID"), 10, 64)
	if err != nil {
		if last, err = w.Store().LastEvent(ctx); err != nil {
			return nil, err
		}
	}
	q.Header("Content-Type", "text/event-stream")
	q.Header("Cache-Control", "no-store")
	q.Header("X-Accel-Buffering", "no")
	q.Status(http.StatusOK)
	flush := http.NewResponseController(q.Writer)
	fmt.Fprint(q.Writer, "retry: 1000\n\n")
	const page = 500
	for {
		list, err := w.Store().EventsAfter(ctx, last, page)
		if err != nil {
			return answered{}, nil // the stream has begun: it can only break off
		}
		for _, e := range list {
			data, err := json.Marshal(map[string]any{
				"specversion": "1.0", "id": strconv.FormatInt(e.Seq, 10), "source": "/workspaces/" + w.Name, "type": "urgent-parrot." + e.Type,
				"subject": e.Subject, "time": e.At, "datacontenttype": "application/json", "data": json.RawMessage(e.Data),
			})
			if err != nil {
				return answered{}, nil
			}
			fmt.Fprintf(q.Writer, "id: %d\ndata: %s\n\n", e.Seq, data)
			last = e.Seq
		}
		if flush.Flush() != nil {
			return answered{}, nil
		}
		if len(list) == page {
			continue
		}
		select {
		case <-happened:
		case <-time.After(keepAlive):
			fmt.Fprint(q.Writer, ": still here\n\n")
		case <-ctx.Done():
			return answered{}, nil
		}
	}
}
