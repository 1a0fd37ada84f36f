package pipeline

import (
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
	return AudioPlan(d, p.cfg.Record(), p.input.track.Load(), p.transcoder())
}

func (p *Pipeline) transcoder() plan.Transcoder {
	return plan.Transcoder{Present: p.cfg.Worker != "", AAC: p.cfg.DecodesAAC}
}

// AudioPlan says what becomes of a feed's audio in a delivery; t is nil for none.
func AudioPlan(d plan.Delivery, record store.Feed, t *media.Track, has plan.Transcoder) plan.Audio {
	mode := plan.AudioMode(record.Audio)
	switch d {
	case plan.HLS, plan.Fragments:
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
