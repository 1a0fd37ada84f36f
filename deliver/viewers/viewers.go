// Package viewers knows who watches: those who ask again and again, as HLS players
// do, until they have not asked for a while; those whose answer goes on, as with
// Motion JPEG and WebRTC, until it ends. Each can be ended, and there are no more
// than the limits allow.
package viewers

import (
	"crypto/rand"
	"errors"
	"hash/maphash"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
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

	ErrLinkFull = errors.New("viewers: as many watch by this link as it lets in")

	ErrAddressFull = errors.New("viewers: as many watch from this address as may")

	ErrAllowance = errors.New("viewers: what may be sent this month is sent")
)

// Method is how somebody watches.
type Method string

// The methods.
const (
	HLS        Method = "hls"
	MotionJPEG Method = "motion-jpeg"
	WebRTC     Method = "webrtc"
	Fragments  Method = "fragments"
	RTSP       Method = "rtsp"
)

// Config bounds the viewers.
type Config struct {
	Most      int // of all feeds; 0 means 20,000
	MostAFeed int // of each feed; 0 means as many as Most

	// MostAnAddress bounds strangers of one address, or of one network of IPv6; 0 means
	// 200.
	MostAnAddress int
}

// Of all places a tenth is kept for those who were let in.
const keptShare = 10

// DefaultMostAnAddress is how many strangers of one address may watch when nothing
// else is set.
const DefaultMostAnAddress = 200

// Visitor is who asks to watch.
type Visitor struct {
	Feed    string
	Address string // shown to engineers
	Client  string // what is counted by: the address, or the network that it stands for
	Browser string // tells viewers of one client apart
	LetIn   bool   // has signed in or has a link
	By      string // what let the visitor in, for engineers

	Link       int64 // the link that let the visitor in; 0 for none
	MostByLink int   // that the link lets in; 0 for no limit of its own
}

// Viewer is one viewer in a list.
type Viewer struct {
	ID      string
	Feed    string
	Method  Method
	Address string
	By      string // what let the viewer in
	Variant string // rendition or size that was asked for; empty for the camera's own
	Since   time.Time
	Numbers
}

// Numbers are what is measured of a viewer.
type Numbers struct {
	Bytes uint64
	Loss  float64 // share of packets, by the viewer's report; 0 where none is made

	Estimate float64 // bits a second of bandwidth that the viewer has, by its report; 0 where none is made
	Now      string  // the rendition that is sent, where it may be another than asked for
}

// Counter knows the viewers of all feeds. It is safe for concurrent use.
type Counter struct {
	cfg  Config
	seed maphash.Seed

	closed atomic.Bool // no new strangers

	mu    sync.Mutex
	seen  map[key]*Entry      // those who ask again and again; guarded by mu
	stay  map[*Entry]struct{} // those whose answer goes on; guarded by mu
	feeds map[string]int      // viewers of each feed; guarded by mu
	links map[int64]int       // viewers by each link; guarded by mu
	from  map[string]int      // strangers of each client; guarded by mu
	ended map[key]time.Time   // until when they are not let in; guarded by mu
	takes takes               // guarded by mu
	swept time.Time           // when the maps were gone through last; guarded by mu
}

type key struct {
	feed string
	link int64
	who  uint64
}

// Entry is one viewer in the making.
type Entry struct {
	viewer  Viewer
	link    int64  // that let the viewer in; 0 for none
	from    string // client that is counted; empty for those who were let in
	counter *Counter
	key     key
	until   time.Time      // of those who ask again and again; guarded by the counter's mu
	numbers func() Numbers // of those whose answer goes on
	end     func()

	counted   uint64    // bytes that are in takes; guarded by the counter's mu
	countedAt time.Time // likewise
}

// New makes a counter.
func New(cfg Config) *Counter {
	if cfg.Most <= 0 {
		cfg.Most = defaultMost
	}
	if cfg.MostAFeed <= 0 {
		cfg.MostAFeed = cfg.Most
	}
	if cfg.MostAnAddress <= 0 {
		cfg.MostAnAddress = DefaultMostAnAddress
	}
	return &Counter{
		links: make(map[int64]int), from: make(map[string]int), cfg: cfg, seed: maphash.MakeSeed(), seen: make(map[key]*Entry), stay: make(map[*Entry]struct{}), feeds: make(map[string]int), ended: make(map[key]time.Time), takes: newTakes(),
	}
}

// Close lets no new viewers in but those who have signed in or have a link, or lets them in
// again.
func (c *Counter) Close(closed bool) { c.closed.Store(closed) }

// keyOf tells viewers apart by client and browser: two alike behind one address are
// one.
func (c *Counter) keyOf(v Visitor) key {
	return key{v.Feed, v.Link, maphash.String(c.seed, v.Client+"\n"+v.Browser)}
}

func newID() string { return strings.ToLower(rand.Text()[:10]) }

// roomLocked says why there is no room for one more.
func (c *Counter) roomLocked(v Visitor, now time.Time) error {
	if c.fullLocked(v) == nil {
		return nil
	}
	if now.Sub(c.swept) >= sweepEvery {
		c.sweepLocked(now)
	}
	return c.fullLocked(v)
}

func (c *Counter) fullLocked(v Visitor) error {
	most, mostAFeed := c.cfg.Most, c.cfg.MostAFeed
	if !v.LetIn {
		most, mostAFeed = most-most/keptShare, mostAFeed-mostAFeed/keptShare
	}
	switch {
	case c.closed.Load() && !v.LetIn:
		return ErrAllowance
	case len(c.seen)+len(c.stay) >= most:
		return ErrFull
	case c.feeds[v.Feed] >= mostAFeed:
		return ErrFeedFull
	case v.MostByLink > 0 && c.links[v.Link] >= v.MostByLink:
		return ErrLinkFull
	case !v.LetIn && c.from[v.Client] >= c.cfg.MostAnAddress:
		return ErrAddressFull
	}
	return nil
}

// newLocked makes an entry and counts it.
func (c *Counter) newLocked(v Visitor, m Method, now time.Time) *Entry {
	e := &Entry{counter: c, key: c.keyOf(v), viewer: Viewer{ID: newID(), Feed: v.Feed, Method: m, Address: v.Address, By: v.By, Since: now}, link: v.Link, countedAt: now}
	c.feeds[v.Feed]++
	if v.Link != 0 {
		c.links[v.Link]++
	}
	if !v.LetIn {
		e.from = v.Client
		c.from[e.from]++
	}
	c.takes.came(e)
	return e
}

// Saw notes that somebody watches a feed, until it has not asked again for stays. Two
// alike behind one address count as one. The error says why it may not.
func (c *Counter) Saw(v Visitor, variant string, now time.Time, stays time.Duration) error {
	k := c.keyOf(v)
	c.mu.Lock()
	defer c.mu.Unlock()
	if now.Before(c.ended[k]) {
		return ErrEnded
	}
	e := c.seen[k]
	if e == nil {
		if err := c.roomLocked(v, now); err != nil {
			return err
		}
		e = c.newLocked(v, HLS, now)
		c.seen[k] = e
	}
	e.until = now.Add(stays)
	if variant != "" {
		e.viewer.Variant = variant
	}
	return nil
}

// Sent notes bytes that went to somebody whom Saw knows.
func (c *Counter) Sent(v Visitor, n int64) {
	k := c.keyOf(v)
	c.mu.Lock()
	defer c.mu.Unlock()
	if e := c.seen[k]; e != nil && n > 0 {
		e.viewer.Bytes += uint64(n)
	}
}

// Join notes somebody whose answer goes on until Leave; numbers is asked when
// somebody looks, and end ends it. The error says why it may not.
func (c *Counter) Join(v Visitor, m Method, variant string, numbers func() Numbers, end func()) (*Entry, error) {
	now := time.Now()
	c.mu.Lock()
	defer c.mu.Unlock()
	if now.Before(c.ended[c.keyOf(v)]) {
		return nil, ErrEnded
	}
	if err := c.roomLocked(v, now); err != nil {
		return nil, err
	}
	e := c.newLocked(v, m, now)
	e.numbers, e.end, e.viewer.Variant = numbers, end, variant
	c.stay[e] = struct{}{}
	return e, nil
}

// Leave notes that the answer has ended.
func (e *Entry) Leave() {
	bytes, now := e.numbers().Bytes, time.Now() // outside the lock
	e.counter.mu.Lock()
	defer e.counter.mu.Unlock()
	if _, ok := e.counter.stay[e]; ok {
		delete(e.counter.stay, e)
		e.counter.takes.count(e, bytes, now)
		e.counter.leftLocked(e)
	}
}

func (c *Counter) leftLocked(e *Entry) {
	c.takes.left(e)
	less(c.feeds, e.viewer.Feed)
	if e.link != 0 {
		less(c.links, e.link)
	}
	if e.from != "" {
		less(c.from, e.from)
	}
}

func less[K comparable](counts map[K]int, key K) {
	if counts[key]--; counts[key] <= 0 {
		delete(counts, key)
	}
}

func (c *Counter) sweepLocked(now time.Time) {
	c.swept = now
	for k, e := range c.seen {
		if now.After(e.until) {
			delete(c.seen, k)
			c.takes.count(e, e.viewer.Bytes, e.until)
			c.leftLocked(e)
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
	return maps.Clone(c.feeds)
}

// ByLink returns how many watch by each link now.
func (c *Counter) ByLink(now time.Time) map[int64]int {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.sweepLocked(now)
	return maps.Clone(c.links)
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
			c.takes.count(e, e.viewer.Bytes, now)
			c.leftLocked(e)
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
