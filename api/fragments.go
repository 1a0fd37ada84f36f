package api

import (
	"context"
	"net/http"
	"sync/atomic"

	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/deliver/fragments"
	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
	"webostrum/station/pipeline"
)

// serveFragments answers /media/{feed}/live.mp4.
func (a *API) serveFragments(w http.ResponseWriter, r *http.Request, name string, m admission) {
	q := r.URL.Query()
	ask := pipeline.Ask{Delivery: plan.Fragments, Rendition: q.Get("rendition"), Audio: true}
	switch text := q.Get("audio"); text {
	case "", "on":
	case "off":
		ask.Audio = false
	default:
		problem.Write(w, refusedQuery("audio", "audio is on or off"))
		return
	}
	switch text := q.Get("decodes"); text {
	case "":
	case "h265":
		ask.Takes = []media.Codec{media.H265}
	default:
		problem.Write(w, refusedQuery("decodes", "decodes is h265, or left out"))
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), pictureWait)
	defer cancel()
	v, err := m.feed.Stream(ctx, ask)
	if err != nil {
		problem.Write(w, toldTo(m.caller, err))
		return
	}
	defer v.Release()
	live, end := context.WithCancel(a.closing)
	defer end()
	defer context.AfterFunc(r.Context(), end)()
	var sent atomic.Uint64
	viewer, err := a.viewers.Join(visitor(r, name, m), viewers.Fragments, ask.Rendition, func() viewers.Numbers { return viewers.Numbers{Bytes: sent.Load()} }, end)
	if err != nil {
		problem.Write(w, full(err))
		return
	}
	defer viewer.Leave()
	done, err := a.grants.hold(m.until(), func() bool { return a.still(m, r) }, end)
	if err != nil {
		problem.Write(w, err)
		return
	}
	defer done()
	s := fragments.Stream{Video: v.Hub, Sent: &sent}
	if v.Audio != nil {
		s.Audio, s.Track = v.Audio.Hub, v.Audio.Track
	}
	fragments.Serve(live, w, r, s)
}
