package transcode

import (
	"context"
	"sync"
	"time"

	"webostrum/barrier"
	"webostrum/wait"
)

const (
	firstPause   = 100 * time.Millisecond
	longestPause = 10 * time.Second
	settled      = 5 * time.Second // a worker that lived so long begins with small pauses again
)

// supervisor runs one session of a worker after the other while something is wanted.
type supervisor struct {
	cancel context.CancelFunc
	ended  sync.WaitGroup
	kick   chan struct{} // holds a value when something may be wanted now
}

// start begins; nothing is run as long as wanted says so. failed is told of each
// session that ended with an error, and of the pause before the next.
func (s *supervisor) start(wanted func() bool, session func(context.Context) error, failed func(error, time.Duration)) {
	ctx, cancel := context.WithCancel(context.Background())
	s.cancel, s.kick = cancel, make(chan struct{}, 1)
	s.ended.Go(func() { s.keep(ctx, wanted, session, failed) })
}

// stop ends the session that runs, and waits for that.
func (s *supervisor) stop() {
	s.cancel()
	s.ended.Wait()
}

// kicked says that something may be wanted now.
func (s *supervisor) kicked() {
	select {
	case s.kick <- struct{}{}:
	default:
	}
}

// keep makes pauses that grow after sessions that fail.
func (s *supervisor) keep(ctx context.Context, wanted func() bool, session func(context.Context) error, failed func(error, time.Duration)) {
	pause := firstPause
	for {
		if !wanted() {
			select {
			case <-ctx.Done():
				return
			case <-s.kick:
				continue
			}
		}
		begun := time.Now()
		err := barrier.Do(func() error { return session(ctx) })
		if ctx.Err() != nil {
			return
		}
		if err == nil {
			continue
		}
		if time.Since(begun) >= settled {
			pause = firstPause
		}
		failed(err, pause)
		if !wait.For(ctx, pause) {
			return
		}
		pause = min(2*pause, longestPause)
	}
}
