package sim

import (
	"context"
	"fmt"
	"time"

	"webostrum/core/aac"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/pcm"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
	"webostrum/sim/scene"
	"webostrum/transcode"
)

// Audio is a coding of a camera's audio.
type Audio string

// The codings of audio.
const (
	NoAudio Audio = "none"
	AAC     Audio = "aac"       // 48 kHz, stereo
	PCMU    Audio = "g711-mu"   // 8 kHz
	PCMA    Audio = "g711-a"    // 8 kHz
	Opus    Audio = "opus"      // 48 kHz
	L16     Audio = "pcm16"     // 16 kHz
	AAC8    Audio = "aac-8khz"  // mono, as small cameras send it
	AAC441  Audio = "aac-44khz" // stereo
)

// Audios are all of them.
var Audios = []Audio{NoAudio, AAC, AAC8, AAC441, PCMU, PCMA, Opus, L16}

const (
	audioBlock = 20 * time.Millisecond
	audioKept  = 512
)

// plan is what is recorded and, for what the worker codes, how.
func (s Audio) plan() (recorded *media.Track, encoding *workerproto.AudioOutput, sent *media.Track, err error) {
	t := &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.L16, ClockRate: 8000, Channels: 1}
	switch s {
	case "", NoAudio:
		return nil, nil, nil, nil
	case PCMU, PCMA:
		t.Codec = media.PCMU
		if s == PCMA {
			t.Codec = media.PCMA
		}
		return t, nil, t, nil
	case L16:
		t.ClockRate = 16000
		return t, nil, t, nil
	case AAC, AAC441, Opus:
		t.ClockRate, t.Channels = 48000, 2
		if s == AAC441 {
			t.ClockRate = 44100
		}
	case AAC8:
	default:
		return nil, nil, nil, fmt.Errorf("audio %q is not one of %v", s, Audios)
	}
	codec := media.AAC
	if s == Opus {
		codec = media.Opus
	}
	e, sent := rendition.AudioFor(t, codec)
	if s == AAC8 {
		const lowBitRate = 24_000
		e = rendition.AudioEncoding{Codec: media.AAC, SampleRate: int(t.ClockRate), Channels: 1, BitRate: lowBitRate}
		sent = &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: t.ClockRate, Channels: 1, AAC: aac.LC(e.SampleRate, 1)}
	}
	return t, &workerproto.AudioOutput{Number: 1, AudioEncoding: e}, sent, nil
}

// recorder records the scene's audio as a camera does.
type recorder struct {
	camera   *Camera
	hub      *hub.Hub
	recorded *media.Track
	encoding *workerproto.AudioOutput // nil when no worker is needed
	epoch    *media.Epoch
	worker   *transcode.Worker
	starts   starts
	drift    float64
}

// records records until ctx ends. A worker that dies is replaced.
func (c *Camera) records(ctx context.Context, h *hub.Hub) error {
	recorded, encoding, sent, err := c.cfg.Audio.plan()
	if err != nil || recorded == nil {
		return err
	}
	r := &recorder{camera: c, hub: h, recorded: recorded, encoding: encoding, epoch: &media.Epoch{Tracks: []*media.Track{sent}}, drift: c.cfg.AudioDrift}
	defer r.end()
	s := &scene.Audio{Rate: int(recorded.ClockRate)}
	ticker := time.NewTicker(audioBlock)
	defer ticker.Stop()
	begun := time.Now()
	block := make([]int16, int(audioBlock.Seconds()*float64(recorded.ClockRate)))
	var n int64 // samples recorded
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-ticker.C:
		}
		// The microphone's clock runs faster than time by the drift.
		for due := int64(time.Since(begun).Seconds() * (1 + r.drift) * float64(recorded.ClockRate)); n+int64(len(block)) <= due; n += int64(len(block)) {
			at := begun.Add(time.Duration(float64(n) / (1 + r.drift) / float64(recorded.ClockRate) * float64(time.Second)))
			s.Fill(block, at)
			if err := r.take(block, n, at); err != nil {
				return err
			}
		}
	}
}

func (r *recorder) end() {
	if r.worker != nil {
		r.worker.Close()
	}
}

// take codes a block and publishes it.
func (r *recorder) take(mono []int16, n int64, at time.Time) error {
	switch r.recorded.Codec {
	case media.PCMU:
		r.publish(n, int64(len(mono)), at, pcm.EncodeMu(mono))
		return nil
	case media.PCMA:
		r.publish(n, int64(len(mono)), at, pcm.EncodeA(mono))
		return nil
	}
	samples := mono
	if r.recorded.Channels == 2 {
		samples = make([]int16, 0, 2*len(mono))
		for _, v := range mono {
			samples = append(samples, v, v)
		}
	}
	if r.encoding == nil {
		r.publish(n, int64(len(mono)), at, pcm.Big(samples))
		return nil
	}
	now := time.Now()
	if r.worker != nil && r.starts.silent(now) {
		r.replace(now, errSilent)
	}
	if r.worker == nil && r.starts.due(now) {
		if err := r.start(); err != nil {
			r.replace(now, err)
		}
	}
	if r.worker == nil {
		return nil // until it may be started again
	}
	if err := r.worker.Audio(workerproto.Stamp{Captured: at.UnixNano()}, pcm.Big(samples)); err != nil {
		r.replace(now, err)
	}
	return nil
}

// replace lets the worker go, if there is one: another is started after a pause.
func (r *recorder) replace(now time.Time, why error) {
	if r.worker != nil {
		r.worker.Close()
		r.worker = nil
	}
	r.starts.failed(r.camera.cfg.Name, "audio encoder", now, why)
}

func (r *recorder) start() error {
	w, err := transcode.Start(r.camera.worker, transcode.Events{Coded: func(s workerproto.Stamp, data []byte) {
		r.starts.came()
		t := r.epoch.Tracks[0]
		scale := int64(t.ClockRate) / int64(r.encoding.SampleRate)
		r.publish(s.PTS*scale, r.encoding.Ticks(t), time.Unix(0, s.Captured), data)
	}})
	if err != nil {
		return err
	}
	r.worker = w
	if err := w.AudioInput(workerproto.AudioInputOf(r.recorded)); err != nil {
		return err
	}
	return w.AudioOutput(*r.encoding)
}

func (r *recorder) publish(pts, length int64, at time.Time, data []byte) {
	r.hub.Publish(&media.Sample{
		Epoch: r.epoch, Track: r.epoch.Tracks[0], DTS: pts, PTS: pts, Length: length, Captured: at, Key: true, Data: data,
	})
}
