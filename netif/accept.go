package netif

import (
	"errors"
	"net"
	"slices"
	"sync"
	"time"
)

// Pauses after an Accept that failed: they grow while the process has no descriptors left,
// and the like.
const (
	firstAcceptPause   = 5 * time.Millisecond
	longestAcceptPause = time.Second
)

// Listeners are the listeners of a service, and how taking connections goes at each. The
// zero value is ready, and nil counts nothing; it is safe for concurrent use.
type Listeners struct {
	mu  sync.Mutex
	all []*listener // guarded by mu
}

// ListenerState is how taking connections goes at a listener.
type ListenerState struct {
	Name    string
	Address string
	Taken   uint64 // connections since it was opened
	Failed  uint64 // tries to take one that failed
	Failing error  // why none can be taken at present; nil while they can
}

// Keep returns a listener whose Accept fails only once it is closed: after any other error
// it pauses and goes on. Close closes l.
func (s *Listeners) Keep(name string, l net.Listener) net.Listener {
	k := &listener{Listener: l, of: s, name: name, closed: make(chan struct{})}
	if s != nil {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.all = append(s.all, k)
	}
	return k
}

// States are those of all that are open, in the order in which they were opened.
func (s *Listeners) States() (list []ListenerState) {
	if s == nil {
		return nil
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, l := range s.all {
		list = append(list, l.state(time.Now()))
	}
	return list
}

// Failing returns the first listener that takes no connections at present.
func (s *Listeners) Failing() (state ListenerState, ok bool) {
	for _, l := range s.States() {
		if l.Failing != nil {
			return l, true
		}
	}
	return state, false
}

type listener struct {
	net.Listener
	of     *Listeners
	name   string
	once   sync.Once
	closed chan struct{}

	mu     sync.Mutex
	taken  uint64    // guarded by mu
	failed uint64    // guarded by mu
	why    error     // of the newest failure; guarded by mu
	at     time.Time // of that; guarded by mu
}

// Accept implements net.Listener.
func (l *listener) Accept() (net.Conn, error) {
	pause := firstAcceptPause
	for {
		conn, err := l.Listener.Accept()
		if err == nil || errors.Is(err, net.ErrClosed) {
			l.note(err)
			return conn, err
		}
		select {
		case <-l.closed:
			return nil, net.ErrClosed
		default:
		}
		l.note(err)
		timer := time.NewTimer(pause)
		select {
		case <-timer.C:
		case <-l.closed:
			timer.Stop()
			return nil, net.ErrClosed
		}
		pause = min(2*pause, longestAcceptPause)
	}
}

func (l *listener) note(err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	switch {
	case err == nil:
		l.taken++
		l.why = nil
	case !errors.Is(err, net.ErrClosed):
		l.failed++
		l.why, l.at = err, time.Now()
	}
}

// state is how it goes now: one that has not failed for two pauses waits for somebody.
func (l *listener) state(now time.Time) ListenerState {
	l.mu.Lock()
	defer l.mu.Unlock()
	s := ListenerState{Name: l.name, Address: l.Addr().String(), Taken: l.taken, Failed: l.failed}
	if l.why != nil && now.Sub(l.at) < 2*longestAcceptPause {
		s.Failing = l.why
	}
	return s
}

// Close implements net.Listener.
func (l *listener) Close() error {
	l.once.Do(func() {
		close(l.closed)
		if l.of != nil {
			l.of.mu.Lock()
			defer l.of.mu.Unlock()
			l.of.all = slices.DeleteFunc(l.of.all, func(other *listener) bool { return other == l })
		}
	})
	return l.Listener.Close()
}
