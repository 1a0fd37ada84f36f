package hls

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"math"
	"strings"
	"sync"
	"time"
)

// Protocol versions: 7 is what EXT-X-MAP outside I-frame playlists and fractional
// durations need, with room for what later drafts add compatibly; 9 is for EXT-X-SKIP.
const (
	version     = 7
	skipVersion = 9
)

const (
	// skipTargets is CAN-SKIP-UNTIL in target durations, the least that is allowed.
	skipTargets = 6
	// holdBackTargets is HOLD-BACK in target durations, and holdBackParts PART-HOLD-BACK in
	// those of parts; the least is 3 and 2.
	holdBackTargets = 3
	holdBackParts   = 3
	// partTargets is for how many target durations parts are listed.
	partTargets = 3
)

// pdtLayout is RFC 3339 with milliseconds, as EXT-X-PROGRAM-DATE-TIME wants.
const pdtLayout = "2006-01-02T15:04:05.000Z07:00"

// Text is a playlist as it is sent.
type Text struct {
	Plain []byte
	once  sync.Once
	zip   []byte
}

// NewText makes a text.
func NewText(s string) *Text { return &Text{Plain: []byte(s)} }

// zippers are kept: making one costs most of a megabyte.
var zippers = sync.Pool{New: func() any { return gzip.NewWriter(nil) }}

// Packed is the text, gzip; it is made once.
func (t *Text) Packed() []byte {
	t.once.Do(func() {
		z := zippers.Get().(*gzip.Writer)
		defer zippers.Put(z)
		var b bytes.Buffer
		z.Reset(&b)
		_, _ = z.Write(t.Plain) // a bytes.Buffer takes everything
		_ = z.Close()
		t.zip = b.Bytes()
	})
	return t.zip
}

// list is a media playlist as it was at a version of its track.
type list struct {
	version uint64
	text    *Text
}

func (t *Track) changedLocked() { t.version.Add(1) }

// Media returns the media playlist; without the segments that a player knows already
// when skip says so. All who ask for the same get the same text. ok is false before the
// first segment.
func (t *Track) Media(skip bool) (text *Text, ok bool) {
	slot := &t.lists[0]
	if skip {
		slot = &t.lists[1]
	}
	if l := slot.Load(); l != nil && l.version == t.version.Load() {
		return l.text, l.text != nil
	}
	t.writing.Lock()
	defer t.writing.Unlock()
	if l := slot.Load(); l != nil && l.version == t.version.Load() {
		return l.text, l.text != nil
	}
	reports := t.reports()
	t.mu.Lock()
	defer t.mu.Unlock()
	l := &list{version: t.version.Load()}
	if len(t.segments) > 0 {
		l.text = NewText(t.writeLocked(skip, reports))
	}
	slot.Store(l)
	return l.text, l.text != nil
}

func (t *Track) writeLocked(skip bool, reports string) string {
	listed := t.listedLocked()
	skipped := 0
	if skip {
		skipped = t.skippedLocked(listed)
	}
	var b strings.Builder
	v := version
	if skipped > 0 {
		v = skipVersion
	}
	fmt.Fprintf(&b, "#EXTM3U\n#EXT-X-VERSION:%d\n#EXT-X-TARGETDURATION:%d\n", v, t.target)
	t.controlLocked(&b)
	first := listed[0].cut
	if first.Broke {
		first.Breaks-- // it is told before the segment
	}
	fmt.Fprintf(&b, "#EXT-X-MEDIA-SEQUENCE:%d\n#EXT-X-DISCONTINUITY-SEQUENCE:%d\n", first.Sequence, first.Breaks)
	b.WriteString("#EXT-X-INDEPENDENT-SEGMENTS\n")
	if skipped > 0 {
		fmt.Fprintf(&b, "#EXT-X-SKIP:SKIPPED-SEGMENTS=%d\n", skipped)
	}
	var init *initSection
	if skipped > 0 {
		init = listed[skipped-1].init
	}
	withParts := t.withPartsLocked(listed)
	for i, seg := range listed[skipped:] {
		seg.head(&b, init)
		init = seg.init
		if i+skipped >= withParts {
			seg.writeParts(&b)
		}
		fmt.Fprintf(&b, "#EXTINF:%.5f,\n%s\n", seg.duration().Seconds(), seg.name)
	}
	if t.lowLatency() {
		if t.open != nil && t.open.finished() > 0 {
			t.open.head(&b, init)
			t.open.writeParts(&b)
		}
		if hint, ok := t.hintLocked(); ok {
			fmt.Fprintf(&b, "#EXT-X-PRELOAD-HINT:TYPE=PART,URI=%q\n", partName(t.id, hint.sequence, hint.part))
		}
		b.WriteString(reports)
	}
	return b.String()
}

// controlLocked writes what players may ask for.
func (t *Track) controlLocked(b *strings.Builder) {
	if !t.lowLatency() {
		return
	}
	part := t.partLocked().Seconds()
	fmt.Fprintf(b, "#EXT-X-SERVER-CONTROL:CAN-BLOCK-RELOAD=YES,PART-HOLD-BACK=%.5f,HOLD-BACK=%d,CAN-SKIP-UNTIL=%d\n",
		holdBackParts*part, holdBackTargets*t.target, skipTargets*t.target)
	fmt.Fprintf(b, "#EXT-X-PART-INF:PART-TARGET=%.5f\n", part)
}

// partLocked is PART-TARGET: the longest part so far, in whole milliseconds.
func (t *Track) partLocked() time.Duration {
	if t.part == 0 {
		return t.presentation.cfg.Part
	}
	return (t.part + time.Millisecond - 1).Truncate(time.Millisecond)
}

// head writes what stands before a segment.
func (s *Segment) head(b *strings.Builder, before *initSection) {
	if s.cut.Broke {
		b.WriteString("#EXT-X-DISCONTINUITY\n")
	}
	if s.init != before || s.cut.Broke {
		fmt.Fprintf(b, "#EXT-X-MAP:URI=%q\n", s.init.name)
	}
	fmt.Fprintf(b, "#EXT-X-PROGRAM-DATE-TIME:%s\n", s.begins.UTC().Format(pdtLayout))
}

func (s *Segment) writeParts(b *strings.Builder) {
	for _, p := range s.parts {
		if !p.done {
			continue
		}
		fmt.Fprintf(b, "#EXT-X-PART:DURATION=%.5f,URI=%q", p.duration().Seconds(), p.name())
		if p.independent {
			b.WriteString(",INDEPENDENT=YES")
		}
		b.WriteByte('\n')
	}
}

// withPartsLocked is from which listed segment on parts are listed: those that end less
// than three target durations before the end.
func (t *Track) withPartsLocked(listed []*Segment) int {
	if !t.lowLatency() {
		return len(listed)
	}
	return t.nearLocked(listed, partTargets)
}

// skippedLocked is how many listed segments a delta update leaves out: those further from
// the end than CAN-SKIP-UNTIL.
func (t *Track) skippedLocked(listed []*Segment) int {
	if !t.lowLatency() {
		return 0
	}
	return t.nearLocked(listed, skipTargets)
}

// nearLocked is from which listed segment on they end less than so many target durations
// before the end.
func (t *Track) nearLocked(listed []*Segment, targets int) int {
	var behind time.Duration
	if t.open != nil {
		behind = t.open.duration()
	}
	n := len(listed)
	for n > 0 && behind < time.Duration(targets*t.target)*time.Second {
		n--
		behind += listed[n].duration()
	}
	return n
}

// reports tells how far the other tracks are (EXT-X-RENDITION-REPORT).
func (t *Track) reports() string {
	if !t.lowLatency() {
		return ""
	}
	var b strings.Builder
	for _, o := range t.presentation.others(t) {
		if at, ok := o.newest(); ok {
			fmt.Fprintf(&b, "#EXT-X-RENDITION-REPORT:URI=\"../%s/%s\",LAST-MSN=%d,LAST-PART=%d\n", o.name, MediaName, at.sequence, at.part)
		}
	}
	return b.String()
}

// newest is the last part that is listed.
func (t *Track) newest() (at place, ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	n := len(t.segments)
	switch {
	case n == 0:
		return place{}, false
	case t.open != nil && t.open.finished() > 0:
		return place{t.open.cut.Sequence, t.open.finished() - 1}, true
	}
	last := t.segments[n-1]
	return place{last.cut.Sequence, max(0, len(last.parts)-1)}, true
}

// rates gathers what EXT-X-STREAM-INF promises.
type rates struct {
	peak    float64 // bits a second of the heaviest segment so far
	fastest float64 // fps of the segment with the most so far
	bits    float64
	seconds float64
	init    *initSection // of what is averaged over
}

// least is the length in seconds of a segment whose peak counts.
const least = 0.4

// headroom is what BANDWIDTH is more than the heaviest segment so far: a keyframe of a
// busier scene is yet to come, and it must be an upper bound (RFC 8216, 4.3.4.2).
const headroom = 1.25

// halfLife is how many seconds of segments the average looks back on.
const halfLife = 120

func (r *rates) add(seg *Segment) {
	secs := seg.duration().Seconds()
	if secs <= 0 {
		return
	}
	if seg.init != r.init {
		*r = rates{init: seg.init}
	}
	bits := float64(seg.body.Size()) * 8
	r.bits, r.seconds = r.bits+bits, r.seconds+secs
	if secs >= least { // of less it says nothing
		r.peak = max(r.peak, bits/secs)
		r.fastest = max(r.fastest, float64(seg.frames)/secs)
	}
	if r.seconds > 2*halfLife {
		r.bits, r.seconds = r.bits/2, r.seconds/2
	}
}

// Measured is what a track turned out to be; ok is false before the first segment.
func (t *Track) Measured() (v Variant, ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	n := len(t.segments)
	if n == 0 {
		return Variant{}, false
	}
	init, r := t.segments[n-1].init, &t.rates
	average := r.bits / max(r.seconds, 1e-3)
	return Variant{
		Name: t.name, Codecs: init.codec, Width: init.track.Width, Height: init.track.Height, FrameRate: r.fastest,
		Peak: math.Ceil(headroom * max(r.peak, average)), Average: math.Ceil(average), Channels: init.track.Channels,
	}, true
}
