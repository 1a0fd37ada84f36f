package api

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"webostrum/core/plan"
	"webostrum/deliver/whep"
	"webostrum/station"
)

const (
	sseTimeout   = 10 * time.Second
	sseHeartbeat = 15 * time.Second
	mostStreams  = 2000
)

// stream is one response of server-sent events (HTML, section 9.2).
type stream struct {
	w  http.ResponseWriter
	rc *http.ResponseController
}

func newStream(w http.ResponseWriter) *stream {
	h := w.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Accel-Buffering", "no") // proxies in front that would hold events back
	w.WriteHeader(http.StatusOK)
	return &stream{w, http.NewResponseController(w)}
}

func (s *stream) send(event string, body any) error {
	data, err := json.Marshal(body)
	if err != nil {
		return err
	}
	return s.write(fmt.Sprintf("event: %s\ndata: %s\n\n", event, data))
}

func (s *stream) write(text string) error {
	if err := s.rc.SetWriteDeadline(time.Now().Add(sseTimeout)); err != nil {
		return err
	}
	if _, err := s.w.Write([]byte(text)); err != nil {
		return err
	}
	return s.rc.Flush()
}




// live streams the state of all feeds and new events.
func (a *API) live(context.Context, *struct{}) (*huma.StreamResponse, error) {
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		c := humagin.Unwrap(ctx)
		a.serveStream(c.Writer, c.Request, func(s *stream, w *station.Watcher) error {
			if err := drainEvents(s, w); err != nil {
				return err
			}
			return s.send("feeds", LiveFeeds{time.Now().UnixMilli(), a.feedViews()})
		})
	}}, nil
}

func drainEvents(s *stream, w *station.Watcher) error {
	for {
		select {
		case e, ok := <-w.Events:
			if !ok {
				return station.ErrClosed
			}
			if err := s.send("event", eventView(e)); err != nil {
				return err
			}
		default:
			return nil
		}
	}
}

// serveStream calls update at once and at every change, until the viewer or
// the service goes.
func (a *API) serveStream(w http.ResponseWriter, r *http.Request, update func(*stream, *station.Watcher) error) {
	select {
	case a.streams <- struct{}{}:
		defer func() { <-a.streams }()
	default:
		writeProblem(w, newProblem(http.StatusServiceUnavailable, "streams-exhausted", "Too many pages are open.", "Close some, then try again."))
		return
	}
	watcher := a.station.Watch()
	defer watcher.Close()
	s := newStream(w)
	if update(s, watcher) != nil {
		return
	}
	beat := time.NewTicker(sseHeartbeat)
	defer beat.Stop()
	for {
		var err error
		select {
		case _, ok := <-watcher.Changed:
			if !ok {
				return
			}
			err = update(s, watcher)
		case <-beat.C:
			err = s.write(": still here\n\n")
		case <-r.Context().Done():
			return
		case <-a.closing.Done():
			return
		}
		if err != nil {
			return
		}
	}
}

// serveState streams one feed's state to players; it sends only what is new.
func (a *API) serveState(w http.ResponseWriter, r *http.Request, f *station.Feed) {
	var last FeedState
	a.serveStream(w, r, func(s *stream, _ *station.Watcher) error {
		state := stateOf(f)
		state.ICEServers = a.cfg.ICEServers
		if reflect.DeepEqual(state, last) {
			return nil
		}
		last = state
		state.Now = time.Now().UnixMilli()
		return s.send("state", state)
	})
}

func stateOf(f *station.Feed) FeedState {
	st := f.Status()
	c := st.Condition
	s := FeedState{State: string(c.State), Reason: f.Waiting(), Run: st.Run, Title: st.Record.Title, Ready: f.Playable(),
		Segment: float64(st.Record.SegmentMillis) / 1000,
		Audio:   AudioState{HLS: st.Audio.Plans[plan.HLS].Codec != "", WebRTC: st.Audio.Plans[plan.WebRTC].Codec != ""}}
	if c.Fault != nil {
		s.Remedy = c.Fault.Kind.Remedy
	}
	return s
}
