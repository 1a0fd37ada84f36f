package viewers

import "time"

// Taken is what viewers of a feed took by a method.
type Taken struct {
	Feed    string
	Method  Method
	Bytes   uint64
	Watched time.Duration // of all viewers together
	Most    int           // at once
}

type takenKey struct {
	feed   string
	method Method
}

// takes gathers what is taken until somebody asks.
type takes struct {
	sums map[takenKey]*Taken
	now  map[takenKey]int // viewers at present
}

func newTakes() takes {
	return takes{sums: make(map[takenKey]*Taken), now: make(map[takenKey]int)}
}

func (t *takes) of(e *Entry) *Taken {
	k := takenKey{e.viewer.Feed, e.viewer.Method}
	s := t.sums[k]
	if s == nil {
		s = &Taken{Feed: k.feed, Method: k.method, Most: t.now[k]}
		t.sums[k] = s
	}
	return s
}

func (t *takes) came(e *Entry) {
	k := takenKey{e.viewer.Feed, e.viewer.Method}
	t.now[k]++
	s := t.of(e)
	s.Most = max(s.Most, t.now[k])
}

func (t *takes) left(e *Entry) { less(t.now, takenKey{e.viewer.Feed, e.viewer.Method}) }

// count adds what an entry has taken since it was counted last.
func (t *takes) count(e *Entry, bytes uint64, now time.Time) {
	s := t.of(e)
	if bytes > e.counted {
		s.Bytes += bytes - e.counted
		e.counted = bytes
	}
	if d := now.Sub(e.countedAt); d > 0 {
		s.Watched += d
		e.countedAt = now
	}
}

// Take returns what was taken since it was asked last.
func (c *Counter) Take(now time.Time) []Taken {
	c.mu.Lock()
	c.sweepLocked(now)
	for _, e := range c.seen {
		c.takes.count(e, e.viewer.Bytes, now)
	}
	going := make([]*Entry, 0, len(c.stay))
	for e := range c.stay {
		going = append(going, e)
	}
	c.mu.Unlock()
	bytes := make([]uint64, len(going))
	for i, e := range going { // outside the lock: numbers may take others
		bytes[i] = e.numbers().Bytes
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	for i, e := range going {
		if _, ok := c.stay[e]; ok { // who has left was counted then
			c.takes.count(e, bytes[i], now)
		}
	}
	list := make([]Taken, 0, len(c.takes.sums))
	for k, s := range c.takes.sums {
		list = append(list, *s)
		delete(c.takes.sums, k)
	}
	for k, n := range c.takes.now { // who stays is there from the beginning of the next
		c.takes.sums[k] = &Taken{Feed: k.feed, Method: k.method, Most: n}
	}
	return list
}
