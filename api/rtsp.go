package api

import (
	"cmp"
	"context"
	"net/http"
	"net/url"
	"strings"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/deliver/problem"
	"webostrum/deliver/rtsp"
	"webostrum/deliver/viewers"
	"webostrum/station/pipeline"
)

// RTSPGate lets viewers in to a feed by rtsp://HOST/FEED[/RENDITION], or by a link with
// rtsp://HOST/FEED/link/TEXT[/RENDITION], as they would be over HTTP.
func (a *API) RTSPGate(ctx context.Context, q rtsp.Request) (*rtsp.Opened, *rtsp.Refusal) {
	r := a.asHTTP(ctx, q)
	name, rest, _ := strings.Cut(strings.Trim(q.Path, "/"), "/")
	rendition, link := viaLink(rest)
	w := &heldAnswer{header: make(http.Header)}
	m, ok := a.watchable(w, r, name, link, access.RTSP, rendition)
	if !ok {
		return nil, w.refusal()
	}
	v, track, err := openRTSP(ctx, m, rendition)
	if err != nil {
		return nil, refusalOf(toldTo(m.caller, err))
	}
	o := &rtsp.Opened{Stream: &rtsp.Stream{Hub: v.Hub, Track: track}, Release: v.Release}
	if v.Audio != nil {
		o.Stream.Audio, o.Stream.AudioTrack = v.Audio.Hub, v.Audio.Track
	}
	o.Play = func(end func(), sent func() uint64) (func(), *rtsp.Refusal) {
		viewer, err := a.viewers.Join(visitor(r, name, m), viewers.RTSP, rendition, func() viewers.Numbers { return viewers.Numbers{Bytes: sent()} }, end)
		if err != nil {
			return nil, refusalOf(full(err))
		}
		done, err := a.grants.hold(m.until(), func() bool { return a.still(m, r) }, end)
		if err != nil {
			viewer.Leave()
			return nil, refusalOf(err)
		}
		return func() { done(); viewer.Leave() }, nil
	}
	return o, nil
}

// openRTSP opens a feed's video, and waits for its first frame, which tells how it is coded.
func openRTSP(ctx context.Context, m admission, rendition string) (*pipeline.Stream, *media.Track, error) {
	v, err := m.feed.Stream(ctx, pipeline.Ask{Delivery: plan.RTSP, Rendition: rendition, Audio: true})
	if err != nil {
		return nil, nil, err
	}
	reader := v.Hub.NewReader()
	defer reader.Close()
	s, _, err := reader.Next(ctx)
	if err != nil {
		v.Release()
		return nil, nil, fault.New(fault.FeedNotReady, err, "")
	}
	return v, s.Track, nil
}

// asHTTP is a viewer's request as one over HTTP, so that the same places decide.
func (a *API) asHTTP(ctx context.Context, q rtsp.Request) *http.Request {
	r := &http.Request{
		Method: q.Method, URL: &url.URL{Path: q.Path}, RequestURI: q.URL, RemoteAddr: q.Address,
		Header: http.Header{"Authorization": {q.Authorization}, "User-Agent": {q.Agent}},
	}
	if u, err := url.Parse(q.URL); err == nil {
		r.Host = u.Host
		// Viewers sign the address with or without its last slash and a track.
		signed, err := url.Parse(httpauth.ParseAnswer(q.Authorization).URI)
		if err == nil && strings.HasPrefix(signed.Path, strings.TrimSuffix(q.Path, "/")) {
			r.RequestURI = httpauth.ParseAnswer(q.Authorization).URI
		}
	}
	who := a.byToken(credential(r))
	who.from = access.HostOf(q.Address)
	return r.WithContext(asCaller(ctx, who))
}

// heldAnswer keeps an answer, to be told in another way.
type heldAnswer struct {
	header http.Header
	status int
}

// Header implements http.ResponseWriter.
func (h *heldAnswer) Header() http.Header { return h.header }

// Write implements http.ResponseWriter.
func (h *heldAnswer) Write(b []byte) (int, error) { return len(b), nil }

// WriteHeader implements http.ResponseWriter.
func (h *heldAnswer) WriteHeader(status int) { h.status = status }

func refusalOf(err error) *rtsp.Refusal {
	w := &heldAnswer{header: make(http.Header)}
	problem.Write(w, err)
	return w.refusal()
}

// refusal is the answer as RTSP tells it (RFC 2326, 7.1.1).
func (h *heldAnswer) refusal() *rtsp.Refusal {
	r := &rtsp.Refusal{Status: cmp.Or(h.status, http.StatusServiceUnavailable)}
	for _, c := range h.header.Values("WWW-Authenticate") {
		if scheme, _, _ := strings.Cut(c, " "); !strings.EqualFold(scheme, "Bearer") {
			r.Challenges = append(r.Challenges, c)
		}
	}
	switch r.Status {
	case http.StatusUnauthorized, http.StatusForbidden, http.StatusNotFound, http.StatusServiceUnavailable:
	case http.StatusTooManyRequests:
		r.Status = http.StatusServiceUnavailable
	default:
		r.Status = http.StatusForbidden
	}
	r.Reason = http.StatusText(r.Status)
	return r
}
