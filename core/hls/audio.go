package hls

import (
	"time"

	"webostrum/core/aac"
	"webostrum/core/fmp4"
	"webostrum/core/media"
)

const (
	// Audio that is further from where it should be than this share of a unit is put
	// right by a unit more or less; what is less is left alone.
	audioSlack = 0.6

	// A gap of more units than this is filled with silence; a shorter one comes from
	// clocks that drift, and a unit that is played twice is heard less than nothing.
	audioRepeats = 1

	// How long a segment waits for its audio, which may come after the picture.
	audioPatience = 1500 * time.Millisecond

	// Audio that was taken so much later than the newest picture comes from a clock
	// that has jumped. It would push all after it away.
	audioAhead = 2 * time.Second
)

// audioLine lays audio beside the pictures of an epoch: its samples are where they
// were captured on the pictures' timeline, one directly behind the other. Browsers
// count what they decode and look at times no more once they play (measured in
// Chromium 156), so gaps cannot be left to the durations of samples: they are filled
// by whole units.
type audioLine struct {
	track   *media.Track
	silence *media.Sample // nil when none is known for the coding

	picture *media.Sample // the newest: ties capture time to the timeline
	samples []*media.Sample
	lengths []uint32 // ticks
	begin   int64    // DTS of the first of samples
	next    int64    // DTS at which the next sample should be
	started bool
	came    bool // audio came since the last segment
	flowing bool // and for the last segment
}

func newAudioLine(t *media.Track) *audioLine {
	l := &audioLine{track: t, flowing: true}
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

// at converts a time on the pictures' timeline to ticks of audio.
func (l *audioLine) at(video *media.Track, pts int64) int64 {
	return l.track.Ticks(video.Duration(pts))
}

// place is where a sample should be.
func (l *audioLine) place(s *media.Sample) int64 {
	return l.at(l.picture.Track, l.picture.PTS) + l.track.Ticks(s.Captured.Sub(l.picture.Captured))
}

// write takes a sample. first is where the epoch's pictures begin, in ticks of audio.
func (l *audioLine) write(s *media.Sample, first int64) {
	if l.picture == nil || !media.SameAudio(s.Track, l.track) || len(l.samples) >= maxSegmentSamples {
		return
	}
	if s.Captured.Sub(l.picture.Captured) > audioAhead {
		return
	}
	target := l.place(s)
	if !l.started {
		if target < first {
			return
		}
		l.begins(target, first)
	}
	slack := int64(audioSlack * float64(s.Length))
	off := target - l.next
	if off < -slack {
		return // its time is past already
	}
	if off > slack {
		l.bridge(s, off)
	}
	l.came = true
	l.append(s)
}

// begins begins the line with silence that ends where the first sample is.
func (l *audioLine) begins(target, first int64) {
	l.started, l.next = true, target
	if l.silence != nil {
		l.next -= (target - first) / l.silence.Length * l.silence.Length
		l.fill(target)
	}
}

// bridge fills a gap in front of a sample.
func (l *audioLine) bridge(s *media.Sample, off int64) {
	switch units := (off + s.Length/2) / s.Length; {
	case units <= audioRepeats:
		l.append(s)
	case l.silence != nil:
		l.fill(l.next + units*l.silence.Length)
	case len(l.lengths) > 0:
		l.lengths[len(l.lengths)-1] += uint32(off) // nothing better is known
		l.next += off
	default:
		l.next += off
	}
}

func (l *audioLine) append(s *media.Sample) {
	if len(l.samples) == 0 {
		l.begin = l.next
	}
	l.samples = append(l.samples, s)
	l.lengths = append(l.lengths, uint32(s.Length))
	l.next += s.Length
}

// fill puts silence up to a place, as far as whole units of it fit.
func (l *audioLine) fill(until int64) {
	if l.silence == nil {
		return
	}
	for l.next+l.silence.Length <= until && len(l.samples) < maxSegmentSamples {
		l.append(l.silence)
	}
}

// reaches says whether there is audio up to a place.
func (l *audioLine) reaches(end int64) bool { return l.started && l.next >= end }

// take takes out what belongs to a segment that ends at a place: what begins before
// it. What is missing is silence.
func (l *audioLine) take(first, end int64) (run fmp4.Run, ok bool) {
	l.flowing, l.came = l.came, false
	if !l.started {
		if l.silence == nil {
			return run, false
		}
		l.started, l.next = true, first
	}
	if l.next < end {
		l.fill(end)
	}
	run = fmp4.Run{Track: l.track, Begin: l.begin}
	n, at := 0, l.begin
	for n < len(l.samples) && at < end {
		at += int64(l.lengths[n])
		n++
	}
	if n == 0 {
		return run, false
	}
	run.Samples, run.Durations = l.samples[:n:n], l.lengths[:n:n]
	l.samples, l.lengths, l.begin = l.samples[n:], l.lengths[n:], at
	return run, true
}
