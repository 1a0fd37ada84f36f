package api

import (
	"context"
	"sync"
	"time"

	"webostrum/core/fault"
)

// grant is something that goes on by an admission.
type grant struct {
	still func() bool
	end   func()
}

// grants are all that go on, looked through again whenever access may have been taken
// away, and once a minute for what ends by itself.
type grants struct {
	mu   sync.Mutex
	all  map[*grant]struct{} // guarded by mu
	kick chan struct{}
}

const lookThrough = time.Minute

func newGrants() *grants {
	return &grants{all: make(map[*grant]struct{}), kick: make(chan struct{}, 1)}
}

// hold registers what goes on until the returned function is called, and looks once more
// whether it still may: access that was taken away since it was given is not overlooked
// then, and what is taken away later ends it. still is asked whether it may go on; end ends
// it, and must not block. until is when it ends by itself; zero for never. The error is a
// fault, and nothing is held with it.
func (g *grants) hold(until time.Time, still func() bool, end func()) (done func(), err error) {
	done = g.add(until, &grant{still, end})
	if !still() {
		done()
		return nil, fault.New(fault.AccessTaken, nil, "")
	}
	return done, nil
}

func (g *grants) add(until time.Time, it *grant) (done func()) {
	g.mu.Lock()
	g.all[it] = struct{}{}
	g.mu.Unlock()
	stop := func() bool { return false }
	if !until.IsZero() {
		stop = time.AfterFunc(time.Until(until), g.changed).Stop
	}
	return func() {
		stop()
		g.mu.Lock()
		delete(g.all, it)
		g.mu.Unlock()
	}
}

// changed says that access may have been taken away from somebody.
func (g *grants) changed() {
	select {
	case g.kick <- struct{}{}:
	default:
	}
}

// run looks through the grants until ctx ends.
func (g *grants) run(ctx context.Context) {
	ticker := time.NewTicker(lookThrough)
	defer ticker.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-g.kick:
		case <-ticker.C:
		}
		g.mu.Lock()
		list := make([]*grant, 0, len(g.all))
		for it := range g.all {
			list = append(list, it)
		}
		g.mu.Unlock()
		for _, it := range list { // outside the lock: these look into the records
			if ctx.Err() != nil {
				return
			}
			if !it.still() {
				it.end()
			}
		}
	}
}
