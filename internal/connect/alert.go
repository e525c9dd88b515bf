package connect

import (
	"context"
	"net/http"
	"time"
)

// An Alert is what people are told at once, by a system that pages them.
type Alert struct {
	To    string    `json:"to"` // names or addresses, separated by commas
	Title string    `json:"title"`
	Text  string    `json:"text"`
	At    time.Time `json:"at"`
}

// SendAlert posts an alert to a system's address /alerts. A repeat with the same key is
// recognised there by the header Idempotency-Key.
func SendAlert(ctx context.Context, e Endpoint, a Alert, key string) error {
	return e.call(ctx, http.MethodPost, "/alerts", key, a, nil)
}
