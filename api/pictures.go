package api

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"sync/atomic"
	"time"

	"webostrum/core/rendition"
	"webostrum/deliver/mjpeg"
	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
	"webostrum/station"
)

const (
	pictureWait  = 10 * time.Second
	longestFresh = time.Hour
)

// wanted reads how pictures are asked for.
func wanted(q url.Values) (w station.Wanted, err error) {
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

func refusedQuery(name, why string) problem.Problem {
	return problem.Problem{
		Status: http.StatusUnprocessableEntity, Code: codeInput, Detail: why,
		Remedy: "Correct " + name + " in the address, such as ?size=640x360&rate=5&quality=70.",
	}
}

// serveMotionJPEG answers /media/{feed}/mjpeg.
func (a *API) serveMotionJPEG(w http.ResponseWriter, r *http.Request, name string, f *station.Feed) {
	want, err := wanted(r.URL.Query())
	if err != nil {
		writePictureProblem(w, f, err)
		return
	}
	if r.Method == http.MethodHead {
		mjpeg.Serve(r.Context(), w, r, mjpeg.Stream{})
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), pictureWait)
	defer cancel()
	p, err := f.Pictures(ctx, want)
	if err != nil {
		writePictureProblem(w, f, err)
		return
	}
	defer p.Release()
	live, end := context.WithCancel(a.closing)
	defer end()
	var sent atomic.Uint64
	viewer, err := a.viewers.Join(r, name, viewers.MotionJPEG, variant(want), func() viewers.Numbers { return viewers.Numbers{Bytes: sent.Load()} }, end)
	if err != nil {
		writePictureProblem(w, f, full(err))
		return
	}
	defer viewer.Leave()
	mjpeg.Serve(live, w, r, mjpeg.Stream{Hub: p.Hub, Rate: p.FrameRate, Sent: &sent})
}

// serveStill answers /media/{feed}/still.jpg.
func (a *API) serveStill(w http.ResponseWriter, r *http.Request, f *station.Feed) {
	q := r.URL.Query()
	want, err := wanted(q)
	var fresh time.Duration
	if text := q.Get("max-age"); err == nil && text != "" {
		secs, convErr := strconv.Atoi(text)
		fresh = time.Duration(secs) * time.Second
		if convErr != nil || secs < 0 || fresh > longestFresh {
			err = refusedQuery("max-age", "max-age is whole seconds, 0 to 3600")
		}
	}
	if err != nil {
		writePictureProblem(w, f, err)
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), pictureWait)
	defer cancel()
	s, err := f.Still(ctx, want, fresh)
	if err != nil {
		writePictureProblem(w, f, err)
		return
	}
	mjpeg.Still(w, r, s, fresh, f.Public())
}

// writePictureProblem answers when there is no picture.
func writePictureProblem(w http.ResponseWriter, f *station.Feed, err error) {
	var p problem.Problem
	if !errors.As(err, &p) {
		p = problem.Problem{Status: http.StatusServiceUnavailable, Code: "feed-not-ready", Detail: f.Waiting(), Remedy: "Ask again in a moment."}
	}
	if p.Status == http.StatusServiceUnavailable {
		w.Header().Set("Retry-After", "2")
	}
	problem.Write(w, p)
}
