package api

import (
	"net/http"
	"strconv"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/deliver/problem"
)

const (
	freeTries    = 3 // of an address
	longestBlock = time.Minute
	forgetAfter  = 15 * time.Minute
	mostTracked  = 4096

	// An account that is being guessed at from many addresses is tried for clients that
	// have never signed in to it this often. Its owner's clients are not slowed down.
	freeAccountTries = 10
	accountEvery     = 5 * time.Second
)

// throttle slows down whoever fails to sign in. A try counts as failed from when it is
// reserved, so that many at once are no way around it; one that was right takes only
// itself back.
type throttle struct {
	mu        sync.Mutex
	addresses map[string]*failing // guarded by mu
	accounts  map[string]*failing // guarded by mu
}

// failing is what is known of an address or an account.
type failing struct {
	count int // tries that failed or are not judged yet
	last  time.Time
	until time.Time // no try is looked at before
}

// reserve makes room for a try, or says how long to wait. known is a client that has
// signed in to the account before. settle must be called with what came of it.
func (t *throttle) reserve(address, account string, known bool, now time.Time) (settle func(right bool), wait time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	from := t.entryLocked(&t.addresses, address, now)
	on := t.entryLocked(&t.accounts, account, now)
	wait = max(from.until.Sub(now), 0)
	if !known {
		wait = max(wait, on.until.Sub(now))
	}
	if wait > 0 {
		return nil, wait
	}
	from.count++
	from.last = now
	if from.count > freeTries {
		from.until = now.Add(min(time.Second<<min(from.count-freeTries, 10), longestBlock))
	}
	if !known {
		on.count++
		on.last = now
		if on.count > freeAccountTries {
			on.until = now.Add(accountEvery)
		}
	}
	return func(right bool) {
		if !right {
			return
		}
		t.mu.Lock()
		defer t.mu.Unlock()
		from.takeBack(freeTries)
		if !known {
			on.takeBack(freeAccountTries)
		}
	}, 0
}

// takeBack forgets one try.
func (f *failing) takeBack(free int) {
	if f.count = max(f.count-1, 0); f.count <= free {
		f.until = time.Time{}
	}
}

// entryLocked finds or makes an entry; one that was quiet for long begins anew.
func (t *throttle) entryLocked(entries *map[string]*failing, key string, now time.Time) *failing {
	if *entries == nil {
		*entries = make(map[string]*failing)
	}
	f := (*entries)[key]
	if f == nil {
		if len(*entries) >= mostTracked {
			sweep(*entries, now)
		}
		f = &failing{}
		(*entries)[key] = f
	}
	if now.Sub(f.last) > forgetAfter {
		f.count, f.until = 0, time.Time{}
	}
	return f
}

// sweep forgets who has been quiet, and those that were quiet for longest when that is
// not enough.
func sweep(entries map[string]*failing, now time.Time) {
	var oldest string
	for k, f := range entries {
		if now.Sub(f.last) > forgetAfter {
			delete(entries, k)
		} else if o := entries[oldest]; o == nil || f.last.Before(o.last) {
			oldest = k
		}
	}
	if len(entries) >= mostTracked {
		delete(entries, oldest)
	}
}

// tooOften is the refusal of a try.
func tooOften(wait time.Duration) (http.Header, error) {
	secs := strconv.Itoa(int(wait.Seconds()) + 1)
	return http.Header{"Retry-After": {secs}}, problem.Of(fault.New(fault.SignInTooOften, nil, "the next try is looked at in %s s", secs))
}

// checks bounds the passwords that are checked at once: each costs a quarter of a second
// of a core. Clients that are known have a place of their own.
type checks struct {
	known, others chan struct{}
	waiting       chan struct{}
}

const mostWaiting = 8

func newChecks() checks {
	return checks{known: make(chan struct{}, 1), others: make(chan struct{}, 1), waiting: make(chan struct{}, mostWaiting)}
}

// begin waits for a place; the error says that too many wait already.
func (c checks) begin(r interface{ Done() <-chan struct{} }, known bool) (end func(), err error) {
	place := c.others
	if known {
		place = c.known
	} else {
		select {
		case c.waiting <- struct{}{}:
			defer func() { <-c.waiting }()
		default:
			return nil, fault.New(fault.SignInBusy, nil, "")
		}
	}
	select {
	case place <- struct{}{}:
		return func() { <-place }, nil
	case <-r.Done():
		return nil, fault.New(fault.SignInBusy, nil, "")
	}
}
