package station

import (
	"context"
	"slices"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/turns"
)

// alike says whether all sources are coded in the same way, and can be passed through; without
// a worker there is no other way. known says that nothing more will be known in a moment.
func (t *turner) alike() (alike, known bool) {
	if t.run.feed.station.cfg.Codecs == "" {
		return true, true
	}
	var first *media.VideoConfig
	known = true
	for _, s := range t.list {
		f, err := t.run.feed.station.Get(s.Feed)
		if err != nil {
			continue
		}
		c := f.coding()
		switch {
		case c == nil:
			known = known && !f.opening()
		case first == nil:
			first = c
		case !first.Equal(c):
			return false, true
		}
	}
	return true, known
}

func (t *turner) available(name string) bool {
	if until, left := t.away[name]; left && time.Now().Before(until) {
		return false
	}
	f, err := t.run.feed.station.Get(name)
	return err == nil && f.available()
}

// call has a source be connected, if it is idle.
func (t *turner) call(name string) {
	if f, err := t.run.feed.station.Get(name); err == nil {
		f.touch()
	}
}

// awake says whether a source whose turn it is can be opened. One that was idle is waited for,
// for a while.
func (t *turner) awake(name string) bool {
	f, err := t.run.feed.station.Get(name)
	if err != nil || f.live() {
		t.awaited = turns.Turn{}
		return err == nil
	}
	if t.awaited.Feed != name {
		t.awaited = turns.Turn{Feed: name, Since: time.Now()}
	}
	if time.Since(t.awaited.Since) > wakesWithin {
		t.away[name], t.awaited = time.Now().Add(leftAlone), turns.Turn{}
	}
	f.touch()
	return false
}

// choose opens who is to be on next.
func (t *turner) choose(ctx context.Context) error {
	tf := &t.run.feed.turn
	tf.mu.Lock()
	present, held := tf.on, tf.held
	tf.mu.Unlock()
	t.leave()
	now := time.Now()
	starting := now.Sub(t.since) < startsWithin // sources may be about to come
	feed, skipped := turns.Next(t.list, present, held, t.available, now)
	if !starting {
		t.tellSkipped(skipped)
	}
	if feed == "" {
		return t.nobody(starting)
	}
	if soon, _ := turns.Next(t.list, present, held, t.available, now.Add(callsAhead)); soon != feed {
		t.call(soon)
	}
	if t.next != nil && feed == t.next.feed {
		return nil
	}
	t.next.close()
	t.next = nil
	if t.on != nil && feed == t.on.feed || t.on == nil && !t.decided() || !t.awake(feed) {
		return nil
	}
	a, err := t.open(ctx, feed)
	if err != nil {
		t.away[feed] = time.Now().Add(leftAlone)
		return nil
	}
	t.next = a
	return nil
}

// leave notes sources that have fallen silent, or never began.
func (t *turner) leave() {
	if t.on != nil && time.Since(t.on.last) > silentFor {
		t.away[t.on.feed] = time.Now().Add(leftAlone)
	}
	if t.next != nil && time.Since(t.next.opened) > keyWithin {
		t.away[t.next.feed] = time.Now().Add(leftAlone)
		t.next.close()
		t.next = nil
	}
}

// nobody says what becomes of the run when no source can be on.
func (t *turner) nobody(starting bool) error {
	if t.on == nil && starting || t.on != nil && time.Since(t.on.last) <= silentFor {
		return nil
	}
	return fault.New(fault.SourcesAway, nil, "%s", strings.Join(names(t.list), ", "))
}

// decided says whether it is known how the sources send, on which it depends how the first one
// is opened. Those of which nothing is known yet are connected for it.
func (t *turner) decided() bool {
	alike, known := t.alike()
	if !known && time.Since(t.since) < knownWithin {
		for _, s := range t.list {
			t.call(s.Feed)
		}
		return false
	}
	t.made = t.run.record.Combined.Always || !alike
	return true
}

func names(list []turns.Source) (out []string) {
	for _, s := range list {
		out = append(out, s.Feed)
	}
	return out
}

// tellSkipped tells once of a source that is passed over.
func (t *turner) tellSkipped(skipped []string) {
	tf := &t.run.feed.turn
	tf.mu.Lock()
	before := tf.skipped
	if len(skipped) > 0 {
		tf.skipped = skipped
	}
	tf.mu.Unlock()
	for _, s := range skipped {
		if !slices.Contains(before, s) {
			t.run.feed.note(EventWarning, s+" is passed over: it is not live")
		}
	}
}
