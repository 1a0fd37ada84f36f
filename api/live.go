package api

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/plan"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/station/pipeline"
)

const (
	sseTimeout   = 10 * time.Second
	sseHeartbeat = 15 * time.Second

	// Event streams that are open at a time: of those who have signed in, and of players
	// of strangers, of whom one address has no more than its share.
	mostOfSignedIn  = 500
	mostOfStrangers = 2000
	mostAnAddress   = 64
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

// live streams the state of all feeds and, to engineers, new events.
func (a *API) live(context.Context, *struct{}) (*huma.StreamResponse, error) {
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		c := humagin.Unwrap(ctx)
		who := callerOf(c.Request.Context())
		may := func() bool { _, ok := a.stillSignedIn(who, c.Request); return ok }
		var told told
		a.serveStream(c.Writer, c.Request, who.signedIn(), who.token.ExpiresAt, may, func(s *stream, w *station.Watcher) error {
			if err := drainEvents(s, w, who); err != nil {
				return err
			}
			return told.send(s, a.feedViews(who), time.Now())
		})
	}}, nil
}

func drainEvents(s *stream, w *station.Watcher, who caller) error {
	for {
		select {
		case e, ok := <-w.Events:
			if !ok {
				return station.ErrClosed
			}
			if !who.reader() {
				continue // addresses stand in them
			}
			if err := s.send("event", eventView(e)); err != nil {
				return err
			}
		default:
			return nil
		}
	}
}

// serveStream calls update at once and at every change, until the viewer or the service
// goes, or the viewer may no longer watch.
func (a *API) serveStream(w http.ResponseWriter, r *http.Request, signedIn bool, until time.Time, may func() bool, update func(*stream, *station.Watcher) error) {
	leave, ok := a.streams.enter(access.ClientOf(r.RemoteAddr), signedIn)
	if !ok {
		problem.Write(w, fault.New(fault.StreamsFull, nil, ""))
		return
	}
	defer leave()
	ctx, cancel := context.WithCancel(r.Context())
	defer cancel()
	done, err := a.grants.hold(until, may, cancel)
	if err != nil {
		problem.Write(w, err)
		return
	}
	defer done()
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
		case <-ctx.Done():
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
func (a *API) serveState(w http.ResponseWriter, r *http.Request, m admission) {
	want, err := readWant(r.URL.Query())
	if err != nil {
		problem.Write(w, err)
		return
	}
	engine, _ := plan.EngineOf(r.UserAgent())
	defer m.feed.Need()() // a player is there, and begins as soon as there is something to play
	var last apitypes.FeedState
	a.serveStream(w, r, !m.stranger(), m.until(), func() bool { return a.still(m, r) }, func(s *stream, _ *station.Watcher) error {
		state := stateOf(m)
		state.Reports = m.feed.Rules().Reports
		state.GoBack = a.cfg.Recordings != nil && (m.reader() || m.feed.Recording().GoBack)
		state.Play = choice(m.feed, want, a.experienceOf(m.feed), engine)
		for _, d := range m.deliveries() {
			if d != access.WebRTC || a.cfg.WebRTC != nil {
				state.Deliveries = append(state.Deliveries, string(d))
			}
		}
		if reflect.DeepEqual(state, last) {
			return nil
		}
		last = state
		state.Now = time.Now().UnixMilli()
		if slices.Contains(state.Deliveries, string(access.WebRTC)) {
			state.ICEServers = a.iceServers(time.Now())
		}
		return s.send("state", state)
	})
}

// readWant reads what a page asks for.
func readWant(q url.Values) (w plan.Want, err error) {
	switch p := plan.Preference(q.Get("prefer")); p {
	case "", plan.LeastDelay, plan.Reach, plan.Simple:
		w.Prefer = p
	default:
		return w, refusedQuery("prefer", "prefer is delay, reach or simple")
	}
	if text := q.Get("within"); text != "" {
		seconds, err := strconv.ParseFloat(text, 64)
		if err != nil || !(seconds >= 0 && seconds <= 3600) {
			return w, refusedQuery("within", "within is seconds, 0 to 3600")
		}
		d := time.Duration(seconds * float64(time.Second))
		w.Within = &d
	}
	return w, nil
}

// choice says how a player is to play a feed. What changes all the time is rounded, so that
// players are told only what makes a difference.
func choice(f *station.Feed, want plan.Want, all []plan.Experience, engine string) apitypes.PlayChoice {
	const step = 100 * time.Millisecond
	p := f.Path(plan.HLS)
	p.Arrival, p.FrameRate = p.Arrival.Round(step), math.Round(p.FrameRate)
	c := plan.Choose(want, p)
	c.PutLast(all, engine)
	out := apitypes.PlayChoice{Order: []string{}, Why: c.Why, Within: c.Within.Seconds(), Ahead: map[string]float64{}}
	for _, d := range c.Order {
		out.Order = append(out.Order, string(d))
	}
	for d, ahead := range c.Ahead {
		out.Ahead[string(d)] = ahead.Round(step / 2).Seconds()
	}
	return out
}

// shownRenditions are what a viewer can choose: the camera's own, and what is made of it.
func shownRenditions(st station.Status) []apitypes.ShownRendition {
	list := []apitypes.ShownRendition{}
	if len(st.Record.Renditions) > 0 && st.Facts != nil {
		list = append(list, apitypes.ShownRendition{Name: hls.Original, Codec: string(st.Facts.Codec), Width: st.Width, Height: st.Height})
	}
	for _, r := range st.Record.Renditions {
		shown := apitypes.ShownRendition{Name: r.Name, Codec: r.Codec, Flat: r.View != ""}
		if q, err := pipeline.Request(r, st.Record); err == nil && st.Width > 0 {
			e, _ := q.Resolve(st.Width, st.Height)
			shown.Width, shown.Height = e.Width, e.Height
		}
		list = append(list, shown)
	}
	return list
}

func stateOf(m admission) apitypes.FeedState {
	st := m.feed.Status()
	c := st.Condition
	s := apitypes.FeedState{State: string(c.State), Reason: m.feed.Waiting(), Run: st.Run, Title: st.Record.Title, Ready: m.feed.Playable(),
		Renditions: shownRenditions(st), Sizes: shares(plan.Source{Width: st.Width, Height: st.Height}),
		Audio: apitypes.AudioState{
			HLS: st.Audio.Plans[plan.HLS].Codec != "", Fragments: st.Audio.Plans[plan.Fragments].Codec != "", WebRTC: st.Audio.Plans[plan.WebRTC].Codec != "",
		}}
	if st.Record.Projection != "" {
		lens := lensOf(st.Record)
		s.Lens = &lens
	}
	if v := st.Video; v != nil {
		s.Coding = &apitypes.Coding{Codec: string(v.Codec), Parameter: v.CodecString}
	}
	switch {
	case c.Fault == nil:
	case m.reader():
		s.Remedy = c.Fault.Kind.Remedy
	default:
		away, _ := fault.Lookup(fault.CameraAway)
		s.Reason = away.Sentence
	}
	return s
}

// streams counts the event streams that are open.
type streams struct {
	mu        sync.Mutex
	signedIn  int            // guarded by mu
	strangers int            // guarded by mu
	addresses map[string]int // of strangers; guarded by mu
}

// enter makes room for one more; leave gives it back.
func (s *streams) enter(address string, signedIn bool) (leave func(), ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if signedIn {
		if s.signedIn >= mostOfSignedIn {
			return nil, false
		}
		s.signedIn++
		return func() {
			s.mu.Lock()
			defer s.mu.Unlock()
			s.signedIn--
		}, true
	}
	if s.strangers >= mostOfStrangers || s.addresses[address] >= mostAnAddress {
		return nil, false
	}
	if s.addresses == nil {
		s.addresses = make(map[string]int)
	}
	s.strangers++
	s.addresses[address]++
	return func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.strangers--
		if s.addresses[address]--; s.addresses[address] == 0 {
			delete(s.addresses, address)
		}
	}, true
}
