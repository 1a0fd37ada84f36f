package hls

import (
	"slices"
	"sync"
	"time"

	"webostrum/core/media"
)

const (
	// A step of the timeline longer than this, and than so many times the longest of
	// those just before it, is a gap: frames were lost, or the camera paused.
	leastGap  = 800 * time.Millisecond
	gapFactor = 3
	gapMemory = 8 // steps that are looked back on

	cutsKept = 512
	never    = int64(1) << 62
)

// Cut is where a segment begins in every track of a presentation.
type Cut struct {
	Sequence  uint64       // media sequence number
	Breaks    uint64       // discontinuities so far, this one included
	Broke     bool         // there is one here
	Origin    Origin       // where the stretch of the timeline began
	Epoch     *media.Epoch // the camera's
	PTS       int64        // of the first frame, ticks of the video's clock
	Begins    time.Time    // when that frame was taken
	openEnded int64        // where the timeline breaks off after it; never when it goes on
}

// Origin is where a stretch of the timeline without a break began.
type Origin struct {
	PTS    int64 // ticks of the video's clock
	Begins time.Time
}

// With says whether the segment begins with a frame of the camera's.
func (c Cut) With(s *media.Sample) bool { return s.Key && s.Epoch == c.Epoch && s.PTS == c.PTS }

// Cuts decides where segments begin: with H.264 at the first keyframe at the wanted
// length, with JPEG, where every frame is one, as often as is wanted. It is safe for
// concurrent use, but samples come from one goroutine.
type Cuts struct {
	wanted time.Duration

	mu     sync.Mutex
	list   []Cut         // oldest first; guarded by mu
	next   uint64        // sequence of the next; guarded by mu
	breaks uint64        // guarded by mu
	origin Origin        // of the present stretch; guarded by mu
	broken bool          // the next begins with a discontinuity; guarded by mu
	last   *media.Sample // guarded by mu
	recent []int64       // steps; guarded by mu
}

func newCuts(wanted time.Duration, start time.Time) *Cuts {
	// Segments are half a second or longer, so numbers go on growing over restarts.
	return &Cuts{wanted: wanted, next: 2 * uint64(max(start.Unix(), 0)), broken: true}
}

// Observe takes the camera's next frame in decoding order.
func (c *Cuts) Observe(s *media.Sample) {
	c.mu.Lock()
	defer c.mu.Unlock()
	defer func() { c.last = s }()
	if c.last == nil || s.Epoch != c.last.Epoch {
		c.breakLocked()
		c.recent = c.recent[:0]
	} else {
		step := s.DTS - c.last.DTS
		if c.gapLocked(s.Track, step) {
			c.breakLocked()
		} else {
			c.recent = append(c.recent[max(0, len(c.recent)-gapMemory+1):], step)
		}
	}
	switch {
	case s.Track.Codec.Intra() && !c.broken:
		c.extendLocked(s.PTS)
	case s.Key && (c.broken || c.longEnoughLocked(s)):
		c.addLocked(s.Epoch, s.PTS, s.Captured)
	}
}

func (c *Cuts) longEnoughLocked(s *media.Sample) bool {
	ticks := s.PTS - c.list[len(c.list)-1].PTS
	half := int64(0)
	if n := len(c.recent); n > 0 {
		half = c.recent[n-1] / 2
	}
	return ticks+half >= s.Track.Ticks(c.wanted)
}

func (c *Cuts) gapLocked(t *media.Track, step int64) bool {
	if len(c.recent) < gapMemory || step <= t.Ticks(leastGap) {
		return false // what is known of the pace is too little to tell
	}
	return step > gapFactor*slices.Max(c.recent)
}

// breakLocked ends the segment in the making behind the newest frame.
func (c *Cuts) breakLocked() {
	c.broken = true
	if n := len(c.list); n > 0 && c.last != nil && c.list[n-1].Epoch == c.last.Epoch && c.list[n-1].openEnded == never {
		c.list[n-1].openEnded = max(c.last.PTS, c.last.DTS) + c.last.Track.Ticks(leastGap/2)
	}
}

func (c *Cuts) addLocked(e *media.Epoch, pts int64, begins time.Time) {
	broke := c.broken
	if c.broken = false; broke {
		c.breaks++
		c.origin = Origin{pts, begins}
	}
	if len(c.list) >= cutsKept {
		c.list = slices.Delete(c.list, 0, cutsKept/2)
	}
	c.list = append(c.list, Cut{Sequence: c.next, Breaks: c.breaks, Broke: broke, Origin: c.origin, Epoch: e, PTS: pts, Begins: begins, openEnded: never})
	c.next++
}

// extendLocked adds the cuts of a stream of keyframes alone up to a frame.
func (c *Cuts) extendLocked(pts int64) {
	last := c.list[len(c.list)-1]
	step := last.Epoch.Video().Ticks(c.wanted)
	if missing := (pts - last.PTS) / step; missing > cutsKept/2 {
		skip := missing - cutsKept/2
		last.PTS += skip * step
		last.Begins = last.Begins.Add(time.Duration(skip) * c.wanted)
		c.next += uint64(skip)
	}
	for last.PTS+step <= pts && last.openEnded == never {
		last.PTS, last.Begins = last.PTS+step, last.Begins.Add(c.wanted)
		c.addLocked(last.Epoch, last.PTS, last.Begins)
	}
}

// Break says that the camera has stopped sending.
func (c *Cuts) Break() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.breakLocked()
}

// Discontinue has the next segment begin with a discontinuity: something is coded in
// another way from there on.
func (c *Cuts) Discontinue() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.list) > 0 {
		c.broken = true
	}
}

// At returns the segment that a place on the camera's timeline falls into. ok is false
// where there is none: before the first, and where the timeline has broken off.
func (c *Cuts) At(e *media.Epoch, pts int64) (cut Cut, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if n := len(c.list); n > 0 && c.list[n-1].Epoch == e && e.Video().Codec.Intra() && !c.broken {
		c.extendLocked(pts)
	}
	for i := len(c.list) - 1; i >= 0; i-- {
		if cut := c.list[i]; cut.Epoch == e && cut.PTS <= pts {
			return cut, pts < cut.openEnded
		}
	}
	return Cut{}, false
}

// ended says whether a segment ends before a place on the timeline because that breaks
// off there.
func (c *Cuts) ended(sequence uint64, pts int64) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	for i := len(c.list) - 1; i >= 0; i-- {
		if c.list[i].Sequence == sequence {
			return pts >= c.list[i].openEnded
		}
	}
	return true
}

// Newest returns the segment that is being made now; ok is false before the first.
func (c *Cuts) Newest() (cut Cut, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if n := len(c.list); n > 0 {
		return c.list[n-1], true
	}
	return Cut{}, false
}

// Beginning returns the segment that a track begins with that is begun now: one so much
// before the newest that players have something to begin with, or the oldest in the same
// stretch of the timeline.
func (c *Cuts) Beginning() (cut Cut, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	n := len(c.list)
	if n == 0 {
		return Cut{}, false
	}
	i := n - 1
	for back := enough; back > 0 && i > 0 && c.list[i-1].Breaks == c.list[n-1].Breaks; back-- {
		i--
	}
	return c.list[i], true
}
