package hls

import (
	"webostrum/core/aac"
	"webostrum/core/media"
)

const (
	// Audio that is further from where it should be than this share of a unit is put
	// right by a unit more or less; what is less is left alone.
	audioSlack = 0.6
	// A gap of more units than this is filled with silence; a shorter one comes from
	// clocks that drift, and a unit that is played twice is heard less than nothing.
	audioRepeats = 1
	mostWaiting  = 4096 // units that wait for their frames
)

// audioLine lays units of audio one directly behind the other, each as near as can be to
// where it was captured on the frames' timeline. Browsers count what they decode and look
// at times no more once they play (measured in Chromium 156), so gaps cannot be left to
// the durations of samples: they are filled by whole units.
type audioLine struct {
	track   *media.Track
	silence *media.Sample // nil when none is known for the coding
	waiting []placed
	first   int64 // nothing is before it
	next    int64 // where the next unit should be
	started bool
}

type placed struct {
	sample *media.Sample
	begin  int64
}

func newAudioLine(t *media.Track, first int64) *audioLine {
	l := &audioLine{track: t, first: first, next: first}
	c, err := aac.ParseConfig(t.AAC)
	if err != nil {
		return l
	}
	if data := aac.Silence(c); data != nil {
		length := int64(c.FrameLength) * int64(t.ClockRate) / int64(c.SampleRate)
		l.silence = &media.Sample{Track: t, Length: length, Key: true, Data: data}
	}
	return l
}

// write takes a unit that should be at a place; it says whether it was taken.
func (l *audioLine) write(s *media.Sample, target int64) bool {
	if s.Length <= 0 || len(l.waiting) >= mostWaiting {
		return false
	}
	if !l.started {
		if target < l.first {
			return false
		}
		l.begins(target)
	}
	slack := int64(audioSlack * float64(s.Length))
	off := target - l.next
	if off < -slack {
		return false // its time is past already
	}
	if off > slack {
		l.bridge(s, off)
	}
	l.append(s)
	return true
}

// begins begins the line with silence that ends where the first unit is.
func (l *audioLine) begins(target int64) {
	l.started = true
	if l.silence == nil {
		l.next = target
		return
	}
	l.next = target - (target-l.next)/l.silence.Length*l.silence.Length
	l.fill(target)
}

// bridge fills a gap in front of a unit.
func (l *audioLine) bridge(s *media.Sample, off int64) {
	switch units := (off + s.Length/2) / s.Length; {
	case units <= audioRepeats:
		l.append(s)
	case l.silence != nil:
		l.fill(l.next + units*l.silence.Length)
	default:
		l.next += off // nothing better is known
	}
}

func (l *audioLine) append(s *media.Sample) {
	l.waiting = append(l.waiting, placed{s, l.next})
	l.next += s.Length
}

// fill puts silence up to a place, as far as whole units of it fit.
func (l *audioLine) fill(until int64) {
	if l.silence == nil {
		return
	}
	for l.next+l.silence.Length <= until && len(l.waiting) < mostWaiting {
		l.append(l.silence)
		l.started = true
	}
}

// take takes out the oldest unit, if all of it is before a place.
func (l *audioLine) take(until int64) (s *media.Sample, begin int64, ok bool) {
	if len(l.waiting) == 0 || l.waiting[0].begin+l.waiting[0].sample.Length > until {
		return nil, 0, false
	}
	p := l.waiting[0]
	l.waiting = l.waiting[1:]
	return p.sample, p.begin, true
}
