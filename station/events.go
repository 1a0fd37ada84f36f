package station

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/store"
)

// The kinds of event.
const (
	EventState     = "state"     // a feed's state changed
	EventChange    = "change"    // somebody or a camera changed something
	EventWarning   = "warning"   // something is not as it should be
	EventSignIn    = "sign-in"   // somebody signed in, or failed to
	EventService   = "service"   // the service started or stopped
	EventTranscode = "transcode" // transcoding began or ended
	EventRequest   = "request"   // a camera answered a request
	EventSearch    = "search"    // somebody searched for cameras
	EventAlert     = "alert"     // an alert was sent, or could not be
	EventMotion    = "motion"    // something moves in the picture
)

// mostQueued bounds the events that wait to be written. Those that are too many are
// counted and left out: nothing waits for the disk.
const mostQueued = 1024

// recorder writes events in a goroutine of its own, in the order in which they happened.
type recorder struct {
	write func(store.Event)

	mu      sync.Mutex
	queue   []store.Event   // guarded by mu
	flushes []chan struct{} // closed when all that is queued was written; guarded by mu
	dropped int             // guarded by mu
	kick    chan struct{}
	closed  bool // guarded by mu
	ended   chan struct{}
}

func newRecorder(write func(store.Event)) *recorder {
	r := &recorder{write: write, kick: make(chan struct{}, 1), ended: make(chan struct{})}
	go r.run() // until close, which waits for it
	return r
}

func (r *recorder) add(e store.Event) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return
	}
	if len(r.queue) >= mostQueued {
		r.dropped++
		return
	}
	r.queue = append(r.queue, e)
	r.kicked()
}

func (r *recorder) kicked() {
	select {
	case r.kick <- struct{}{}:
	default:
	}
}

func (r *recorder) run() {
	defer close(r.ended)
	for {
		r.mu.Lock()
		queue, flushes, dropped, closed := r.queue, r.flushes, r.dropped, r.closed
		r.queue, r.flushes, r.dropped = nil, nil, 0
		r.mu.Unlock()
		for _, e := range queue {
			r.write(e)
		}
		if dropped > 0 {
			r.write(store.Event{At: time.Now(), Kind: EventWarning, Text: fmt.Sprintf("%d events were left out: too many came at once", dropped)})
		}
		for _, f := range flushes {
			close(f)
		}
		if closed {
			return
		}
		<-r.kick
	}
}

// flush waits until what was added before is written.
func (r *recorder) flush(ctx context.Context) {
	done := make(chan struct{})
	r.mu.Lock()
	if r.closed {
		r.mu.Unlock()
		return
	}
	r.flushes = append(r.flushes, done)
	r.kicked()
	r.mu.Unlock()
	select {
	case <-done:
	case <-ctx.Done():
	}
}

// close writes what is left.
func (r *recorder) close() {
	r.mu.Lock()
	r.closed = true
	r.kicked()
	r.mu.Unlock()
	<-r.ended
}

// FlushEvents waits until all events that happened before are written, or ctx ends.
func (st *Station) FlushEvents(ctx context.Context) { st.events.flush(ctx) }

func (st *Station) event(e store.Event) {
	e.At = e.At.UTC()
	st.events.add(e)
	st.watch.changed()
}

// Noted is how many events there were since the start, by their severity.
func (st *Station) Noted() (n [3]uint64) {
	for i := range n {
		n[i] = st.noted[i].Load()
	}
	return n
}

// severity says how much an event matters.
func severity(e store.Event) store.Severity {
	kind, known := fault.Lookup(fault.Code(e.Code))
	switch {
	case e.Severity > store.Info:
		return e.Severity
	case known && kind.Person, e.Kind == EventAlert:
		return store.Serious
	case e.Code != "" || e.Kind == EventWarning:
		return store.Warning
	}
	return store.Info
}

// attributes are what an event's line in the log has besides its text.
func attributes(e store.Event) (list []slog.Attr) {
	for _, a := range []struct{ name, value string }{{"feed", e.Feed}, {"kind", e.Kind}, {"code", e.Code}, {"account", e.Account}, {"address", e.Address}} {
		if a.value != "" {
			list = append(list, slog.String(a.name, a.value))
		}
	}
	return list
}

// writeEvent is the recorder's.
func (st *Station) writeEvent(e store.Event) {
	e.Severity = severity(e)
	st.noted[e.Severity].Add(1)
	if err := st.store.AddEvent(&e); err != nil {
		st.log.Error("an event could not be written", "error", err, "event", e.Text)
	}
	level := slog.LevelInfo
	if e.Code != "" || e.Kind == EventWarning {
		level = slog.LevelWarn
	}
	st.log.LogAttrs(context.Background(), level, e.Text, attributes(e)...)
	st.watch.event(e)
}
