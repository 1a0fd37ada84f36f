package station

import (
	"time"

	"webostrum/convert"
	core "webostrum/core/convert"
	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
)

// soundKept is how many units of a camera's sound are kept: the sound of the
// longest usual group of pictures.
const soundKept = 2048

// SoundStatus is what becomes of a camera's sound.
type SoundStatus struct {
	Track *media.Track // nil when there is none that can be used
	Plans map[plan.Delivery]plan.Sound
	Costs convert.SoundCosts
}

func (f *Feed) soundStatus(r *run) SoundStatus {
	s := SoundStatus{Plans: make(map[plan.Delivery]plan.Sound)}
	if r != nil {
		s.Track, s.Costs = r.sound.Load(), r.heard.Costs()
	}
	for _, d := range []plan.Delivery{plan.HLS, plan.WebRTC, plan.MotionJPEG} {
		s.Plans[d] = f.soundPlan(d, s.Track)
	}
	return s
}

// soundPlan says what becomes of sound in a delivery.
func (f *Feed) soundPlan(d plan.Delivery, t *media.Track) plan.Sound {
	f.mu.Lock()
	wish := plan.Wish(f.record.Sound)
	switch d {
	case plan.HLS:
		wish = plan.Wish(f.record.SoundHLS).Or(wish)
	case plan.WebRTC:
		wish = plan.Wish(f.record.SoundWebRTC).Or(wish)
	}
	f.mu.Unlock()
	return plan.SoundFor(d, wish, t, plan.Converter{Present: f.station.cfg.Codecs != "", AAC: f.station.cfg.AAC})
}

// soundIs notes how the camera's sound is coded from here on.
func (r *run) soundIs(t *media.Track) {
	before := r.sound.Swap(t)
	if !media.SameSound(before, t) {
		r.arrangeOriginal()
		r.feed.station.changed()
	}
}

// Sound is a feed's sound in one delivery, for one user. Release it.
type Sound struct {
	Hub     *hub.Hub
	Track   *media.Track // as it is delivered
	Release func()
}

// soundFor opens the sound as a delivery gets it; nil when it gets none.
func (r *run) soundFor(p plan.Sound, t *media.Track) *Sound {
	switch {
	case p.Codec == "" || t == nil:
		return nil
	case !p.Convert:
		return &Sound{Hub: r.sounds, Track: t, Release: func() {}}
	}
	output, err := r.heard.Use(p.Codec)
	if err != nil {
		return nil // the run is ending
	}
	_, made := core.Sound(t, p.Codec)
	return &Sound{Hub: output.Hub(), Track: made, Release: output.Release}
}

// soundSide gives an outlet's segmenter the sound that goes with its pictures.
type soundSide struct {
	run       *run
	segmenter *hls.Segmenter

	camera *media.Track
	plan   plan.Sound
	sound  *Sound
	reader *hub.Reader
}

// arrange looks whether another sound is to go with the pictures from here on; the
// first that is written is that of a picture or later.
func (s *soundSide) arrange(picture *media.Sample) {
	camera := s.run.sound.Load()
	p := s.run.feed.soundPlan(plan.HLS, camera)
	if p == s.plan && media.SameSound(camera, s.camera) {
		return
	}
	s.close()
	s.camera, s.plan = camera, p
	if s.sound = s.run.soundFor(p, camera); s.sound == nil {
		s.segmenter.SetSound(nil)
		return
	}
	const earlier = 200 * time.Millisecond // the unit that the picture falls into
	s.reader = s.sound.Hub.NewReaderFrom(picture.Captured.Add(-earlier))
	s.segmenter.SetSound(s.sound.Track)
}

// pour writes the sound that is there.
func (s *soundSide) pour() {
	for s.reader != nil {
		sample := s.reader.Try()
		if sample == nil {
			return
		}
		s.segmenter.WriteSound(sample)
	}
}

func (s *soundSide) close() {
	if s.reader != nil {
		s.reader.Close()
		s.sound.Release()
		s.reader, s.sound = nil, nil
	}
}
