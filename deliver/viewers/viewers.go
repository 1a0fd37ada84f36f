// Package viewers counts who watches: those who ask again and again, as HLS
// players do, count until they have not asked for a while; those whose answer
// goes on, as with Motion JPEG, until it ends.
//
// Limits: 20,000 viewers are told apart; more are not counted.
package viewers

import (
	"hash/maphash"
	"maps"
	"net"
	"net/http"
	"sync"
	"time"
)

const (
	mostViewers = 20000
	sweepEvery  = time.Second
)

// Counter counts the viewers of all feeds. It is safe for concurrent use.
type Counter struct {
	seed maphash.Seed

	mu    sync.Mutex
	seen  map[key]time.Time // until when; guarded by mu
	stay  map[string]int    // whose answers go on; guarded by mu
	swept time.Time         // when the map was gone through last; guarded by mu
}

type key struct {
	feed string
	who  uint64
}

// New makes a counter.
func New() *Counter {
	return &Counter{seed: maphash.MakeSeed(), seen: make(map[key]time.Time), stay: make(map[string]int)}
}

// Saw notes that the sender of a request watches a feed, until it has not
// asked again for stays. A viewer is an address and a browser: two alike behind
// one address count as one.
func (c *Counter) Saw(r *http.Request, feed string, now time.Time, stays time.Duration) {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	k := key{feed, maphash.String(c.seed, host+"\n"+r.UserAgent())}
	c.mu.Lock()
	defer c.mu.Unlock()
	if _, known := c.seen[k]; !known && len(c.seen) >= mostViewers {
		if now.Sub(c.swept) >= sweepEvery {
			c.sweepLocked(now)
		}
		if len(c.seen) >= mostViewers {
			return
		}
	}
	c.seen[k] = now.Add(stays)
}

// Stays counts somebody whose answer goes on, until left is called.
func (c *Counter) Stays(feed string) (left func()) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.stay[feed]++
	return func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		if c.stay[feed]--; c.stay[feed] == 0 {
			delete(c.stay, feed)
		}
	}
}

func (c *Counter) sweepLocked(now time.Time) {
	c.swept = now
	for k, until := range c.seen {
		if now.After(until) {
			delete(c.seen, k)
		}
	}
}

// Counts returns how many watch each feed now.
func (c *Counter) Counts(now time.Time) map[string]int {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.sweepLocked(now)
	counts := maps.Clone(c.stay)
	for k := range c.seen {
		counts[k.feed]++
	}
	return counts
}
