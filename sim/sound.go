package sim

import (
	"context"
	"fmt"
	"time"

	"webostrum/convert"
	coreconvert "webostrum/core/convert"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/pcm"
	"webostrum/sim/scene"
)

// Sound is a coding of a camera's sound.
type Sound string

// The codings of sound.
const (
	NoSound Sound = "none"
	AAC     Sound = "aac"       // 48 kHz, stereo
	PCMU    Sound = "g711-mu"   // 8 kHz
	PCMA    Sound = "g711-a"    // 8 kHz
	Opus    Sound = "opus"      // 48 kHz
	L16     Sound = "pcm16"     // 16 kHz
	AAC8    Sound = "aac-8khz"  // mono, as small cameras send it
	AAC441  Sound = "aac-44khz" // stereo
)

// Sounds are all of them.
var Sounds = []Sound{NoSound, AAC, AAC8, AAC441, PCMU, PCMA, Opus, L16}

const (
	soundBlock = 20 * time.Millisecond
	soundKept  = 512
)

// plan is what is recorded and, for what the worker codes, how.
func (s Sound) plan() (recorded *media.Track, order *coreconvert.SoundOutput, sent *media.Track, err error) {
	t := &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.L16, ClockRate: 8000, Channels: 1}
	switch s {
	case "", NoSound:
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
		return nil, nil, nil, fmt.Errorf("sound %q is not one of %v", s, Sounds)
	}
	codec := media.AAC
	if s == Opus {
		codec = media.Opus
	}
	o, made := coreconvert.Sound(t, codec)
	o.Number = 1
	return t, &o, made, nil
}

// recorder records the scene's sound as a camera does.
type recorder struct {
	camera   *Camera
	hub      *hub.Hub
	recorded *media.Track
	order    *coreconvert.SoundOutput // nil when no worker is needed
	epoch    *media.Epoch
	worker   *convert.Worker
	drift    float64
}

// records records until ctx ends. A worker that dies is replaced.
func (c *Camera) records(ctx context.Context, h *hub.Hub) error {
	recorded, order, sent, err := c.cfg.Sound.plan()
	if err != nil || recorded == nil {
		return err
	}
	r := &recorder{camera: c, hub: h, recorded: recorded, order: order, epoch: &media.Epoch{Tracks: []*media.Track{sent}}, drift: c.cfg.SoundDrift}
	defer r.end()
	s := &scene.Sound{Rate: int(recorded.ClockRate)}
	ticker := time.NewTicker(soundBlock)
	defer ticker.Stop()
	begun := time.Now()
	block := make([]int16, int(soundBlock.Seconds()*float64(recorded.ClockRate)))
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
	if r.order == nil {
		r.publish(n, int64(len(mono)), at, pcm.Big(samples))
		return nil
	}
	if r.worker == nil {
		if err := r.start(); err != nil {
			return err
		}
	}
	if err := r.worker.Sound(coreconvert.Stamp{Captured: at.UnixNano()}, pcm.Big(samples)); err != nil {
		r.worker.Close()
		r.worker = nil // the next block starts another
	}
	return nil
}

func (r *recorder) start() error {
	w, err := convert.Start(r.camera.worker, convert.Events{Coded: func(s coreconvert.Stamp, data []byte) {
		t := r.epoch.Tracks[0]
		scale := int64(t.ClockRate) / int64(r.order.SampleRate)
		r.publish(s.PTS*scale, r.order.Ticks(t), time.Unix(0, s.Captured), data)
	}})
	if err != nil {
		return err
	}
	r.worker = w
	if err := w.SoundInput(coreconvert.InputOf(r.recorded)); err != nil {
		return err
	}
	return w.SoundOutput(*r.order)
}

func (r *recorder) publish(pts, length int64, at time.Time, data []byte) {
	r.hub.Publish(&media.Sample{
		Epoch: r.epoch, Track: r.epoch.Tracks[0], DTS: pts, PTS: pts, Length: length, Captured: at, Key: true, Data: data,
	})
}
