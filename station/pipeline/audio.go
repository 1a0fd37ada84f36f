package pipeline

import (
	"time"

	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
	"webostrum/store"
)

// AudioTrackNow returns how the camera's audio is coded; nil when there is none, or it
// is not known.
func (p *Pipeline) AudioTrackNow() *media.Track { return p.input.track.Load() }

// AudioPlan says what becomes of audio in a delivery.
func (p *Pipeline) AudioPlan(d plan.Delivery) plan.Audio {
	return AudioPlan(d, p.cfg.Record(), p.input.track.Load(), plan.Transcoder{Present: p.cfg.Worker != "", AAC: p.cfg.DecodesAAC})
}

// AudioPlan says what becomes of a feed's audio in a delivery; t is nil for none.
func AudioPlan(d plan.Delivery, record store.Feed, t *media.Track, has plan.Transcoder) plan.Audio {
	mode := plan.AudioMode(record.Audio)
	switch d {
	case plan.HLS:
		mode = plan.AudioMode(record.AudioHLS).Or(mode)
	case plan.WebRTC:
		mode = plan.AudioMode(record.AudioWebRTC).Or(mode)
	}
	return plan.AudioFor(d, mode, t, has)
}

// Audio is a feed's audio in one delivery, for one user. Release it.
type Audio struct {
	Hub     *hub.Hub
	Track   *media.Track // as it is delivered
	Release func()
}

// openAudio opens the audio as a delivery gets it; nil when it gets none.
func (p *Pipeline) openAudio(a plan.Audio, t *media.Track) *Audio {
	switch {
	case a.Codec == "" || t == nil:
		return nil
	case !a.Transcode:
		return &Audio{Hub: p.input.audio, Track: t, Release: func() {}}
	}
	output, err := p.audio.Use(a.Codec)
	if err != nil {
		return nil // the run is ending
	}
	_, track := rendition.AudioFor(t, a.Codec)
	return &Audio{Hub: output.Hub(), Track: track, Release: output.Release}
}

// hlsAudio gives a segmenter the audio that goes with its frames.
type hlsAudio struct {
	pipeline  *Pipeline
	segmenter *hls.Segmenter

	camera *media.Track
	plan   plan.Audio
	audio  *Audio
	reader *hub.Reader
}

// arrange looks whether another audio is to go with the frames from here on; the first
// that is written is that of a frame or later.
func (a *hlsAudio) arrange(frame *media.Sample) {
	camera := a.pipeline.input.track.Load()
	p := a.pipeline.AudioPlan(plan.HLS)
	if p == a.plan && media.SameAudio(camera, a.camera) {
		return
	}
	a.close()
	a.camera, a.plan = camera, p
	if a.audio = a.pipeline.openAudio(p, camera); a.audio == nil {
		a.segmenter.SetAudio(nil)
		return
	}
	const earlier = 200 * time.Millisecond // the unit that the frame falls into
	a.reader = a.audio.Hub.NewReaderFrom(frame.Captured.Add(-earlier))
	a.segmenter.SetAudio(a.audio.Track)
}

// pour writes the audio that is there.
func (a *hlsAudio) pour() {
	for a.reader != nil {
		sample := a.reader.Try()
		if sample == nil {
			return
		}
		a.segmenter.WriteAudio(sample)
	}
}

func (a *hlsAudio) close() {
	if a.reader != nil {
		a.reader.Close()
		a.audio.Release()
		a.reader, a.audio = nil, nil
	}
}
