package station

import (
	"sync"

	"webostrum/store"
)

// maxPending bounds what is kept for a watcher that reads slowly; it then
// misses events and is told that something changed.
const maxPending = 64

// Watcher is told about changes and events.
type Watcher struct {
	// Changed gets a value when any feed's status may be another.
	Changed chan struct{}
	// Events gets each new event, unless the watcher is too slow.
	Events chan store.Event
	owner  *watchers
}

type watchers struct {
	mu     sync.Mutex
	all    map[*Watcher]struct{} // guarded by mu
	closed bool                  // guarded by mu
}

// Watch begins watching. Close the watcher. Both its channels are closed when
// the station closes.
func (st *Station) Watch() *Watcher {
	w := &Watcher{Changed: make(chan struct{}, 1), Events: make(chan store.Event, maxPending), owner: &st.watch}
	st.watch.mu.Lock()
	defer st.watch.mu.Unlock()
	if st.watch.closed {
		close(w.Changed)
		close(w.Events)
		return w
	}
	if st.watch.all == nil {
		st.watch.all = make(map[*Watcher]struct{})
	}
	st.watch.all[w] = struct{}{}
	return w
}

// Close ends watching.
func (w *Watcher) Close() {
	w.owner.mu.Lock()
	defer w.owner.mu.Unlock()
	delete(w.owner.all, w)
}

func (ws *watchers) changed() {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	for w := range ws.all {
		w.kick()
	}
}

func (w *Watcher) kick() {
	select {
	case w.Changed <- struct{}{}:
	default:
	}
}

func (ws *watchers) event(e store.Event) {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	for w := range ws.all {
		select {
		case w.Events <- e:
		default:
		}
		w.kick()
	}
}

func (ws *watchers) close() {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	ws.closed = true
	for w := range ws.all {
		close(w.Changed)
		close(w.Events)
	}
	ws.all = nil
}
