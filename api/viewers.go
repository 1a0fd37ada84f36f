package api

import (
	"context"
	"errors"
	"time"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/station"
	"webostrum/station/pipeline"
)

func (a *API) listViewers(_ context.Context, in *struct {
	Feed string `query:"feed" maxLength:"63" doc:"Only this feed's"`
}) (*struct{ Body apitypes.ViewerList }, error) {
	out := apitypes.ViewerList{Viewers: []apitypes.Viewer{}}
	for _, v := range a.viewers.List(in.Feed, time.Now()) {
		out.Viewers = append(out.Viewers, apitypes.Viewer{
			ID: v.ID, Feed: v.Feed, Method: string(v.Method), Address: v.Address, By: v.By, Variant: v.Variant, Since: v.Since.UTC(), Bytes: v.Bytes,
			Loss: v.Loss, Estimate: v.Estimate, Now: moved(v),
		})
	}
	return &struct{ Body apitypes.ViewerList }{out}, nil
}

// moved is the rendition that a viewer gets instead of the one asked for.
func moved(v viewers.Viewer) string {
	if v.Now == v.Variant {
		return ""
	}
	return v.Now
}

func (a *API) endViewer(ctx context.Context, in *struct {
	ID string `path:"id" maxLength:"32"`
}) (*struct{}, error) {
	now := time.Now()
	for _, v := range a.viewers.List("", now) {
		if v.ID == in.ID && a.viewers.End(in.ID, now) {
			a.by(ctx).Note(v.Feed, station.EventChange, "a viewer at "+v.Address+" was ended")
			return nil, nil
		}
	}
	return nil, answerFor(fault.New(fault.ViewerUnknown, nil, ""))
}

// full turns the refusal of a viewer into a fault.
func full(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, viewers.ErrFeedFull):
		return fault.New(fault.FeedViewersFull, err, "")
	case errors.Is(err, viewers.ErrLinkFull):
		return fault.New(fault.LinkViewersFull, err, "")
	case errors.Is(err, viewers.ErrAddressFull):
		return fault.New(fault.AddressViewersFull, err, "")
	case errors.Is(err, viewers.ErrAllowance):
		return fault.New(fault.AllowanceUsed, err, "")
	case errors.Is(err, viewers.ErrEnded):
		return fault.New(fault.ViewerEnded, err, "")
	}
	return fault.New(fault.ViewersFull, err, "")
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
func variant(q pipeline.JPEGRequest) string {
	if q.Rendition != "" {
		return q.Rendition
	}
	return q.Size.String()
}
