package world

import (
	"encoding/json"
	"net/http"
	"slices"
	"sync"
	"time"
)

// A Pager tells people on call at once. What comes twice under one key is told once.
type Pager struct {
	Trouble Trouble

	mu     sync.Mutex
	alerts []Paged
	keys   map[string]bool
}

// Paged is what somebody was paged for.
type Paged struct {
	To    string    `json:"to"`
	Title string    `json:"title"`
	Text  string    `json:"text"`
	At    time.Time `json:"at"`
}

// Alerts returns what was paged, the latest first.
func (p *Pager) Alerts() []Paged {
	p.mu.Lock()
	defer p.mu.Unlock()
	list := slices.Clone(p.alerts)
	slices.Reverse(list)
	return list
}

func (p *Pager) take(w http.ResponseWriter, r *http.Request) {
	if p.Trouble.strikes(w, r) {
		return
	}
	const most = 64 << 10
	var a Paged
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, most)).Decode(&a); err != nil || a.Title == "" {
		http.Error(w, `{"error": "an alert is JSON with to, title and text"}`, http.StatusBadRequest)
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if key := r.Header.Get("Idempotency-Key"); key == "" || !p.keys[key] {
		if p.keys == nil {
			p.keys = map[string]bool{}
		}
		p.keys[key] = true
		p.alerts = append(p.alerts, a)
	}
	writeJSON(w, http.StatusAccepted, map[string]any{"paged": true})
}

func (p *Pager) list(w http.ResponseWriter, _ *http.Request) { writeJSON(w, http.StatusOK, p.Alerts()) }
