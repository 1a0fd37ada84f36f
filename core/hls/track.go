package hls

import (
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/core/aac"
	"webostrum/core/fmp4"
	"webostrum/core/media"
)

// Track makes the segments of one rendition, or of the audio. Writing and breaking is
// for one goroutine; everything else is safe for all.
type Track struct {
	presentation *Presentation
	name         string
	id           string // what its names begin with

	inits   int
	init    *initSection // for the next segment
	chunks  uint32       // so far
	video   videoLine
	pending *Segment // the segment in the making, as t.open

	mu       sync.Mutex
	segments []*Segment              // finished; listed ones last; those before are kept for slow viewers. Guarded by mu.
	open     *Segment                // in the making; nil when there is none. Guarded by mu.
	first    uint64                  // sequence of the first listed segment; never goes back. Guarded by mu.
	target   int                     // EXT-X-TARGETDURATION, seconds. Guarded by mu.
	part     time.Duration           // PART-TARGET. Guarded by mu.
	step     int64                   // usual length of a sample, ticks. Guarded by mu.
	ready    chan struct{}           // closed while there are segments. Guarded by mu.
	rates    rates                   // guarded by mu
	waiting  map[place]chan struct{} // closed when the place is there. Guarded by mu.
	begun    chan struct{}           // closed when a part begins, or none does any more; nil when nobody waits. Guarded by mu.
	ended    bool                    // guarded by mu
	version  atomic.Uint64           // of what a list says
	lists    [2]atomic.Pointer[list] // as rendered last: whole, and without what players know
	writing  sync.Mutex              // one renders
}

func newTrack(p *Presentation, name, id string) *Track {
	return &Track{presentation: p, name: name, id: id, ready: make(chan struct{}), waiting: make(map[place]chan struct{}), target: wholeSeconds(p.cfg.Wanted)}
}

func (t *Track) lowLatency() bool { return t.presentation.cfg.Part > 0 }

// newInit makes the initialisation section of what comes next.
func (t *Track) newInit(track *media.Track) error {
	data, err := fmp4.Init([]*media.Track{track})
	if err != nil {
		return err
	}
	codec, err := codecString(track)
	if err != nil {
		return err
	}
	t.init = &initSection{name: fmt.Sprintf("%s-init%d.mp4", t.id, t.inits), body: NewBody([][]byte{data}), codec: codec, track: track}
	t.inits++
	return nil
}

// codecString is what RFC 6381 calls a track's codec.
func codecString(track *media.Track) (string, error) {
	if track.Kind == media.KindAudio {
		c, err := aac.ParseConfig(track.AAC)
		return c.CodecString(), err
	}
	return track.Video.CodecString, nil
}

// begin begins a segment. What was in the making ends there.
func (t *Track) begin(cut Cut, begins time.Time) {
	t.closePending()
	s := &Segment{cut: cut, name: segmentName(t.id, cut.Sequence), begins: begins, init: t.init, track: t}
	t.mu.Lock()
	if n := len(t.segments); n == 0 || t.segments[n-1].cut.Sequence+1 != cut.Sequence {
		t.dropLocked(cut.Sequence) // numbers must be without gap, so the list begins anew
	}
	t.open = s
	t.changedLocked() // it is hinted at from now on
	t.mu.Unlock()
	t.pending = s
}

// dropLocked drops all segments; the list begins with a number when there are some
// again.
func (t *Track) dropLocked(first uint64) {
	t.segments = nil
	t.first = max(t.first, first)
	select {
	case <-t.ready:
		t.ready = make(chan struct{})
	default:
	}
}

// add adds a sample to the segment in the making.
func (t *Track) add(s *media.Sample, begin int64, duration uint32) error {
	p := t.pending
	if len(p.samples) == 0 {
		p.begin = begin
	}
	if p.frames == 0 {
		p.start = begin + s.PTS - s.DTS
		if s.Track.Kind == media.KindAudio {
			p.start = begin
		}
	}
	p.samples, p.durations = append(p.samples, s), append(p.durations, duration)
	p.frames++
	p.bytes += len(s.Data)
	if p.bytes > maxSegmentBytes || p.frames > maxSegmentSamples {
		t.discard()
		return fmt.Errorf("hls: no keyframe within %d MiB or %d pictures: segment given up", maxSegmentBytes>>20, maxSegmentSamples)
	}
	if t.lowLatency() {
		t.grow(s, int64(duration))
	} else {
		p.ticks += int64(duration)
	}
	return nil
}

// grow adds a sample to the part in the making, and ends that when no other would fit.
func (t *Track) grow(s *media.Sample, duration int64) {
	seg := t.pending
	usual := duration
	video := s.Track.Kind == media.KindVideo
	if video {
		usual = t.video.line.Nominal(s.Track)
	}
	most := s.Track.Ticks(t.presentation.cfg.Part) + usual/2 // as many whole frames as come nearest
	if part := seg.current(); part != nil && part.ticks > 0 && part.ticks+duration > most {
		t.endPart(part)
	}
	t.mu.Lock()
	t.step = usual
	part := seg.current()
	if part == nil {
		part = &Part{segment: seg, index: len(seg.parts), independent: s.Key, offset: seg.size(), live: newGrowing()}
		seg.parts = append(seg.parts, part)
		t.beganLocked()
	}
	part.ticks += duration
	seg.ticks += duration
	t.mu.Unlock()
	if video { // audio units are too small to go one by one
		t.chunkPart(part, false)
	}
	if part.ticks+usual > most {
		t.endPart(part)
	}
}

// chunkPart gives the part what there is.
func (t *Track) chunkPart(part *Part, done bool) {
	t.chunks++
	c := part.segment.chunk(t.chunks)
	t.mu.Lock()
	for _, b := range c {
		part.size += int64(len(b))
	}
	live := part.live
	t.mu.Unlock()
	live.add(c, done)
}

// endPart ends a part, and tells those who wait for it.
func (t *Track) endPart(part *Part) {
	t.chunkPart(part, true)
	t.mu.Lock()
	part.done = true
	t.part = max(t.part, part.duration())
	t.changedLocked()
	wake := t.reachedLocked()
	t.mu.Unlock()
	wakeAll(wake)
}

func (s *Segment) current() *Part {
	if n := len(s.parts); n > 0 && !s.parts[n-1].done {
		return s.parts[n-1]
	}
	return nil
}

// size is the bytes in parts so far.
func (s *Segment) size() int64 {
	if n := len(s.parts); n > 0 {
		return s.parts[n-1].offset + s.parts[n-1].size
	}
	return 0
}

// closePending publishes the segment in the making as it is.
func (t *Track) closePending() {
	seg := t.pending
	if seg == nil {
		return
	}
	t.pending = nil
	if seg.frames == 0 {
		t.giveUp()
		return
	}
	if part := seg.current(); part != nil {
		t.chunkPart(part, true)
	} else if len(seg.samples) > 0 {
		t.chunks++
		seg.chunk(t.chunks)
	}
	body := t.presentation.cfg.Keep(seg.pieces)
	t.mu.Lock()
	seg.body, seg.pieces = body, nil
	for _, p := range seg.parts {
		p.done, p.live = true, nil
		t.part = max(t.part, p.duration())
	}
	t.open = nil
	t.beganLocked()
	t.segments = append(t.segments, seg)
	t.listLocked()
	t.dropOldLocked()
	t.rates.add(seg)
	t.changedLocked()
	t.readyLocked()
	wake := t.reachedLocked()
	t.mu.Unlock()
	wakeAll(wake)
}

// enough is how many segments players can begin with, whatever is still being caught up
// with. Some look into three before they play.
const enough = 3

// readyLocked says that there is something to play, once the track has come to the newest
// segment.
func (t *Track) readyLocked() {
	select {
	case <-t.ready:
		return
	default:
	}
	n := len(t.segments)
	newest, ok := t.presentation.cuts.Newest()
	if n >= enough || n > 0 && (!ok || t.segments[n-1].cut.Sequence+1 >= newest.Sequence) {
		close(t.ready)
	}
}

// giveUp takes the segment in the making back; whoever reads its parts gets what is there,
// and is told that it is not all.
func (t *Track) giveUp() {
	t.mu.Lock()
	seg := t.open
	t.open = nil
	t.beganLocked()
	var live []*Growing
	if seg != nil {
		for _, p := range seg.parts {
			live = append(live, p.live)
		}
	}
	t.changedLocked()
	t.mu.Unlock()
	for _, g := range live {
		g.giveUp()
	}
}

// discard gives the segment in the making up.
func (t *Track) discard() {
	t.pending = nil
	t.giveUp()
	t.presentation.cuts.Discontinue()
}

// Break ends the segment in the making where it is: the feed has stopped sending.
func (t *Track) Break() { t.closePending() }

// End ends the track; nothing of it can be asked for any more.
func (t *Track) End() {
	t.presentation.close(t)
	t.pending = nil
	t.giveUp()
	t.mu.Lock()
	t.ended = true
	t.dropLocked(t.first)
	waiting := t.waiting
	t.waiting = make(map[place]chan struct{})
	t.mu.Unlock()
	for _, c := range waiting {
		close(c)
	}
}

// Forget drops all finished segments, so that nobody is shown what is long past when the
// feed comes back. Numbers go on from where they were.
func (t *Track) Forget() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if n := len(t.segments); n > 0 {
		t.dropLocked(t.segments[n-1].cut.Sequence + 1)
		t.changedLocked()
	}
}

// listLocked chooses what is listed, and sets the target duration: that of the longest
// segment listed, so that one long segment does not keep players far behind for ever.
// Listed are as many as wished, and more until they cover three target durations.
func (t *Track) listLocked() {
	cfg := &t.presentation.cfg
	n := len(t.segments)
	start := n
	target := wholeSeconds(cfg.Wanted)
	var covered time.Duration
	for start > 0 && t.segments[start-1].cut.Sequence >= t.first {
		listed := n - start
		if listed >= maxCovering || listed >= cfg.Listed && covered >= coveredTargets*time.Duration(target)*time.Second {
			break
		}
		start--
		covered += t.segments[start].duration()
		target = max(target, wholeSeconds(t.segments[start].duration()))
	}
	t.first, t.target = t.segments[start].cut.Sequence, target
}

// dropOldLocked drops segments that no viewer can still rightly ask for: a segment
// stays for its own length and that of the longest list it stood in (RFC 8216, 6.2.2),
// which is as many again as are listed, and one.
func (t *Track) dropOldLocked() {
	keep := 2*len(t.listedLocked()) + 1
	if n := len(t.segments) - keep; n > 0 {
		clear(t.segments[:n])
		t.segments = t.segments[n:]
	}
}

// listedLocked returns the finished segments that stand in the playlist.
func (t *Track) listedLocked() []*Segment {
	for i, seg := range t.segments {
		if seg.cut.Sequence >= t.first {
			return t.segments[i:]
		}
	}
	return nil
}

// Ready returns a channel that is closed once there is a playlist.
func (t *Track) Ready() <-chan struct{} {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.ready
}

// Target returns the target duration.
func (t *Track) Target() time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	return time.Duration(t.target) * time.Second
}

// wholeSeconds rounds to the nearest whole second, at least one (RFC 8216, 4.3.3.1).
func wholeSeconds(d time.Duration) int {
	return max(1, int((d+time.Second/2)/time.Second))
}
