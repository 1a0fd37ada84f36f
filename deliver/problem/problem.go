// Package problem answers with application/problem+json (RFC 9457).
package problem

import (
	"encoding/json"
	"errors"
	"net/http"

	"webostrum/apitypes"
	"webostrum/core/fault"
)

// Of returns the problem that an error is told as: a fault by its row of the table, and
// anything else as a failure of the service.
func Of(err error) *apitypes.Problem {
	var p *apitypes.Problem
	if errors.As(err, &p) {
		return p
	}
	var f *fault.Error
	if !errors.As(err, &f) {
		f = fault.New(fault.Failed, err, "%v", err)
	}
	return &apitypes.Problem{
		Title: http.StatusText(f.Kind.Status), Status: f.Kind.Status, Detail: f.Error(), Code: string(f.Kind.Code), Remedy: f.Kind.Remedy,
	}
}

// Write answers with an error. Headers that were set for success are taken back.
func Write(w http.ResponseWriter, err error) {
	p := Of(err)
	h := w.Header()
	for _, name := range []string{"Etag", "Last-Modified", "Content-Encoding", "Content-Length", "Accept-Ranges"} {
		h.Del(name)
	}
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Type", apitypes.ProblemType)
	if p.Status == http.StatusServiceUnavailable && h.Get("Retry-After") == "" {
		h.Set("Retry-After", "2")
	}
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p) // a viewer that has gone is no error
}
