package access

import (
	"slices"
	"strings"
	"sync"
	"time"
)

const (
	freeTries    = 3 // of an address
	longestBlock = time.Minute
	forgetAfter  = 15 * time.Minute
	mostTracked  = 4096
	longestKey   = 128 // bytes kept of an address or a name; a stranger chooses how long names are

	// An account that is being guessed at from many addresses is tried for clients that
	// have never signed in to it this often. Its owner's clients are not slowed down.
	freeAccountTries = 10
	accountEvery     = 5 * time.Second
)

// Throttle slows down whoever fails to sign in. A try counts as failed from when it is
// reserved, so that many at once are no way around it; one that was right takes only
// itself back. The zero value is ready; it is safe for concurrent use.
type Throttle struct {
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

// Reserve makes room for a try, or says how long to wait. known is a client that has
// signed in to the account before. settle must be called with what came of it.
func (t *Throttle) Reserve(address, account string, known bool, now time.Time) (settle func(right bool), wait time.Duration) {
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
func (t *Throttle) entryLocked(entries *map[string]*failing, key string, now time.Time) *failing {
	if *entries == nil {
		*entries = make(map[string]*failing)
	}
	key = key[:min(len(key), longestKey)]
	f := (*entries)[key]
	if f == nil {
		if len(*entries) >= mostTracked {
			sweep(*entries, now)
		}
		f = &failing{}
		(*entries)[strings.Clone(key)] = f // not the whole header that it was cut out of
	}
	if now.Sub(f.last) > forgetAfter {
		f.count, f.until = 0, time.Time{}
	}
	return f
}

// sweep forgets who has been quiet, and those that were quiet for longest when that is
// not enough: some at a time, so that it is not done for each that comes.
func sweep(entries map[string]*failing, now time.Time) {
	times := make([]time.Time, 0, len(entries))
	for k, f := range entries {
		if now.Sub(f.last) > forgetAfter {
			delete(entries, k)
			continue
		}
		times = append(times, f.last)
	}
	if len(entries) < mostTracked {
		return
	}
	slices.SortFunc(times, time.Time.Compare)
	const share = 16 // of all that go
	for k, f := range entries {
		if !f.last.After(times[len(times)/share]) {
			delete(entries, k)
		}
	}
}
