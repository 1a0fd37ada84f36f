package convert

import (
	"context"
	"sync"
	"time"

	"webostrum/wait"
)

const (
	firstPause   = 100 * time.Millisecond
	longestPause = 10 * time.Second
	settled      = 5 * time.Second // a worker that lived so long begins with small pauses again
)

// engine runs one session of a worker after the other while something is wanted.
type engine struct {
	cancel context.CancelFunc
	ended  sync.WaitGroup
	kick   chan struct{} // holds a value when something may be wanted now
}

// start begins; nothing is run as long as wanted says so. failed is told of each
// session that ended with an error, and of the pause before the next.
func (e *engine) start(wanted func() bool, session func(context.Context) error, failed func(error, time.Duration)) {
	ctx, cancel := context.WithCancel(context.Background())
	e.cancel, e.kick = cancel, make(chan struct{}, 1)
	e.ended.Go(func() { e.keep(ctx, wanted, session, failed) })
}

// stop ends the session that runs, and waits for that.
func (e *engine) stop() {
	e.cancel()
	e.ended.Wait()
}

// kicked says that something may be wanted now.
func (e *engine) kicked() {
	select {
	case e.kick <- struct{}{}:
	default:
	}
}

// keep makes pauses that grow after sessions that fail.
func (e *engine) keep(ctx context.Context, wanted func() bool, session func(context.Context) error, failed func(error, time.Duration)) {
	pause := firstPause
	for {
		if !wanted() {
			select {
			case <-ctx.Done():
				return
			case <-e.kick:
				continue
			}
		}
		begun := time.Now()
		err := session(ctx)
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
