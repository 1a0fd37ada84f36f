package record

import (
	"context"
	"fmt"
	"sync"
	"time"

	"webostrum/barrier"
	"webostrum/core/jpeg"
	"webostrum/core/motion"
	"webostrum/core/rendition"
	"webostrum/station"
	"webostrum/station/pipeline"
	"webostrum/store"
	"webostrum/wait"
)

const (
	motionWidth   = 160
	motionRate    = 4 // fps
	usualThresh   = 1.0
	usualBefore   = 3
	usualAfter    = 10
	motionHistory = 4 * 120 // two minutes
	watchedFor    = 15 * time.Second
	mostPixels    = 1 << 20
)

// Motion is how much of a feed's picture changed at a time, per cent.
type Motion struct {
	At      time.Time
	Changed float64
}

// watched is one feed whose picture is measured.
type watched struct {
	feed   *station.Feed
	cancel context.CancelFunc
	ended  chan struct{}

	mu      sync.Mutex
	mask    motion.Mask    // guarded by mu
	history []Motion       // guarded by mu
	newest  motion.Measure // guarded by mu
	asked   time.Time      // when somebody looked last; guarded by mu
	until   time.Time      // of the recording; guarded by mu
	from    time.Time      // its beginning; guarded by mu
	problem string         // guarded by mu
}

// motionWatch measures the feeds that are recorded on motion, or whose measure somebody looks
// at.
type motionWatch struct {
	lib *Library
}

func newMotionWatch(l *Library) *motionWatch { return &motionWatch{l} }

// seen says whether a feed is to be recorded because of motion.
type seen struct {
	active bool
	from   time.Time
}

// Threshold is how much of a picture has to change, per cent.
func Threshold(s store.Recording) float64 {
	if s.Threshold == 0 {
		return usualThresh
	}
	return s.Threshold
}

func orUsual(seconds, usual int) time.Duration {
	if seconds == 0 {
		seconds = usual
	}
	return time.Duration(seconds) * time.Second
}

// look begins and ends measuring a feed, and says whether it is to be recorded.
func (m *motionWatch) look(f *station.Feed, s store.Recording, now time.Time) seen {
	l, name := m.lib, f.Rules().Name
	l.mu.Lock()
	w := l.motion[name]
	l.mu.Unlock()
	wanted := s.Mode == WhyMotion
	if w != nil {
		w.mu.Lock()
		wanted = wanted || now.Sub(w.asked) < watchedFor
		w.mu.Unlock()
	}
	if w != nil && w.cancel != nil && w.feed != f { // another feed has its name now
		m.end(name, w)
		w = nil
	}
	switch {
	case wanted && (w == nil || w.cancel == nil):
		w = l.measured(name)
		m.begin(w, f)
	case !wanted && w != nil:
		m.end(name, w)
		return seen{}
	case !wanted:
		return seen{}
	}
	mask, _ := motion.ParseMask(s.Mask)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.mask = mask
	if s.Mode != WhyMotion {
		return seen{}
	}
	return seen{now.Before(w.until), w.from}
}

// measured returns what is known of a feed's motion; measuring begins with the next look.
func (l *Library) measured(name string) *watched {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := l.motion[name]
	if w == nil {
		w = &watched{}
		l.motion[name] = w
	}
	return w
}

func (m *motionWatch) begin(w *watched, f *station.Feed) {
	ctx, cancel := context.WithCancel(context.Background())
	w.feed, w.cancel, w.ended = f, cancel, make(chan struct{})
	go func() { // end waits for it
		defer close(w.ended)
		for ctx.Err() == nil {
			err := barrier.Do(func() error { return m.measure(ctx, w, f) })
			w.mu.Lock()
			if w.problem = ""; err != nil && ctx.Err() == nil {
				w.problem = err.Error()
			}
			w.mu.Unlock()
			wait.For(ctx, retryEvery)
		}
	}()
}

func (m *motionWatch) end(name string, w *watched) {
	m.lib.mu.Lock()
	delete(m.lib.motion, name)
	m.lib.mu.Unlock()
	if w.cancel != nil {
		w.cancel()
		<-w.ended
	}
}

// forget ends measuring feeds that are gone.
func (m *motionWatch) forget(there map[string]bool) {
	m.lib.mu.Lock()
	gone := make(map[string]*watched)
	for name, w := range m.lib.motion {
		if !there[name] {
			gone[name] = w
		}
	}
	m.lib.mu.Unlock()
	for name, w := range gone {
		m.end(name, w)
	}
}

func (m *motionWatch) close() { m.forget(nil) }

// measure measures a feed's picture until it ends.
func (m *motionWatch) measure(ctx context.Context, w *watched, f *station.Feed) error {
	j, err := f.JPEG(ctx, pipeline.JPEGRequest{Size: rendition.Size{Width: motionWidth}, FrameRate: motionRate})
	if err != nil {
		return err
	}
	defer j.Release()
	reader := j.Hub.NewReader()
	defer reader.Close()
	detector := &motion.Detector{}
	var last time.Time
	for {
		s, _, err := reader.Newest(ctx)
		if err != nil {
			return nil
		}
		if gap := s.Captured.Sub(last); gap >= 0 && gap < time.Second/motionRate/2 {
			continue // a camera of JPEG may send more than is asked for
		}
		last = s.Captured
		grey, err := jpeg.Pixels(s.Data, mostPixels)
		if err != nil {
			return err
		}
		w.mu.Lock()
		detector.Mask = w.mask
		w.mu.Unlock()
		measure := detector.Next(grey.Y, grey.Rect.Dx(), grey.Rect.Dy(), grey.YStride)
		m.take(w, f, measure, s.Captured)
	}
}

// take notes a measure, and begins or goes on with a recording.
func (m *motionWatch) take(w *watched, f *station.Feed, x motion.Measure, at time.Time) {
	s, name := f.Recording(), f.Rules().Name
	w.mu.Lock()
	w.newest = x
	if len(w.history) >= motionHistory {
		w.history = append(w.history[:0], w.history[len(w.history)-motionHistory/2:]...)
	}
	w.history = append(w.history, Motion{at, x.Changed})
	now := time.Now()
	moves := s.Mode == WhyMotion && x.Changed >= Threshold(s)
	begins := moves && now.After(w.until)
	if begins {
		w.from = at.Add(-orUsual(s.Before, usualBefore))
	}
	if moves {
		w.until = now.Add(orUsual(s.After, usualAfter))
	}
	w.mu.Unlock()
	if begins {
		m.lib.cfg.Station.By("", "").Note(name, station.EventMotion, fmt.Sprintf("something moves: %.1f %% of the picture changed", x.Changed))
	}
}

// Motion returns how much of a feed's picture changed lately, and the newest measure of each
// cell. Looking at it has it measured for some seconds, whether the feed is recorded on motion
// or not.
func (l *Library) Motion(feed string) (history []Motion, cells [motion.Rows][motion.Columns]float64, problem string) {
	w := l.measured(feed)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.asked = time.Now()
	return append([]Motion(nil), w.history...), w.newest.Cells, w.problem
}
