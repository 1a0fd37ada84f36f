// Package hls cuts a feed into fragmented MP4 segments and writes the
// playlists: RFC 8216 and its successor draft (protocol version 7).
//
// Everything is held in memory. A segment in the making shares the data of its
// samples; where a finished one is kept is up to Config.Keep. Every name carries
// the run, so that nothing made by an earlier run of the service can be asked for
// or served by mistake.
//
// Limits: a segment over 64 MiB or with more than 20,000 frames is given up; 3 to 64
// segments are listed as wished, and more, up to 256, where it takes more of them to cover
// three target durations.
package hls

import (
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"webostrum/core/aac"
	"webostrum/core/fmp4"
	"webostrum/core/h264"
	"webostrum/core/media"
)

const (
	maxSegmentBytes   = 64 << 20
	maxSegmentSamples = 20000
	maxListed         = 64
	maxCovering       = 256 // segments listed, however short they are
	coveredTargets    = 3   // target durations that a list covers (RFC 8216, 6.3.3)

	// A step of the timeline longer than this, and than so many times the longest of
	// those just before it, is a gap: frames were lost, or the camera paused.
	leastGap      = 800 * time.Millisecond
	gapFactor     = 3
	gapMemory     = 8 // steps that are looked back on
	longestWanted = time.Minute
)

// Config says how to cut.
type Config struct {
	// Run names this run of the feed; it becomes part of every name. Letters and
	// digits.
	Run string

	// Name is the rendition's: the folder that the multivariant playlist points
	// into. Empty means Original.
	Name string

	// Start is the wall clock at the beginning of the run. Media sequence numbers
	// begin from it, so that they go on growing over restarts. Discontinuity
	// sequence numbers begin at zero all the same: hls.js 1.7 hangs the page for
	// minutes when they are that large.
	Start time.Time

	Wanted time.Duration // wanted length of a segment, 0.5 s to 60 s
	Listed int           // segments in the playlist, 3 to 64, at least

	// Keep takes the finished parts of a segment to where it is served from. Nil
	// keeps the parts themselves.
	Keep func(parts [][]byte) Body
}

// Validate says what is wrong with a configuration.
func (c Config) Validate() error {
	switch {
	case c.Run == "":
		return errors.New("hls: no run given")
	case c.Wanted < 500*time.Millisecond || c.Wanted > longestWanted:
		return fmt.Errorf("hls: segments of %v wanted, 0.5 s to 60 s are possible", c.Wanted)
	case c.Listed < 3 || c.Listed > maxListed:
		return fmt.Errorf("hls: a list of %d segments wanted, 3 to %d are possible", c.Listed, maxListed)
	}
	return nil
}

// Segment is one finished media segment. It is immutable.
type Segment struct {
	Name          string
	Sequence      uint64
	Duration      time.Duration
	Begins        time.Time // capture time of its first picture
	Body          Body
	Discontinuity bool // a new epoch begins here
	init          *initSection
}

type initSection struct {
	name  string
	body  Body
	codec string
	track *media.Track
}

// Segmenter makes one rendition's segments. Write and Break are for one
// goroutine; everything else is safe for all.
type Segmenter struct {
	cfg     Config
	pending []*media.Sample // the segment in the making
	bytes   int
	lengths []uint32 // ticks, of all of pending but the last
	broken  bool     // the next segment begins with a discontinuity
	epoch   *media.Epoch
	init    *initSection
	inits   int
	frags   uint32
	audio   *audioLine   // nil when there is none
	wanted  *media.Track // of audio, from the next epoch on
	held    *closing     // nil when no segment waits for its audio

	mu       sync.RWMutex
	segments []*Segment    // listed ones last; those before are kept for slow viewers. Guarded by mu.
	first    uint64        // sequence of the first listed segment; never goes back. Guarded by mu.
	next     uint64        // sequence of the next segment. Guarded by mu.
	breaks   uint64        // discontinuity sequence of the first listed segment. Guarded by mu.
	target   int           // EXT-X-TARGETDURATION, seconds. Guarded by mu.
	ready    chan struct{} // closed while there are segments. Guarded by mu.
	rates    rates         // guarded by mu
	list     playlists     // guarded by mu
}

// New makes a segmenter.
func New(cfg Config) (*Segmenter, error) {
	if err := cfg.Validate(); err != nil {
		return nil, err
	}
	if cfg.Keep == nil {
		cfg.Keep = NewBody
	}
	if cfg.Name == "" {
		cfg.Name = Original
	}
	base := 2 * uint64(max(cfg.Start.Unix(), 0)) // segments are half a second or longer
	return &Segmenter{cfg: cfg, next: base, first: base, ready: make(chan struct{})}, nil
}

// SetAudio says how the audio is coded that is written from now on: AAC, or nil for
// none. It holds from the next keyframe on, where something else than before begins
// a new epoch. It is for the goroutine that writes.
func (g *Segmenter) SetAudio(t *media.Track) { g.wanted = t }

func (g *Segmenter) audioTrack() *media.Track {
	if g.audio == nil {
		return nil
	}
	return g.audio.track
}

// WriteAudio takes the next sample of audio. Where it belongs on the pictures'
// timeline its capture time tells. It is for the goroutine that writes.
func (g *Segmenter) WriteAudio(s *media.Sample) {
	if g.audio == nil || len(g.pending) == 0 && g.held == nil {
		return
	}
	first := g.pending
	if g.held != nil {
		first = g.held.samples
	}
	g.audio.write(s, g.audio.at(first[0].Track, first[0].PTS))
	if g.held != nil {
		g.release(false)
	}
}

// Write takes the next sample in decoding order. It must begin with a
// keyframe; others are left out until there is one.
func (g *Segmenter) Write(s *media.Sample) error {
	if s.Epoch != g.epoch || s.Key && !media.SameAudio(g.audioTrack(), g.wanted) {
		if err := g.beginEpoch(s); err != nil {
			return err
		}
	} else if len(g.pending) > 0 {
		last := g.pending[len(g.pending)-1]
		step := s.DTS - last.DTS
		switch {
		case g.gap(s.Track, step):
			g.breakOff()
		default:
			g.lengths = append(g.lengths, uint32(step))
			if s.Key && g.longEnough(s) {
				g.cut()
			}
		}
	}
	if len(g.pending) == 0 && !s.Key {
		return nil
	}
	g.pending = append(g.pending, s)
	g.bytes += len(s.Data)
	if g.audio != nil {
		g.audio.picture = s
	}
	g.release(false)
	if g.bytes > maxSegmentBytes || len(g.pending) > maxSegmentSamples {
		g.discard()
		return fmt.Errorf("hls: no keyframe within %d MiB or %d pictures: segment given up", maxSegmentBytes>>20, maxSegmentSamples)
	}
	return nil
}

// Break ends the segment in the making where it is: the feed has stopped
// sending. What follows begins with a discontinuity.
func (g *Segmenter) Break() {
	g.closePending()
	g.epoch = nil
}

// gap says whether a step of the timeline is one that frames are missing in.
func (g *Segmenter) gap(t *media.Track, step int64) bool {
	recent := g.lengths[max(0, len(g.lengths)-gapMemory):]
	if len(recent) < gapMemory || step <= t.Ticks(leastGap) {
		return false // what is known of the pace is too little to tell
	}
	return step > gapFactor*int64(slices.Max(recent))
}

// breakOff ends the segment in the making before a gap, so that the gap makes no segment
// long. What follows begins with a discontinuity, on the same timeline.
func (g *Segmenter) breakOff() {
	g.closePending()
	g.broken = true
	if g.audio != nil {
		g.audio = newAudioLine(g.audio.track)
	}
}

func (g *Segmenter) beginEpoch(s *media.Sample) error {
	if !s.Key {
		return nil
	}
	g.closePending()
	tracks := []*media.Track{s.Track}
	g.audio = nil
	if g.wanted != nil {
		g.audio = newAudioLine(g.wanted)
		tracks = append(tracks, g.wanted)
	}
	data, err := fmp4.Init(tracks)
	if err != nil {
		return err
	}
	sps, err := h264.ParseSPS(s.Track.H264.SPS)
	if err != nil {
		return err
	}
	g.init = &initSection{
		name: fmt.Sprintf("%s-init%d.mp4", g.cfg.Run, g.inits), body: NewBody([][]byte{data}), codec: sps.CodecString(), track: s.Track,
	}
	g.inits++
	if g.wanted != nil {
		c, err := aac.ParseConfig(g.wanted.AAC)
		if err != nil {
			return err
		}
		g.init.codec += "," + c.CodecString()
	}
	// The very first segment too: a player that goes on over a restart of the
	// service has to know that the timeline breaks.
	g.broken = true
	g.epoch = s.Epoch
	return nil
}

// longEnough says whether a keyframe ends the segment in the making: the first
// one at the wanted length, or up to half a picture before it.
func (g *Segmenter) longEnough(s *media.Sample) bool {
	ticks := s.DTS - g.pending[0].DTS
	half := int64(g.lengths[len(g.lengths)-1]) / 2
	return ticks+half >= s.Track.Ticks(g.cfg.Wanted)
}

// closePending cuts what is there when nothing follows it in its epoch. The
// last picture is taken to last as long as the one before.
func (g *Segmenter) closePending() {
	if len(g.pending) == 0 {
		g.release(true)
		return
	}
	last := g.pending[0].Track.ClockRate / 25
	if n := len(g.lengths); n > 0 {
		last = g.lengths[n-1]
	}
	g.lengths = append(g.lengths, last)
	g.cut()
	g.release(true)
}

func (g *Segmenter) discard() {
	g.release(true)
	g.pending, g.lengths, g.bytes, g.broken = nil, nil, 0, true
}

// closing is a segment whose pictures are complete.
type closing struct {
	samples []*media.Sample
	lengths []uint32
	ticks   int64 // length of all
	broken  bool
	init    *initSection
}

// cut makes a segment out of what is pending. It is published once its audio is
// there, too.
func (g *Segmenter) cut() {
	g.release(true)
	g.held = &closing{samples: g.pending, lengths: g.lengths, broken: g.broken, init: g.init}
	for _, l := range g.lengths {
		g.held.ticks += int64(l)
	}
	g.pending, g.lengths, g.bytes, g.broken = nil, nil, 0, false
	g.release(g.audio == nil)
}

// release publishes the segment that waits for its audio when that has come, or
// has been waited for long enough, or must not be waited for any longer.
func (g *Segmenter) release(now bool) {
	h := g.held
	if h == nil {
		return
	}
	first := h.samples[0]
	track := first.Track
	end := first.PTS + h.ticks
	if !now && !g.audio.reaches(g.audio.at(track, end)) {
		waited := track.Duration(g.audio.picture.PTS - end)
		if g.audio.flowing && waited < audioPatience {
			return
		}
	}
	g.held = nil
	runs := []fmp4.Run{{Track: track, Begin: first.DTS, Samples: h.samples, Durations: h.lengths}}
	if g.audio != nil {
		if run, ok := g.audio.take(g.audio.at(track, first.PTS), g.audio.at(track, end)); ok {
			runs = append(runs, run)
		}
	}
	g.frags++
	seg := &Segment{
		Duration: track.Duration(h.ticks), Begins: first.Captured, Body: g.cfg.Keep(fmp4.Fragment(g.frags, runs)),
		Discontinuity: h.broken, init: h.init,
	}
	g.publish(seg, len(h.samples))
}

func (g *Segmenter) publish(seg *Segment, frames int) {
	g.mu.Lock()
	seg.Sequence = g.next
	seg.Name = fmt.Sprintf("%s-%d.m4s", g.cfg.Run, g.next)
	g.next++
	g.segments = append(g.segments, seg)
	g.listLocked()
	g.dropOldLocked()
	g.rates.add(seg, frames)
	g.list.write(g)
	if len(g.segments) == 1 {
		close(g.ready)
	}
	g.mu.Unlock()
}

// listLocked chooses what is listed, and sets the target duration: that of the longest
// segment listed, so that one long segment does not keep players far behind for ever.
// Listed are as many as wished, and more until they cover three target durations.
func (g *Segmenter) listLocked() {
	n := len(g.segments)
	start := n
	target := wholeSeconds(g.cfg.Wanted)
	var covered time.Duration
	for start > 0 && g.segments[start-1].Sequence >= g.first {
		listed := n - start
		if listed >= maxCovering || listed >= g.cfg.Listed && covered >= coveredTargets*time.Duration(target)*time.Second {
			break
		}
		start--
		covered += g.segments[start].Duration
		target = max(target, wholeSeconds(g.segments[start].Duration))
	}
	for _, seg := range g.segments {
		if seg.Discontinuity && seg.Sequence >= g.first && seg.Sequence < g.segments[start].Sequence {
			g.breaks++
		}
	}
	g.first, g.target = g.segments[start].Sequence, target
}

// dropOldLocked drops segments that no viewer can still rightly ask for: a
// segment stays for its own length and that of the longest list it stood in
// (RFC 8216, 6.2.2), which is as many again as are listed, and one.
func (g *Segmenter) dropOldLocked() {
	keep := 2*len(g.listedLocked()) + 1
	if n := len(g.segments) - keep; n > 0 {
		clear(g.segments[:n])
		g.segments = g.segments[n:]
	}
}

// Ready returns a channel that is closed once there is a playlist.
func (g *Segmenter) Ready() <-chan struct{} {
	g.mu.RLock()
	defer g.mu.RUnlock()
	return g.ready
}

// Forget drops all segments, so that nobody is shown what is long past when the
// feed comes back. Numbers go on from where they were.
func (g *Segmenter) Forget() {
	g.mu.Lock()
	defer g.mu.Unlock()
	if len(g.segments) == 0 {
		return
	}
	for _, seg := range g.listedLocked() {
		if seg.Discontinuity {
			g.breaks++
		}
	}
	g.segments, g.first, g.ready = nil, g.next, make(chan struct{})
}

// listedLocked returns the segments that stand in the playlist.
func (g *Segmenter) listedLocked() []*Segment {
	for i, seg := range g.segments {
		if seg.Sequence >= g.first {
			return g.segments[i:]
		}
	}
	return nil
}

// Find returns the body of the segment or initialisation section of this name.
// ok is false for a name of another run, and for what is no longer kept.
func (g *Segmenter) Find(name string) (body Body, ok bool) {
	g.mu.RLock()
	defer g.mu.RUnlock()
	for i := len(g.segments) - 1; i >= 0; i-- {
		seg := g.segments[i]
		if seg.Name == name {
			return seg.Body, true
		}
		if seg.init.name == name {
			return seg.init.body, true
		}
	}
	return nil, false
}

// wholeSeconds rounds to the nearest whole second, at least one
// (RFC 8216, 4.3.3.1).
func wholeSeconds(d time.Duration) int {
	return max(1, int((d+time.Second/2)/time.Second))
}
