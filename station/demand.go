package station

import (
	"context"
	"errors"
	"sync"
	"time"

	"webostrum/core/media"
)

const (
	// defaultLingers is how long a camera stays connected after the last one who needed it:
	// viewers reload pages, and the next one often comes at once.
	defaultLingers = 10 * time.Second
	// betweenLists is how much longer those are waited for who come again and again for lists
	// and stills.
	betweenLists = 3
	// wakesWithin is how long is waited for a camera that was idle.
	wakesWithin = 15 * time.Second
)

// errNotNeeded ends the session with a camera that nobody needs any more.
var errNotNeeded = errors.New("station: nobody needs the camera")

// demand is who needs what comes in of a feed. A feed that is connected while needed is idle
// while nobody does.
type demand struct {
	mu    sync.Mutex
	holds int                     // guarded by mu
	until time.Time               // it is needed till then in any case; guarded by mu
	part  context.CancelCauseFunc // ends the session; nil when there is none. Guarded by mu.
	woken chan struct{}           // gets a value when somebody comes
}

// Need says that somebody needs what comes in, until released and a while after that. A feed
// that is idle is connected. What reads of the feed needs it by itself; this is for those who
// wait for it to be live.
func (f *Feed) Need() (release func()) { return f.need(f.station.lingers) }

// needLists is Need of somebody who will come again.
func (f *Feed) needLists() (release func()) { return f.need(betweenLists * f.station.lingers) }

func (f *Feed) need(after time.Duration) (release func()) {
	d := &f.demand
	d.mu.Lock()
	d.holds++
	d.mu.Unlock()
	d.wake()
	return sync.OnceFunc(func() {
		d.mu.Lock()
		defer d.mu.Unlock()
		d.holds--
		if until := time.Now().Add(after); until.After(d.until) {
			d.until = until
		}
	})
}

// touch says that somebody needs what comes in for a while.
func (f *Feed) touch() { f.Need()() }

func (d *demand) wake() {
	select {
	case d.woken <- struct{}{}:
	default:
	}
}

func (d *demand) neededLocked() bool { return d.holds > 0 || time.Now().Before(d.until) }

func (d *demand) needed() bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.neededLocked()
}

// session makes the context of a session, which ends when nobody needs it any more.
func (d *demand) session(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, part := context.WithCancelCause(ctx)
	d.mu.Lock()
	defer d.mu.Unlock()
	d.part = part
	return ctx, func() {
		d.mu.Lock()
		defer d.mu.Unlock()
		d.part = nil
		part(nil)
	}
}

// checkDemand parts from a camera that nobody needs. Whoever comes from then on finds another
// pipeline, in which nothing is left of before.
func (f *Feed) checkDemand() {
	if !f.stored().WhileNeeded || !f.live() {
		return
	}
	d := &f.demand
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.part == nil || d.neededLocked() {
		return
	}
	if coding := f.coding(); coding != nil {
		f.lastCoding.Store(coding)
	}
	if err := f.renewPipeline(); err != nil {
		f.station.log.Error("a feed's camera stays connected", "feed", f.Rules().Name, "error", err)
		return
	}
	d.part(errNotNeeded)
	d.part = nil
}

// coding is how the feed's camera sends, or sent when it was connected last; nil while that is
// not known.
func (f *Feed) coding() *media.VideoConfig {
	if p, err := f.present(); err == nil {
		if coding := p.Coding(); coding != nil {
			return coding
		}
	}
	return f.lastCoding.Load()
}

// opening says whether it will soon be known how the feed's camera sends.
func (f *Feed) opening() bool {
	s := f.Condition().State
	return s == StateConnecting || s == StateIdle
}

// available says whether there are pictures of the feed, or will be a moment after they are
// needed.
func (f *Feed) available() bool {
	switch f.Condition().State {
	case StateLive:
		return true
	case StateIdle, StateConnecting:
		return f.stored().WhileNeeded
	}
	return false
}

// woken waits until a feed that somebody needs is live, or something else has become of it, or
// it has taken too long.
func (f *Feed) woken(ctx context.Context) {
	ctx, cancel := context.WithTimeout(ctx, wakesWithin)
	defer cancel()
	w := f.station.Watch()
	defer w.Close()
	for !f.live() && f.available() {
		select {
		case <-ctx.Done():
			return
		case _, open := <-w.Changed:
			if !open {
				return
			}
		}
	}
}

// rest waits until somebody needs the camera. It says whether ctx goes on.
func (r *run) rest(ctx context.Context) bool {
	f := r.feed
	for f.stored().WhileNeeded && !f.demand.needed() {
		select {
		case <-ctx.Done():
			return false
		case <-f.demand.woken:
		}
	}
	if f.Condition().State == StateIdle {
		f.change(StateConnecting, nil, 0, time.Time{})
	}
	return ctx.Err() == nil
}

// parted has the feed be idle.
func (r *run) parted() {
	r.tries, r.last = 0, nil
	r.feed.meter.reset()
	r.feed.change(StateIdle, nil, 0, time.Time{})
}
