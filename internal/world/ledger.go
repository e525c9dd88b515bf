package world

import (
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
)

// A Ticket is one that was sold.
type Ticket struct {
	Number string  `json:"number"`
	To     string  `json:"to"`
	Paid   float64 `json:"paid"`
	State  string  `json:"state"` // valid, used, refunded
}

// A Ledger is where tickets are kept, and money is given back. It describes itself as an
// OpenAPI document.
type Ledger struct {
	Trouble Trouble

	mu      sync.Mutex
	tickets map[string]*Ticket
}

func newLedger() *Ledger {
	l := &Ledger{tickets: map[string]*Ticket{}}
	for _, t := range []Ticket{
		{"BF-1042", "Gannet Holm", 25.90, "valid"}, {"BF-1077", "Hallow Point", 17.40, "valid"}, {"BF-1108", "Little Sorrel", 9.80, "used"},
		{"BF-1123", "Gannet Holm", 51.80, "valid"}, {"BF-1150", "Hallow Point", 8.70, "refunded"},
	} {
		l.tickets[t.Number] = &t
	}
	return l
}

// Tickets returns all tickets, by number.
func (l *Ledger) Tickets() []Ticket {
	l.mu.Lock()
	defer l.mu.Unlock()
	var list []Ticket
	for _, number := range slices.Sorted(maps.Keys(l.tickets)) {
		list = append(list, *l.tickets[number])
	}
	return list
}

// ServeHTTP serves what ledgerDescription says.
func (l *Ledger) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.URL.Path == "/openapi.json" {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, ledgerDescription)
		return
	}
	if l.Trouble.strikes(w, r) {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	number, one := strings.CutPrefix(r.URL.Path, "/tickets/")
	switch {
	case r.Method == http.MethodGet && one:
		if t := l.tickets[strings.ToUpper(number)]; t != nil {
			writeJSON(w, http.StatusOK, t)
			return
		}
		writeJSON(w, http.StatusOK, Ticket{Number: number, State: "unknown"})
	case r.Method == http.MethodPost && r.URL.Path == "/refunds":
		var asked struct {
			Ticket string `json:"ticket"`
			Reason string `json:"reason"`
		}
		if !decode(w, r, &asked) {
			return
		}
		t := l.tickets[strings.ToUpper(asked.Ticket)]
		if t == nil || t.State != "valid" {
			writeJSON(w, http.StatusOK, map[string]any{"refunded": false, "why": "the ticket is not known, used, or refunded already"})
			return
		}
		t.State = "refunded"
		writeJSON(w, http.StatusOK, map[string]any{"refunded": true, "amount": t.Paid})
	default:
		http.NotFound(w, r)
	}
}

const ledgerDescription = `{
  "openapi": "3.1.0",
  "info": { "title": "Ledger", "version": "1" },
  "paths": {
    "/tickets/{number}": {
      "get": {
        "operationId": "getTicket", "summary": "Look up a ticket",
        "parameters": [{ "name": "number", "in": "path", "required": true, "description": "the number of the ticket, such as BF-1042", "schema": { "type": "string", "pattern": "^BF-[0-9]{4}$" } }],
        "responses": { "200": { "description": "The ticket", "content": { "application/json": { "schema": { "$ref": "#/components/schemas/Ticket" } } } } }
      }
    },
    "/refunds": {
      "post": {
        "operationId": "refund", "summary": "Give the money for a ticket back",
        "requestBody": { "required": true, "content": { "application/json": { "schema": { "type": "object", "required": ["ticket"], "properties": { "ticket": { "type": "string", "pattern": "^BF-[0-9]{4}$", "description": "the number of the ticket" }, "reason": { "type": "string" } } } } } },
        "responses": { "200": { "description": "What became of it", "content": { "application/json": { "schema": { "type": "object", "required": ["refunded"], "properties": { "refunded": { "type": "boolean" }, "amount": { "type": "number" }, "why": { "type": "string" } } } } } } }
      }
    }
  },
  "components": { "schemas": { "Ticket": { "type": "object", "required": ["number", "state"], "properties": { "number": { "type": "string" }, "to": { "type": "string" }, "paid": { "type": "number" }, "state": { "type": "string", "enum": ["valid", "used", "refunded", "unknown"] } } } } }
}`
