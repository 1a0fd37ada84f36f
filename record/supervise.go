package record

import (
	"context"
	"time"

	"webostrum/core/recording"
	"webostrum/station"
	"webostrum/store"
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

// running is a recorder that runs.
type running struct {
	rec    *recorder
	every  time.Duration
	cancel context.CancelFunc
	ended  chan struct{}
}

// supervise begins and ends recorders as settings, timetables and people say.
func (l *Library) supervise(ctx context.Context) {
	all := make(map[string]*running)
	ticker := time.NewTicker(lookEvery)
	defer ticker.Stop()
	motion := newMotionWatch(l)
	defer motion.close()
	for {
		l.look(ctx, all, motion)
		select {
		case <-ctx.Done():
			l.endAll(all)
			return
		case <-ticker.C:
		}
	}
}

// look begins and ends recorders.
func (l *Library) look(ctx context.Context, all map[string]*running, motion *motionWatch) {
	now := time.Now()
	there := make(map[string]bool)
	for _, f := range l.cfg.Station.List() {
		name, settings := f.Rules().Name, f.Recording()
		there[name] = true
		why, from := l.reason(name, settings, now), time.Time{}
		if m := motion.look(f, settings, now); why == "" && m.active {
			why, from = WhyMotion, m.from
		}
		every := fileLength(settings)
		r := all[name]
		if r != nil && why != "" && r.every == every {
			r.rec.why.Store(&why) // it goes on; the next file has the new reason
			l.setState(name, true, why, now)
			continue
		}
		if r != nil {
			l.end(name, r)
			delete(all, name)
		}
		if why != "" {
			all[name] = l.start(ctx, f, why, from, every)
		}
	}
	motion.forget(there)
	for name, r := range all {
		if !there[name] {
			l.end(name, r)
			delete(all, name)
		}
	}
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

func (l *Library) start(ctx context.Context, f *station.Feed, why string, from time.Time, every time.Duration) *running {
	name := f.Rules().Name
	ctx, cancel := context.WithCancel(ctx)
	rec := &recorder{lib: l, feed: f, name: name, from: from, every: every}
	rec.why.Store(&why)
	r := &running{rec: rec, every: every, cancel: cancel, ended: make(chan struct{})}
	l.setState(name, true, why, time.Now())
	go func() { // end waits for it
		defer close(r.ended)
		rec.run(ctx)
	}()
	return r
}

func (l *Library) setState(name string, on bool, why string, now time.Time) {
	l.mu.Lock()
	s := l.stateLocked(name)
	changed := s.Recording != on || s.Why != why
	if changed {
		s.Recording, s.Why, s.Since = on, why, now
	}
	if !on {
		s.Problem = nil
	}
	l.mu.Unlock()
	if changed {
		l.cfg.Station.Changed()
	}
}

// end ends a recorder; one whose disk hangs is left behind, and its file is repaired at the
// next start.
func (l *Library) end(name string, r *running) { l.endAll(map[string]*running{name: r}) }

// endAll ends recorders at once.
func (l *Library) endAll(all map[string]*running) {
	for _, r := range all {
		r.cancel()
	}
	timer := time.NewTimer(endWithin)
	defer timer.Stop()
	late := false
	for name, r := range all {
		select {
		case <-r.ended:
		case <-timer.C:
			late = true
		}
		if late {
			l.cfg.Log.Error("a recording was not ended: its disk does not answer", "feed", name)
			timer.Reset(0)
		}
		l.setState(name, false, "", time.Now())
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
