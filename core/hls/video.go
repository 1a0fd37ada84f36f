package hls

import (
	"webostrum/core/cmaf"
	"webostrum/core/media"
)

// videoLine is where a track of video is.
type videoLine struct {
	line  cmaf.Timeline
	epoch *media.Epoch // of the newest sample
}

// WriteVideo takes the next sample of video in decoding order. Segments begin at the
// keyframes that the presentation's cuts are at; samples that belong to none are left
// out.
func (t *Track) WriteVideo(s *media.Sample) error {
	if s.Epoch != t.video.epoch {
		if !s.Key {
			return nil
		}
		if err := t.beginEpoch(s); err != nil {
			return err
		}
	}
	cuts, source := t.presentation.cuts, s.Epoch.Camera()
	if s.Key {
		cut, ok := cuts.At(source, s.PTS)
		if ok && (t.pending == nil || cut.Sequence > t.pending.cut.Sequence) && cut.Sequence >= t.nextSequence() {
			if t.pending == nil || t.pending.cut.Breaks != cut.Breaks {
				t.closePending()
				t.video.line.Begin()
			}
			t.begin(cut, cut.Begins.Add(s.Track.Duration(s.PTS-cut.PTS)))
		}
	}
	switch {
	case t.pending == nil:
		return nil
	case t.pending.cut.Epoch != source, cuts.ended(t.pending.cut.Sequence, s.DTS), t.video.hole(s):
		t.closePending()
		return nil
	}
	begin, duration := t.video.line.Place(s)
	return t.add(s, begin, duration)
}

// hole says whether so much is missing before a sample that the timeline cannot go on.
func (v *videoLine) hole(s *media.Sample) bool {
	missing := s.DTS - v.line.Next()
	return v.line.Started() && v.line.Known() && missing > s.Track.Ticks(leastGap) && missing > gapFactor*v.line.Nominal(s.Track)
}

// nextSequence is the lowest number that a segment may have.
func (t *Track) nextSequence() uint64 {
	t.mu.Lock()
	defer t.mu.Unlock()
	if n := len(t.segments); n > 0 {
		return t.segments[n-1].cut.Sequence + 1
	}
	return t.first
}

// beginEpoch takes what is coded in another way than before.
func (t *Track) beginEpoch(s *media.Sample) error {
	before := t.video.epoch
	t.video.epoch = s.Epoch
	if before != nil && before.Camera() == s.Epoch.Camera() && t.init != nil && sameVideo(t.init.track, s.Track) {
		return nil // a transcoder that was started anew
	}
	t.closePending()
	return t.newInit(s.Track)
}

func sameVideo(a, b *media.Track) bool {
	return a.ClockRate == b.ClockRate && a.Video.Equal(b.Video)
}
