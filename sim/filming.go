package sim

import (
	"context"
	"time"

	"webostrum/core/h264"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/workerproto"
	"webostrum/deliver/rtsp"
	"webostrum/sim/reel"
	"webostrum/sim/scene"
	"webostrum/transcode"
)

// films films until ctx ends, with the settings of the day.
func (c *Camera) films(ctx context.Context, s Settings, h, audio *hub.Hub) error {
	begun := time.Now()
	if c.cfg.Codec == media.H265 {
		c.projects(ctx, h, audio)
		return nil
	}
	for {
		next, err := c.film(ctx, s, h, audio, begun)
		if err != nil || ctx.Err() != nil {
			return err
		}
		s = next
	}
}

// film paints and encodes until ctx ends or other settings are wanted. A worker that dies,
// or from which nothing comes any more, is replaced.
func (c *Camera) film(ctx context.Context, s Settings, h, audio *hub.Hub, begun time.Time) (Settings, error) {
	f := &film{camera: c, settings: s, hub: h, audio: audio, scene: scene.New(s.Width, s.Height, c.cfg.Name), begun: begun}
	defer f.end()
	pix := make([]byte, f.scene.Size())
	for next := time.Now(); ; {
		now := time.Now()
		f.scene.Paint(pix, now)
		f.encode(pix, now)
		if next = next.Add(c.framePeriod(s)); next.Before(now) {
			next = now // a machine that is too slow leaves frames out
		}
		timer := time.NewTimer(time.Until(next))
		select {
		case <-ctx.Done():
			timer.Stop()
			return s, nil
		case s = <-c.change:
			timer.Stop()
			return s, nil
		case <-timer.C:
		}
	}
}

// idlePeriod is from one frame to the next while nobody looks.
const idlePeriod = 500 * time.Millisecond

// framePeriod is from one frame to the next.
func (c *Camera) framePeriod(s Settings) time.Duration {
	period := time.Duration(float64(time.Second) / s.FrameRate)
	if c.unwatched.Load() {
		period = max(period, idlePeriod)
	}
	return period
}

// SetWatched says whether anybody looks at the camera's picture. While nobody does it films
// fewer frames, which saves processor time; it begins as watched.
func (c *Camera) SetWatched(yes bool) { c.unwatched.Store(!yes) }

type film struct {
	camera   *Camera
	settings Settings
	hub      *hub.Hub
	audio    *hub.Hub
	scene    *scene.Scene
	worker   *transcode.Worker
	starts   starts
	begun    time.Time
	params   h264.ParamKeeper
	epoch    *media.Epoch
}

func (f *film) end() {
	if f.worker != nil {
		f.worker.Close()
	}
}

func (f *film) encode(pix []byte, now time.Time) {
	if f.worker != nil && f.starts.silent(now) {
		f.replace(now, errSilent)
	}
	if f.worker == nil && f.starts.due(now) {
		if err := f.start(); err != nil {
			f.replace(now, err)
		}
	}
	if f.worker == nil {
		return // until it may be started again
	}
	stamp := workerproto.Stamp{PTS: int64(now.Sub(f.begun).Seconds() * clockRate), Captured: now.UnixNano()}
	if err := f.worker.Frame(stamp, pix); err != nil {
		f.replace(now, err)
	}
}

// replace lets the worker go, if there is one: another is started after a pause.
func (f *film) replace(now time.Time, why error) {
	if f.worker != nil {
		f.worker.Close()
		f.worker = nil
	}
	f.starts.failed(f.camera.cfg.Name, "encoder", now, why)
}

func (f *film) start() error {
	w, err := transcode.Start(f.camera.worker, transcode.Events{Coded: f.coded})
	if err != nil {
		return err
	}
	f.worker = w
	if err := w.Input(workerproto.Input{Codec: workerproto.Raw, Width: f.settings.Width, Height: f.settings.Height}); err != nil {
		return err
	}
	return w.Output(f.settings.output(f.camera.cfg.Codec))
}

// announce says how the pictures are coded from here on.
func (c *Camera) announce(config *media.VideoConfig, pictures, audio *hub.Hub) *media.Epoch {
	track := media.VideoTrack(1, clockRate, config)
	stream := &rtsp.Stream{Hub: pictures, Track: track}
	if _, _, sent, _ := c.cfg.Audio.plan(); sent != nil {
		stream.Audio, stream.AudioTrack = audio, sent
	}
	c.mu.Lock()
	c.stream = stream
	c.mu.Unlock()
	return &media.Epoch{Tracks: []*media.Track{track}}
}

// projects plays the film until ctx ends, again and again, at the times of the day.
func (c *Camera) projects(ctx context.Context, pictures, audio *hub.Hub) {
	frames, config := reel.Load()
	epoch, begun := c.announce(config, pictures, audio), time.Now()
	ticker := time.NewTicker(time.Duration(float64(time.Second) / reel.FrameRate))
	defer ticker.Stop()
	for i := 0; ; i++ {
		now := time.Now()
		frame, pts := frames[i%len(frames)], int64(now.Sub(begun).Seconds()*clockRate)
		pictures.Publish(&media.Sample{Epoch: epoch, Track: epoch.Tracks[0], DTS: pts, PTS: pts, Captured: now, Key: frame.Key, Data: frame.Data})
		c.once.Do(func() { close(c.ready) })
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

// coded publishes a coded picture; the parameter sets in it become the track's.
func (f *film) coded(stamp workerproto.Stamp, data []byte) {
	f.starts.came()
	jpeg := f.camera.cfg.Codec == media.JPEG
	config := &media.VideoConfig{Codec: media.JPEG, Width: f.settings.Width, Height: f.settings.Height}
	if !jpeg {
		data = f.params.TakeOut(data)
		if config = f.params.Current(); config == nil {
			return
		}
	}
	if f.epoch == nil || !f.epoch.Tracks[0].Video.Equal(config) {
		f.epoch = f.camera.announce(config, f.hub, f.audio)
	}
	f.hub.Publish(&media.Sample{
		Epoch: f.epoch, Track: f.epoch.Tracks[0], DTS: stamp.PTS, PTS: stamp.PTS,
		Captured: time.Unix(0, stamp.Captured), Key: stamp.Key || jpeg, Data: data,
	})
	f.camera.once.Do(func() { close(f.camera.ready) })
}
