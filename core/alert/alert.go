// Package alert decides when somebody is told of what: what has to be told comes together
// for a while, so that one message tells of many things, and is held back in quiet times.
package alert

import (
	"slices"
	"strings"
	"time"
)

// Condition is something that is wrong now.
type Condition struct {
	Key    string // tells it from others
	Feed   string // empty for the service itself
	Text   string
	Remedy string
	Since  time.Time
}

// Message tells of what has begun and what is over.
type Message struct {
	At     time.Time
	Raised []Condition // that are wrong still
	Over   []Condition // that were told of, or were wrong meanwhile, and are not any more
	Open   int         // that are wrong, told of now or before
	More   int         // that were too many to be told of by name
	Quiet  bool        // it was held back in a quiet time
}

// Quiet is a time of day in which nobody is told of anything. Both empty is none.
type Quiet struct {
	From, To time.Duration // since midnight; To may be on the next day
	Zone     *time.Location
}

// Covers says whether a time is in it.
func (q Quiet) Covers(t time.Time) bool {
	if q.From == q.To {
		return false
	}
	zone := q.Zone
	if zone == nil {
		zone = time.UTC
	}
	t = t.In(zone)
	at := time.Duration(t.Hour())*time.Hour + time.Duration(t.Minute())*time.Minute + time.Duration(t.Second())*time.Second
	if q.From < q.To {
		return at >= q.From && at < q.To
	}
	return at >= q.From || at < q.To
}

// mostNamed bounds what one message tells by name, and what is kept.
const mostNamed = 500

// Engine keeps what is wrong, and what was told of. It is not safe for concurrent use.
type Engine struct {
	Together time.Duration // how long to wait for more, so that one message tells of many
	Quiet    Quiet

	open    map[string]Condition // wrong now
	told    map[string]bool      // of those, that were told of
	over    []Condition          // to be told
	more    int
	waiting time.Time // since when something is to be told; zero for nothing
	held    bool      // in a quiet time
}

// Step takes what is wrong now, and returns a message when it is time for one.
func (e *Engine) Step(now time.Time, wrong []Condition) *Message {
	if e.open == nil {
		e.open, e.told = make(map[string]Condition), make(map[string]bool)
	}
	e.take(now, wrong)
	if e.waiting.IsZero() {
		return nil
	}
	if e.Quiet.Covers(now) {
		e.held = true
		return nil
	}
	if since := now.Sub(e.waiting); since >= 0 && since < e.Together && !e.held {
		return nil
	}
	return e.message(now)
}

func (e *Engine) take(now time.Time, wrong []Condition) {
	seen := make(map[string]bool, len(wrong))
	extra := 0
	for _, c := range wrong {
		seen[c.Key] = true
		if _, ok := e.open[c.Key]; !ok {
			if len(e.open) >= mostNamed {
				extra++
				continue
			}
			e.wait(now)
		}
		e.open[c.Key] = c // its text may have changed
	}
	e.more = max(e.more, extra)
	for key, c := range e.open {
		if seen[key] {
			continue
		}
		delete(e.open, key)
		told := e.told[key]
		delete(e.told, key)
		// What came and went before anybody was told is told of only after a quiet time: else
		// nobody would ever know of it.
		if told || e.held {
			if len(e.over) < mostNamed {
				e.over = append(e.over, c)
			} else {
				e.more++
			}
			e.wait(now)
		}
	}
}

func (e *Engine) wait(now time.Time) {
	if e.waiting.IsZero() {
		e.waiting = now
	}
}

func (e *Engine) message(now time.Time) *Message {
	m := &Message{At: now, Over: e.over, Open: len(e.open), More: e.more, Quiet: e.held}
	for key, c := range e.open {
		if !e.told[key] {
			e.told[key] = true
			m.Raised = append(m.Raised, c)
		}
	}
	byKey := func(a, b Condition) int { return strings.Compare(a.Key, b.Key) }
	slices.SortFunc(m.Raised, byKey)
	slices.SortFunc(m.Over, byKey)
	e.over, e.more, e.waiting, e.held = nil, 0, time.Time{}, false
	if len(m.Raised)+len(m.Over)+m.More == 0 {
		return nil // it came and went
	}
	return m
}
