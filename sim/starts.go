package sim

import (
	"errors"
	"log/slog"
	"sync/atomic"
	"time"
)

const (
	firstStartPause   = 250 * time.Millisecond
	longestStartPause = 10 * time.Second

	// silentAfter is how long an encoder may be given frames without giving any back.
	silentAfter = 10 * time.Second
	fewestGiven = 4
)

var errSilent = errors.New("nothing comes from it")

// starts says when a worker may be started again: after pauses that grow as long as nothing
// comes from it. It is for one goroutine, but for came.
type starts struct {
	pause time.Duration
	next  time.Time
	since time.Time   // of the present worker's first frame; zero before that
	coded atomic.Bool // since then, or since silent was asked last
	given int         // to it since something came
}

// came notes that something came from the worker.
func (s *starts) came() { s.coded.Store(true) }

// due says whether a worker may be started now; one that is begins to be watched.
func (s *starts) due(now time.Time) bool {
	if now.Before(s.next) {
		return false
	}
	s.since, s.given = now, 0
	s.coded.Store(false)
	return true
}

// silent is asked before each frame, and says whether nothing has come for too long.
func (s *starts) silent(now time.Time) bool {
	if s.coded.Swap(false) {
		s.since, s.pause, s.given = now, 0, 0
		return false
	}
	s.given++
	return s.given > fewestGiven && now.Sub(s.since) >= silentAfter
}

// failed notes an end, and says so.
func (s *starts) failed(camera, what string, now time.Time, why error) {
	s.pause = min(max(2*s.pause, firstStartPause), longestStartPause)
	s.next = now.Add(s.pause)
	slog.Warn("a simulated camera's "+what+" ended; it is started again", "camera", camera, "pause", s.pause, "error", why)
}
