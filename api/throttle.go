package api

import (
	"sync"
	"time"
)

const (
	freeTries    = 3
	longestBlock = time.Minute
	forgetAfter  = 15 * time.Minute
	mostTracked  = 4096
	mostChecks   = 2 // passwords that are checked at once
)

// throttle slows down whoever fails to sign in: after three failures each
// further one doubles the time until the next try is looked at.
type throttle struct {
	mu    sync.Mutex
	fails map[string]failing // guarded by mu
}

type failing struct {
	count int
	last  time.Time
	until time.Time
}

// wait returns how long the key has to wait; zero when it may try.
func (t *throttle) wait(key string, now time.Time) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	return max(t.fails[key].until.Sub(now), 0)
}

func (t *throttle) failed(key string, now time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.fails == nil {
		t.fails = make(map[string]failing)
	}
	if len(t.fails) >= mostTracked {
		t.sweepLocked(now)
	}
	f := t.fails[key]
	if now.Sub(f.last) > forgetAfter {
		f = failing{}
	}
	f.count++
	f.last = now
	if f.count > freeTries {
		f.until = now.Add(min(time.Second<<min(f.count-freeTries, 10), longestBlock))
	}
	t.fails[key] = f
}

// sweepLocked forgets who has been quiet, and everybody when that is not enough.
func (t *throttle) sweepLocked(now time.Time) {
	for k, f := range t.fails {
		if now.Sub(f.last) > forgetAfter {
			delete(t.fails, k)
		}
	}
	if len(t.fails) >= mostTracked {
		clear(t.fails)
	}
}

func (t *throttle) succeeded(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.fails, key)
}
