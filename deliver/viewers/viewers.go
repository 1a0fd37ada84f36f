// Package viewers knows who watches: those who ask again and again, as HLS players
// do, until they have not asked for a while; those whose answer goes on, as with
// Motion JPEG and WebRTC, until it ends. Each can be ended, and there are no more
// than the limits allow.
package viewers

import (
	"crypto/rand"
	"errors"
	"hash/maphash"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
)

const (
	defaultMost = 20000
	sweepEvery  = time.Second

	// banned is how long somebody who was ended is not let in again: players come
	// back by themselves.
	banned = time.Minute
)

// The refusals.
var (
	ErrFull     = errors.New("viewers: as many watch as there may be")
	ErrFeedFull = errors.New("viewers: as many watch this feed as there may be")
	ErrEnded    = errors.New("viewers: this viewer was ended by an engineer")
)

// Method is how somebody watches.
type Method string

// The methods.
const (
	HLS        Method = "hls"
	MotionJPEG Method = "motion-jpeg"
	WebRTC     Method = "webrtc"
)

// Config bounds the viewers.
type Config struct {
	Most      int // of all feeds; 0 means 20,000
	MostAFeed int // of each feed; 0 means as many as Most
}

// Viewer is one viewer in a list.
type Viewer struct {
	ID      string
	Feed    string
	Method  Method
	Address string
	Variant string // rendition or size that was asked for; empty for the camera's own
	Since   time.Time
	Numbers
}

// Numbers are what is measured of a viewer.
type Numbers struct {
	Bytes uint64
	Loss  float64 // share of packets, by the viewer's report; 0 where none is made

	Estimate float64 // bits a second that the viewer's line carries, by its report; 0 where none is made
	Now      string  // the rendition that is sent, where it may be another than asked for
}

// Counter knows the viewers of all feeds. It is safe for concurrent use.
type Counter struct {
	cfg  Config
	seed maphash.Seed

	mu    sync.Mutex
	seen  map[key]*Entry      // those who ask again and again; guarded by mu
	stay  map[*Entry]struct{} // those whose answer goes on; guarded by mu
	feeds map[string]int      // viewers of each feed; guarded by mu
	ended map[key]time.Time   // until when they are not let in; guarded by mu
	swept time.Time           // when the maps were gone through last; guarded by mu
}

type key struct {
	feed string
	who  uint64
}

// Entry is one viewer in the making.
type Entry struct {
	viewer  Viewer
	counter *Counter
	key     key
	until   time.Time      // of those who ask again and again; guarded by the counter's mu
	numbers func() Numbers // of those whose answer goes on
	end     func()
}

// New makes a counter.
func New(cfg Config) *Counter {
	if cfg.Most <= 0 {
		cfg.Most = defaultMost
	}
	if cfg.MostAFeed <= 0 {
		cfg.MostAFeed = cfg.Most
	}
	return &Counter{
		cfg: cfg, seed: maphash.MakeSeed(), seen: make(map[key]*Entry), stay: make(map[*Entry]struct{}), feeds: make(map[string]int), ended: make(map[key]time.Time),
	}
}

func host(r *http.Request) string {
	h, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return h
}

// keyOf tells viewers apart by address and browser: two alike behind one address
// are one.
func (c *Counter) keyOf(r *http.Request, feed string) key {
	return key{feed, maphash.String(c.seed, host(r)+"\n"+r.UserAgent())}
}

func newID() string { return strings.ToLower(rand.Text()[:10]) }

// roomLocked says why there is no room for one more.
func (c *Counter) roomLocked(feed string, now time.Time) error {
	if c.fullLocked(feed) == nil {
		return nil
	}
	if now.Sub(c.swept) >= sweepEvery {
		c.sweepLocked(now)
	}
	return c.fullLocked(feed)
}

func (c *Counter) fullLocked(feed string) error {
	switch {
	case len(c.seen)+len(c.stay) >= c.cfg.Most:
		return ErrFull
	case c.feeds[feed] >= c.cfg.MostAFeed:
		return ErrFeedFull
	}
	return nil
}

// Saw notes that the sender of a request watches a feed, until it has not
// asked again for stays. A viewer is an address and a browser: two alike behind
// one address count as one. The error says why it may not.
func (c *Counter) Saw(r *http.Request, feed, variant string, now time.Time, stays time.Duration) error {
	k := c.keyOf(r, feed)
	c.mu.Lock()
	defer c.mu.Unlock()
	if now.Before(c.ended[k]) {
		return ErrEnded
	}
	e := c.seen[k]
	if e == nil {
		if err := c.roomLocked(feed, now); err != nil {
			return err
		}
		e = &Entry{counter: c, viewer: Viewer{ID: newID(), Feed: feed, Method: HLS, Address: host(r), Since: now}}
		c.seen[k] = e
		c.feeds[feed]++
	}
	e.until, e.viewer.Variant = now.Add(stays), variant
	return nil
}

// Sent notes bytes that went to somebody whom Saw knows.
func (c *Counter) Sent(r *http.Request, feed string, n int64) {
	k := c.keyOf(r, feed)
	c.mu.Lock()
	defer c.mu.Unlock()
	if e := c.seen[k]; e != nil && n > 0 {
		e.viewer.Bytes += uint64(n)
	}
}

// Join notes somebody whose answer goes on until Leave; numbers is asked when
// somebody looks, and end ends it. The error says why it may not.
func (c *Counter) Join(r *http.Request, feed string, m Method, variant string, numbers func() Numbers, end func()) (*Entry, error) {
	now, k := time.Now(), c.keyOf(r, feed)
	c.mu.Lock()
	defer c.mu.Unlock()
	if now.Before(c.ended[k]) {
		return nil, ErrEnded
	}
	if err := c.roomLocked(feed, now); err != nil {
		return nil, err
	}
	e := &Entry{
		counter: c, key: k, numbers: numbers, end: end,
		viewer: Viewer{ID: newID(), Feed: feed, Method: m, Address: host(r), Variant: variant, Since: now},
	}
	c.stay[e] = struct{}{}
	c.feeds[feed]++
	return e, nil
}

// Leave notes that the answer has ended.
func (e *Entry) Leave() {
	e.counter.mu.Lock()
	defer e.counter.mu.Unlock()
	if _, ok := e.counter.stay[e]; ok {
		delete(e.counter.stay, e)
		e.counter.leftLocked(e.viewer.Feed)
	}
}

func (c *Counter) leftLocked(feed string) {
	if c.feeds[feed]--; c.feeds[feed] == 0 {
		delete(c.feeds, feed)
	}
}

func (c *Counter) sweepLocked(now time.Time) {
	c.swept = now
	for k, e := range c.seen {
		if now.After(e.until) {
			delete(c.seen, k)
			c.leftLocked(k.feed)
		}
	}
	for k, until := range c.ended {
		if now.After(until) {
			delete(c.ended, k)
		}
	}
}

// Counts returns how many watch each feed now.
func (c *Counter) Counts(now time.Time) map[string]int {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.sweepLocked(now)
	counts := make(map[string]int, len(c.feeds))
	for feed, n := range c.feeds {
		counts[feed] = n
	}
	return counts
}

// List returns those who watch now, the longest first; feed chooses one feed, and
// the empty name all.
func (c *Counter) List(feed string, now time.Time) []Viewer {
	c.mu.Lock()
	c.sweepLocked(now)
	var entries []*Entry
	list := []Viewer{}
	for _, e := range c.seen {
		if feed == "" || e.viewer.Feed == feed {
			list = append(list, e.viewer)
		}
	}
	for e := range c.stay {
		if feed == "" || e.viewer.Feed == feed {
			entries = append(entries, e)
		}
	}
	c.mu.Unlock()
	for _, e := range entries { // outside the lock: numbers may take others
		v := e.viewer
		v.Numbers = e.numbers()
		list = append(list, v)
	}
	slices.SortFunc(list, func(a, b Viewer) int { return a.Since.Compare(b.Since) })
	return list
}

// End ends a viewer; false means that there is none of that ID. It is not let in
// again for a minute, in whatever way it comes.
func (c *Counter) End(id string, now time.Time) bool {
	c.mu.Lock()
	for k, e := range c.seen {
		if e.viewer.ID == id {
			delete(c.seen, k)
			c.leftLocked(k.feed)
			c.ended[k] = now.Add(banned)
			c.mu.Unlock()
			return true
		}
	}
	for e := range c.stay {
		if e.viewer.ID == id {
			c.ended[e.key] = now.Add(banned)
			c.mu.Unlock()
			e.end()
			return true
		}
	}
	c.mu.Unlock()
	return false
}
