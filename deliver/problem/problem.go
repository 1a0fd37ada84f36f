// Package problem writes error answers as application/problem+json (RFC 9457).
package problem

import (
	"encoding/json"
	"net/http"
)

// Problem is the body of an error answer.
type Problem struct {
	Title  string `json:"title" doc:"The kind of problem, in a few words"`
	Status int    `json:"status" doc:"The HTTP status"`
	Detail string `json:"detail,omitempty" doc:"What happened, in a sentence"`
	Code   string `json:"code,omitempty" doc:"The kind of problem, for programs"`
	Remedy string `json:"remedy,omitempty" doc:"What to do next"`
}

// Error makes a problem an error, so that whoever finds it need not write it.
func (p Problem) Error() string { return p.Detail }

// ContentType is what problems are sent as.
const ContentType = "application/problem+json"

// Write sends a problem. Headers that were set for success are taken back.
func Write(w http.ResponseWriter, p Problem) {
	h := w.Header()
	for _, name := range []string{"Etag", "Last-Modified", "Content-Encoding", "Content-Length", "Accept-Ranges"} {
		h.Del(name)
	}
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Type", ContentType)
	if p.Title == "" {
		p.Title = http.StatusText(p.Status)
	}
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p) // a viewer that has gone is no error
}
