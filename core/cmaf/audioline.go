package cmaf

import (
	"time"

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

	// Audio that is so much behind the picture is no longer waited for: silence takes its
	// place, until there is some again.
	patience = 1500 * time.Millisecond
	// Silence is made up to so much behind the picture.
	silenceBehind = 200 * time.Millisecond
)

// AudioLine lays units of audio one directly behind the other, each as near as can be to
// where it was captured on the frames' timeline. Browsers count what they decode and look
// at times no more once they play (measured in Chromium 156), so gaps cannot be left to
// the durations of samples: they are filled by whole units.
type AudioLine struct {
	track   *media.Track
	silence *media.Sample // nil when none is known for the coding
	waiting []placed
	first   int64 // nothing is before it
	next    int64 // where the next unit should be
	reached int64 // where the newest frame ends
	quiet   bool  // no audio has come for a while
	started bool
}

type placed struct {
	sample *media.Sample
	begin  int64
}

// NewAudioLine makes a line of AAC; nothing is before first, in ticks of the audio's
// clock.
func NewAudioLine(t *media.Track, first int64) *AudioLine {
	l := &AudioLine{track: t, first: first, next: first}
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

// Write takes a unit that should be at a place; it says whether it was taken.
func (l *AudioLine) Write(s *media.Sample, target int64) bool {
	if s.Length <= 0 || len(l.waiting) >= mostWaiting {
		return false
	}
	if l.track.Duration(l.reached-target) < patience {
		l.quiet = false
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

// Reach says where the newest frame ends. Where there is no audio for long, silence takes
// its place.
func (l *AudioLine) Reach(at int64) {
	l.reached = at
	if l.track.Duration(at-l.next) > patience {
		l.quiet = true
	}
	if l.quiet {
		l.Fill(at - l.track.Ticks(silenceBehind))
	}
}

// begins begins the line with silence that ends where the first unit is.
func (l *AudioLine) begins(target int64) {
	l.started = true
	if l.silence == nil {
		l.next = target
		return
	}
	l.next = target - (target-l.next)/l.silence.Length*l.silence.Length
	l.Fill(target)
}

// bridge fills a gap in front of a unit.
func (l *AudioLine) bridge(s *media.Sample, off int64) {
	switch units := (off + s.Length/2) / s.Length; {
	case units <= audioRepeats:
		l.append(s)
	case l.silence != nil:
		l.Fill(l.next + units*l.silence.Length)
	default:
		l.next += off // nothing better is known
	}
}

func (l *AudioLine) append(s *media.Sample) {
	l.waiting = append(l.waiting, placed{s, l.next})
	l.next += s.Length
}

// Fill puts silence up to a place, as far as whole units of it fit.
func (l *AudioLine) Fill(until int64) {
	if l.silence == nil {
		return
	}
	for l.next+l.silence.Length <= until && len(l.waiting) < mostWaiting {
		l.append(l.silence)
		l.started = true
	}
}

// Take takes out the oldest unit, if all of it is before a place.
func (l *AudioLine) Take(until int64) (s *media.Sample, begin int64, ok bool) {
	if len(l.waiting) == 0 || l.waiting[0].begin+l.waiting[0].sample.Length > until {
		return nil, 0, false
	}
	p := l.waiting[0]
	l.waiting = l.waiting[1:]
	return p.sample, p.begin, true
}

// Drain takes out all units, each as long as it is to the next; begin is where the first one
// is.
func (l *AudioLine) Drain() (begin int64, samples []*media.Sample, durations []uint32) {
	end := int64(0)
	for {
		s, at, ok := l.Take(l.next)
		switch {
		case !ok:
			return begin, samples, durations
		case len(samples) == 0:
			begin = at
		case at > end:
			durations[len(durations)-1] += uint32(at - end)
		}
		end = at + s.Length
		samples, durations = append(samples, s), append(durations, uint32(s.Length))
	}
}

// Next is where the next unit should be.
func (l *AudioLine) Next() int64 { return l.next }
