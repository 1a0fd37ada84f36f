package station

import (
	"sync"
	"time"

	"webostrum/core/media"
)

// Point is one second of a feed.
type Point struct {
	At     time.Time
	Bits   float64 // bits in that second
	Frames float64 // pictures in that second
}

// historyPoints is five minutes.
const historyPoints = 300

// meter counts what comes in.
type meter struct {
	mu       sync.Mutex
	bytes    int64   // since the last point; guarded by mu
	frames   int64   // since the last point; guarded by mu
	points   []Point // oldest first; guarded by mu
	lastKey  int64   // PTS; guarded by mu
	epoch    *media.Epoch
	keyEvery time.Duration // guarded by mu
	last     time.Time     // of the last point; guarded by mu
	age      time.Duration // of pictures at their arrival, smoothed; guarded by mu
}

// ageWeight is how many pictures an age is the mean of.
const ageWeight = 32

func (m *meter) sample(s *media.Sample) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.bytes += int64(len(s.Data))
	m.frames++
	if age := time.Since(s.Captured); m.age == 0 {
		m.age = age
	} else {
		m.age += (age - m.age) / ageWeight
	}
	if s.Key {
		if s.Epoch == m.epoch {
			m.keyEvery = s.Track.Duration(s.PTS - m.lastKey)
		}
		m.epoch, m.lastKey = s.Epoch, s.PTS
	}
}

// tick ends a point.
func (m *meter) tick(now time.Time) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if secs := now.Sub(m.last).Seconds(); !m.last.IsZero() && secs > 0 {
		if len(m.points) == historyPoints {
			copy(m.points, m.points[1:])
			m.points = m.points[:historyPoints-1]
		}
		m.points = append(m.points, Point{now, float64(m.bytes) * 8 / secs, float64(m.frames) / secs})
	}
	m.last, m.bytes, m.frames = now, 0, 0
}

// arrival is how old pictures are when they come.
func (m *meter) arrival() time.Duration {
	m.mu.Lock()
	defer m.mu.Unlock()
	return max(m.age, 0)
}

// history returns the points, oldest first.
func (m *meter) history() []Point {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Point(nil), m.points...)
}

// rates averages the last few seconds, which evens out keyframes.
func (m *meter) rates() (bits, frames float64, keyEvery time.Duration) {
	const over = 4
	m.mu.Lock()
	defer m.mu.Unlock()
	recent := m.points[max(0, len(m.points)-over):]
	for _, p := range recent {
		bits += p.Bits / float64(len(recent))
		frames += p.Frames / float64(len(recent))
	}
	return bits, frames, m.keyEvery
}

func (m *meter) reset() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.points, m.bytes, m.frames, m.keyEvery, m.epoch, m.last = nil, 0, 0, 0, nil, time.Time{}
}
