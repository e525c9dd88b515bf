// Package problem answers HTTP requests that failed, as RFC 9457 has it.
package problem

import (
	"encoding/json"
	"net/http"
)

// Details tell a client what went wrong and what to do.
type Details struct {
	Type   string `json:"type" description:"A stable name of the kind of problem." required:"true"`
	Title  string `json:"title" required:"true"`
	Status int    `json:"status" required:"true"`
	Detail string `json:"detail,omitempty" description:"What happened, where, and what to do."`
	Field  string `json:"field,omitempty" description:"The field that is wrong, if one is."`
}

func (d *Details) Error() string {
	if d.Detail != "" {
		return d.Detail
	}
	return d.Title
}

// The kinds of problems.
const (
	BadInput     = "/problems/bad-input"
	TooLarge     = "/problems/too-large"
	NotSignedIn  = "/problems/not-signed-in"
	NotAllowed   = "/problems/not-allowed"
	NotFound     = "/problems/not-found"
	Conflict     = "/problems/conflict"
	TooMany      = "/problems/too-many-requests"
	Unavailable  = "/problems/unavailable"
	BadSignature = "/problems/bad-signature"
	Unreached    = "/problems/unreached"
)

var statuses = map[string]int{
	BadInput: http.StatusUnprocessableEntity, TooLarge: http.StatusRequestEntityTooLarge,
	NotSignedIn: http.StatusUnauthorized, NotAllowed: http.StatusForbidden, NotFound: http.StatusNotFound,
	Conflict: http.StatusConflict, TooMany: http.StatusTooManyRequests, Unavailable: http.StatusServiceUnavailable,
	BadSignature: http.StatusUnauthorized, Unreached: http.StatusBadGateway,
}

var titles = map[string]string{
	BadInput: "The request cannot be used as it is", TooLarge: "That is too large", NotSignedIn: "Not signed in",
	NotAllowed: "Not allowed", NotFound: "Not found", Conflict: "Changed meanwhile", TooMany: "Too many requests",
	Unavailable: "Not available now", BadSignature: "The signature does not fit",
	Unreached: "Another system did not answer as it should",
}

// New returns a problem of a kind; an unknown kind is a failure of the service.
func New(kind, detail, field string) *Details {
	status := statuses[kind]
	if status == 0 {
		return &Details{"/problems/internal", "Something went wrong in the service", http.StatusInternalServerError, detail, ""}
	}
	return &Details{kind, titles[kind], status, detail, field}
}

// Write sends a problem.
func Write(w http.ResponseWriter, d *Details) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(d.Status)
	// A client that is gone is no failure of ours.
	_ = json.NewEncoder(w).Encode(d)
}
