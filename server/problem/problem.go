// Package problem answers HTTP requests that went wrong with problem details
// (RFC 9457): what happened, and what to do.
package problem

import (
	"encoding/json"
	"net/http"
)

// Details is one problem.
type Details struct {
	Status int    // HTTP status
	Title  string // what happened, in a few words
	Detail string // where, and what to do
	More   map[string]any
}

// Write answers with the problem.
func (d Details) Write(w http.ResponseWriter) {
	body := map[string]any{"type": "about:blank", "title": d.Title, "status": d.Status}
	if d.Detail != "" {
		body["detail"] = d.Detail
	}
	for k, v := range d.More {
		body[k] = v
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(d.Status)
	_ = json.NewEncoder(w).Encode(body) // the caller is gone if this fails
}

// Write answers with a problem that needs no more than words.
func Write(w http.ResponseWriter, status int, title, detail string) {
	Details{Status: status, Title: title, Detail: detail}.Write(w)
}
