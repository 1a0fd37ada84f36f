package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/station"
)


type viewersOutput struct {
	Body struct {
		Viewers []Viewer `json:"viewers" doc:"The longest first"`
	}
}

func (a *API) listViewers(_ context.Context, in *struct {
	Feed string `query:"feed" maxLength:"63" doc:"Only this feed's"`
}) (*viewersOutput, error) {
	out := &viewersOutput{}
	out.Body.Viewers = []Viewer{}
	for _, v := range a.viewers.List(in.Feed, time.Now()) {
		out.Body.Viewers = append(out.Body.Viewers, Viewer{v.ID, v.Feed, string(v.Method), v.Address, v.Variant, v.Since.UTC(), v.Bytes, v.Loss, v.Estimate, moved(v)})
	}
	return out, nil
}

// moved is the rendition that a viewer gets instead of the one asked for.
func moved(v viewers.Viewer) string {
	if v.Now == v.Variant {
		return ""
	}
	return v.Now
}

func (a *API) endViewer(_ context.Context, in *struct {
	ID string `path:"id" maxLength:"32"`
}) (*struct{}, error) {
	now := time.Now()
	for _, v := range a.viewers.List("", now) {
		if v.ID == in.ID && a.viewers.End(in.ID, now) {
			a.station.Note(v.Feed, station.EventChange, "a viewer at "+v.Address+" was ended")
			return nil, nil
		}
	}
	return nil, newProblem(http.StatusNotFound, "viewer-unknown", "There is no such viewer, or no longer.", "List the viewers to see who watches.")
}

// full turns the refusal of a viewer into an answer.
func full(err error) error {
	p := problem.Problem{Status: http.StatusServiceUnavailable, Code: "viewers-full", Detail: "As many viewers watch as the service takes.", Remedy: "Try again later."}
	switch {
	case err == nil:
		return nil
	case errors.Is(err, viewers.ErrFeedFull):
		p.Detail = "As many viewers watch this feed as it may have."
	case errors.Is(err, viewers.ErrEnded):
		p = problem.Problem{Status: http.StatusForbidden, Code: "viewer-ended", Detail: "An engineer has ended this viewer.", Remedy: "Wait a minute, or ask why."}
	}
	return p
}

// numbers are a session's; it may not have begun yet.
func numbers(s *whep.Session) viewers.Numbers {
	if s == nil {
		return viewers.Numbers{}
	}
	st := s.Stats()
	return viewers.Numbers{Bytes: st.Bytes, Loss: st.Loss, Estimate: st.Estimate, Now: st.Rendition}
}

// variant says in a word what was asked for.
func variant(w station.Wanted) string {
	if w.Rendition != "" {
		return w.Rendition
	}
	return w.Size.String()
}
