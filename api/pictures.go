package api

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"sync/atomic"
	"time"

	"webostrum/core/fault"
	"webostrum/core/rendition"
	"webostrum/deliver/mjpeg"
	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
	"webostrum/station/pipeline"
)

const (
	pictureWait  = 10 * time.Second
	longestFresh = time.Hour
)

// jpegRequest reads how pictures are asked for.
func jpegRequest(q url.Values) (w pipeline.JPEGRequest, err error) {
	w.Rendition = q.Get("rendition")
	if w.Size, err = rendition.ParseSize(q.Get("size")); err != nil {
		return w, refusedQuery("size", err.Error())
	}
	if text := q.Get("rate"); text != "" {
		if w.FrameRate, err = strconv.ParseFloat(text, 64); err != nil || !(w.FrameRate >= 0.01 && w.FrameRate <= 120) {
			return w, refusedQuery("rate", "rate is frames a second, 0.01 to 120")
		}
	}
	if text := q.Get("quality"); text != "" {
		if w.Quality, err = strconv.Atoi(text); err != nil || w.Quality < 1 || w.Quality > 100 {
			return w, refusedQuery("quality", "quality is a whole number, 1 to 100")
		}
	}
	return w, nil
}

func refusedQuery(name, why string) error {
	return fault.New(fault.Input, nil, "%s; correct %s in the address's query", why, name)
}

// serveMotionJPEG answers /media/{feed}/mjpeg.
func (a *API) serveMotionJPEG(w http.ResponseWriter, r *http.Request, name string, m admission) {
	q, err := jpegRequest(r.URL.Query())
	if err != nil {
		problem.Write(w, err)
		return
	}
	q.Stranger = m.stranger()
	if r.Method == http.MethodHead {
		mjpeg.Serve(r.Context(), w, r, mjpeg.Stream{})
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), pictureWait)
	defer cancel()
	j, err := m.feed.JPEG(ctx, q)
	if err != nil {
		problem.Write(w, toldTo(m.caller, err))
		return
	}
	defer j.Release()
	live, end := context.WithCancel(a.closing)
	defer end()
	var sent atomic.Uint64
	viewer, err := a.viewers.Join(visitor(r, name, m), viewers.MotionJPEG, variant(q), func() viewers.Numbers { return viewers.Numbers{Bytes: sent.Load()} }, end)
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
	mjpeg.Serve(live, w, r, mjpeg.Stream{Hub: j.Hub, Rate: j.FrameRate, Sent: &sent})
}

// serveStill answers /media/{feed}/still.jpg.
func (a *API) serveStill(w http.ResponseWriter, r *http.Request, m admission) {
	q := r.URL.Query()
	want, err := jpegRequest(q)
	want.Stranger = m.stranger()
	var fresh time.Duration
	if text := q.Get("max-age"); err == nil && text != "" {
		secs, convErr := strconv.Atoi(text)
		fresh = time.Duration(secs) * time.Second
		if convErr != nil || secs < 0 || fresh > longestFresh {
			err = refusedQuery("max-age", "max-age is whole seconds, 0 to 3600")
		}
	}
	if err != nil {
		problem.Write(w, toldTo(m.caller, err))
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), pictureWait)
	defer cancel()
	s, err := m.feed.Still(ctx, want, fresh)
	if err != nil {
		problem.Write(w, toldTo(m.caller, err))
		return
	}
	mjpeg.Still(w, r, s, fresh, m.shared())
}
