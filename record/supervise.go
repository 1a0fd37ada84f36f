package record

import (
	"context"
	"time"

	"webostrum/core/recording"
	"webostrum/station"
	"webostrum/store"
	"webostrum/tend"
	"webostrum/wait"
)

const (
	lookEvery    = 500 * time.Millisecond
	endWithin    = 3 * time.Second // for a disk that hangs
	usualMinutes = 10
)

// The reasons for which a feed is recorded.
const (
	WhyAlways    = "always"
	WhyTimetable = "timetable"
	WhyHand      = "hand"
	WhyMotion    = "motion"
)

// recorded is a feed that is recorded, and how.
type recorded struct {
	feed  *station.Feed
	every time.Duration
	from  time.Time // as far back as there is something, when it begins
}

// supervise has feeds be recorded as settings, timetables and people say.
func (l *Library) supervise(ctx context.Context) {
	set := tend.Set[string, recorded]{
		Tend: l.record, Patience: endWithin,
		Same: func(before, now recorded) bool { return before.feed == now.feed && before.every == now.every },
	}
	defer func() {
		for _, name := range set.Close() {
			l.cfg.Log.Error("a recording was not ended: its disk does not answer; it is repaired at the next start", "feed", name)
		}
		l.rest(nil)
	}()
	motion := newMotionWatch(l)
	defer motion.close()
	for {
		wanted := l.look(motion)
		set.Want(ctx, wanted)
		l.rest(wanted)
		if !wait.For(ctx, lookEvery) {
			return
		}
	}
}

// look says which feeds are to be recorded now, and notes why.
func (l *Library) look(motion *motionWatch) map[string]recorded {
	now := time.Now()
	wanted, there := make(map[string]recorded), make(map[string]bool)
	for _, f := range l.cfg.Station.List() {
		name, settings := f.Rules().Name, f.Recording()
		there[name] = true
		why, from := l.reason(name, settings, now), time.Time{}
		if m := motion.look(f, settings, now); why == "" && m.active {
			why, from = WhyMotion, m.from
		}
		if why != "" {
			l.setState(name, why, now) // the next file has the new reason
			wanted[name] = recorded{f, fileLength(settings), from}
		}
	}
	motion.forget(there)
	return wanted
}

// rest notes that all others are not recorded.
func (l *Library) rest(wanted map[string]recorded) {
	l.mu.Lock()
	var others []string
	for name, s := range l.state {
		if _, is := wanted[name]; s.Recording && !is {
			others = append(others, name)
		}
	}
	l.mu.Unlock()
	for _, name := range others {
		l.setState(name, "", time.Now())
	}
}

// record records a feed until ctx ends.
func (l *Library) record(ctx context.Context, name string, r recorded) {
	rec := &recorder{lib: l, feed: r.feed, name: name, from: r.from, every: r.every}
	rec.run(ctx)
}

// reason is why a feed is to be recorded now, motion aside; empty for not.
func (l *Library) reason(feed string, s store.Recording, now time.Time) string {
	l.mu.Lock()
	until, byHand := l.hand[feed]
	if byHand && !until.IsZero() && now.After(until) {
		delete(l.hand, feed)
		byHand = false
	}
	l.mu.Unlock()
	switch {
	case s.Mode == WhyAlways:
		return WhyAlways
	case byHand:
		return WhyHand
	case s.Mode == WhyTimetable && inTimetable(s, now):
		return WhyTimetable
	}
	return ""
}

func inTimetable(s store.Recording, now time.Time) bool {
	t, err := recording.ParseTimetable(s.Timetable)
	if err != nil {
		return false // the API refuses such settings
	}
	if s.Zone != "" {
		if zone, err := time.LoadLocation(s.Zone); err == nil {
			now = now.In(zone)
		}
	}
	return t.At(now)
}

func fileLength(s store.Recording) time.Duration {
	if s.Minutes == 0 {
		return usualMinutes * time.Minute
	}
	return time.Duration(s.Minutes) * time.Minute
}

// setState notes why a feed is recorded; empty for not.
func (l *Library) setState(name, why string, now time.Time) {
	l.mu.Lock()
	s := l.stateLocked(name)
	changed := s.Why != why
	if changed {
		s.Recording, s.Why, s.Since = why != "", why, now
	}
	if why == "" {
		s.Problem = nil
	}
	l.mu.Unlock()
	if changed {
		l.cfg.Station.Changed()
	}
}

// Begin has a feed recorded, for a time or, with zero, until it is stopped.
func (l *Library) Begin(feed string, length time.Duration) {
	l.mu.Lock()
	defer l.mu.Unlock()
	until := time.Time{}
	if length > 0 {
		until = time.Now().Add(length)
	}
	l.hand[feed] = until
	l.stateLocked(feed).Until = until
}

// Stop ends what Begin began.
func (l *Library) Stop(feed string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.hand, feed)
	l.stateLocked(feed).Until = time.Time{}
}
