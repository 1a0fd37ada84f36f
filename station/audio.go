package station

import (
	"time"

	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
	"webostrum/transcode"
)

// audioKept is how many units of a camera's audio are kept: the audio of the
// longest usual group of pictures.
const audioKept = 2048

// AudioStatus is what becomes of a camera's audio.
type AudioStatus struct {
	Track *media.Track // nil when there is none that can be used
	Plans map[plan.Delivery]plan.Audio
	Costs transcode.Costs
}

func (f *Feed) audioStatus(r *run) AudioStatus {
	s := AudioStatus{Plans: make(map[plan.Delivery]plan.Audio)}
	if r != nil {
		s.Track, s.Costs = r.audioTrack.Load(), r.heard.Costs()
	}
	for _, d := range []plan.Delivery{plan.HLS, plan.WebRTC, plan.MotionJPEG} {
		s.Plans[d] = f.audioPlan(d, s.Track)
	}
	return s
}

// audioPlan says what becomes of audio in a delivery.
func (f *Feed) audioPlan(d plan.Delivery, t *media.Track) plan.Audio {
	f.mu.Lock()
	mode := plan.AudioMode(f.record.Audio)
	switch d {
	case plan.HLS:
		mode = plan.AudioMode(f.record.AudioHLS).Or(mode)
	case plan.WebRTC:
		mode = plan.AudioMode(f.record.AudioWebRTC).Or(mode)
	}
	f.mu.Unlock()
	return plan.AudioFor(d, mode, t, plan.Transcoder{Present: f.station.cfg.Codecs != "", AAC: f.station.cfg.AAC})
}

// audioIs notes how the camera's audio is coded from here on.
func (r *run) audioIs(t *media.Track) {
	before := r.audioTrack.Swap(t)
	if !media.SameAudio(before, t) {
		r.arrangeOriginal()
		r.feed.station.changed()
	}
}

// Audio is a feed's audio in one delivery, for one user. Release it.
type Audio struct {
	Hub     *hub.Hub
	Track   *media.Track // as it is delivered
	Release func()
}

// audioFor opens the audio as a delivery gets it; nil when it gets none.
func (r *run) audioFor(p plan.Audio, t *media.Track) *Audio {
	switch {
	case p.Codec == "" || t == nil:
		return nil
	case !p.Transcode:
		return &Audio{Hub: r.audioHub, Track: t, Release: func() {}}
	}
	output, err := r.heard.Use(p.Codec)
	if err != nil {
		return nil // the run is ending
	}
	_, track := rendition.AudioFor(t, p.Codec)
	return &Audio{Hub: output.Hub(), Track: track, Release: output.Release}
}

// audioSide gives an outlet's segmenter the audio that goes with its pictures.
type audioSide struct {
	run       *run
	segmenter *hls.Segmenter

	camera *media.Track
	plan   plan.Audio
	audio  *Audio
	reader *hub.Reader
}

// arrange looks whether another audio is to go with the pictures from here on; the
// first that is written is that of a picture or later.
func (s *audioSide) arrange(picture *media.Sample) {
	camera := s.run.audioTrack.Load()
	p := s.run.feed.audioPlan(plan.HLS, camera)
	if p == s.plan && media.SameAudio(camera, s.camera) {
		return
	}
	s.close()
	s.camera, s.plan = camera, p
	if s.audio = s.run.audioFor(p, camera); s.audio == nil {
		s.segmenter.SetAudio(nil)
		return
	}
	const earlier = 200 * time.Millisecond // the unit that the picture falls into
	s.reader = s.audio.Hub.NewReaderFrom(picture.Captured.Add(-earlier))
	s.segmenter.SetAudio(s.audio.Track)
}

// pour writes the audio that is there.
func (s *audioSide) pour() {
	for s.reader != nil {
		sample := s.reader.Try()
		if sample == nil {
			return
		}
		s.segmenter.WriteAudio(sample)
	}
}

func (s *audioSide) close() {
	if s.reader != nil {
		s.reader.Close()
		s.audio.Release()
		s.reader, s.audio = nil, nil
	}
}
