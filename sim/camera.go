// Package sim plays cameras: it paints a scene, has it encoded live, serves it
// as a camera would, and misbehaves when it is told to.
package sim

import (
	"context"
	"errors"
	"fmt"
	"net"
	"sync"
	"time"

	"webostrum/convert"
	coreconvert "webostrum/core/convert"
	"webostrum/core/h264"
	"webostrum/core/httpauth"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/rtsp"
	"webostrum/sim/scene"
)

const clockRate = 90000

// Settings are what a reboot may change.
type Settings struct {
	Width, Height int
	FrameRate     float64       // pictures a second
	BitRate       int           // bits a second
	KeyEvery      time.Duration // from one keyframe to the next
}

// Defaults are a usual camera of the present day.
func Defaults() Settings {
	return Settings{Width: 1280, Height: 720, FrameRate: 25, BitRate: 2_000_000, KeyEvery: 2 * time.Second}
}

func (s Settings) order() coreconvert.EncodeOrder {
	return coreconvert.EncodeOrder{
		Width: s.Width, Height: s.Height, FrameRate: s.FrameRate, BitRate: s.BitRate,
		KeyEvery: max(1, int(s.KeyEvery.Seconds()*s.FrameRate+0.5)),
	}
}

// Config says what camera to play.
type Config struct {
	Name      string // also its path: rtsp://address/name
	Listen    string // "127.0.0.1:0" for any free port
	User      string // empty: no sign-in
	Password  string
	Algorithm string // of Digest; empty is MD5
	NonceUses int    // requests after which a nonce goes stale; 0 means never
	NoTCP     bool   // offers RTP over UDP only
	Settings  Settings
	Worker    string // path of the codec worker; empty means to look for it
}

// Camera is one simulated camera.
type Camera struct {
	cfg    Config
	worker string
	Faults Faults // what it does wrong

	mu       sync.Mutex
	settings Settings       // guarded by mu
	stream   *rtsp.Stream   // guarded by mu; nil while it boots
	server   *rtsp.Server   // guarded by mu
	listener net.Listener   // guarded by mu; the first one, made by New
	reboot   chan rebooting // asks Run for a new life
	address  string
	ready    chan struct{} // closed at the first picture of the first life
	once     sync.Once
}

type rebooting struct {
	settings Settings
	off      time.Duration
}

// New makes a camera and opens its port, so that Address is known. Run plays
// it.
func New(cfg Config) (*Camera, error) {
	worker, err := convert.Find(cfg.Worker)
	if err != nil {
		return nil, err
	}
	if err := cfg.Settings.order().Validate(); err != nil {
		return nil, fmt.Errorf("simulated camera %s: %w", cfg.Name, err)
	}
	l, err := net.Listen("tcp", cfg.Listen)
	if err != nil {
		return nil, err
	}
	return &Camera{
		cfg: cfg, worker: worker, settings: cfg.Settings, listener: l, address: l.Addr().String(),
		reboot: make(chan rebooting, 1), ready: make(chan struct{}),
	}, nil
}

// Ready is closed once the camera has made its first picture.
func (c *Camera) Ready() <-chan struct{} { return c.ready }

// Name returns the camera's name.
func (c *Camera) Name() string { return c.cfg.Name }

// URL returns where the stream is, without credentials.
func (c *Camera) URL() string { return "rtsp://" + c.address + "/" + c.cfg.Name }

// Settings returns what it sends now.
func (c *Camera) Settings() Settings {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.settings
}

// Run plays the camera until ctx ends.
func (c *Camera) Run(ctx context.Context) error {
	for {
		again, err := c.live(ctx)
		if ctx.Err() != nil {
			return nil
		}
		if err != nil {
			return err
		}
		if !sleep(ctx, again.off) {
			return nil
		}
		c.mu.Lock()
		c.settings = again.settings
		c.listener, err = net.Listen("tcp", c.address)
		c.mu.Unlock()
		if err != nil {
			return err
		}
	}
}

func sleep(ctx context.Context, d time.Duration) bool {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
		return true
	case <-ctx.Done():
		return false
	}
}

// Reboot makes the camera go away for a while and come back with other
// settings.
func (c *Camera) Reboot(s Settings, off time.Duration) error {
	if err := s.order().Validate(); err != nil {
		return err
	}
	select {
	case c.reboot <- rebooting{s, off}:
		return nil
	default:
		return errors.New("the camera is about to reboot already")
	}
}

// Drop cuts all connections.
func (c *Camera) Drop() {
	c.mu.Lock()
	server := c.server
	c.mu.Unlock()
	if server != nil {
		server.DropAll()
	}
}

// live is one life from boot to reboot.
func (c *Camera) live(ctx context.Context) (again rebooting, err error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	h := hub.New(hub.Config{})
	defer h.Close()
	server := rtsp.NewServer(rtsp.Config{
		Lookup: c.lookup, User: c.cfg.User, Password: c.cfg.Password, NonceUses: c.cfg.NonceUses, NoTCP: c.cfg.NoTCP,
		Challenge: httpauth.Challenge{Scheme: "digest", Realm: c.cfg.Name, Algorithm: c.cfg.Algorithm, QOP: "auth"},
		Tamper:    &c.Faults,
	})
	defer server.Close()
	c.mu.Lock()
	c.server = server
	listener, settings := c.listener, c.settings
	c.mu.Unlock()
	var parts sync.WaitGroup
	defer parts.Wait()
	defer cancel()
	failed := make(chan error, 2)
	parts.Go(func() { failed <- c.film(ctx, settings, h) })
	parts.Go(func() {
		if err := server.Serve(listener); err != nil {
			failed <- err
		}
	})
	defer server.Close() // before parts.Wait: it ends Serve
	defer c.goDark()
	select {
	case again = <-c.reboot:
	case err = <-failed:
	case <-ctx.Done():
	}
	return again, err
}

func (c *Camera) goDark() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.stream = nil
}

func (c *Camera) lookup(path string) *rtsp.Stream {
	c.mu.Lock()
	defer c.mu.Unlock()
	if path != "/"+c.cfg.Name {
		return nil
	}
	return c.stream
}

// film paints and encodes until ctx ends. A worker that dies is replaced.
func (c *Camera) film(ctx context.Context, s Settings, h *hub.Hub) error {
	f := &film{camera: c, settings: s, hub: h, scene: scene.New(s.Width, s.Height, c.cfg.Name)}
	defer f.end()
	ticker := time.NewTicker(time.Duration(float64(time.Second) / s.FrameRate))
	defer ticker.Stop()
	pix := make([]byte, f.scene.Size())
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-ticker.C:
		}
		now := time.Now()
		f.scene.Paint(pix, now)
		if err := f.encode(pix, now); err != nil {
			return err
		}
	}
}

type film struct {
	camera   *Camera
	settings Settings
	hub      *hub.Hub
	scene    *scene.Scene
	encoder  *convert.Encoder
	begun    time.Time
	params   h264.ParamKeeper
	epoch    *media.Epoch
}

func (f *film) end() {
	if f.encoder != nil {
		f.encoder.Close()
	}
}

func (f *film) encode(pix []byte, now time.Time) error {
	if f.encoder == nil {
		e, err := convert.StartEncoder(f.camera.worker, f.settings.order(), f.coded)
		if err != nil {
			return err
		}
		f.encoder = e
	}
	if f.begun.IsZero() {
		f.begun = now
	}
	stamp := coreconvert.Stamp{PTS: int64(now.Sub(f.begun).Seconds() * clockRate), Captured: now.UnixNano()}
	if err := f.encoder.Encode(stamp, pix); err != nil {
		f.encoder.Close()
		f.encoder = nil // the next picture starts another
	}
	return nil
}

// coded publishes a coded picture; the parameter sets in it become the track's.
func (f *film) coded(stamp coreconvert.Stamp, data []byte) {
	var picture []byte
	for nal := range h264.NALs(data) {
		switch h264.TypeOf(nal) {
		case h264.NALSPS, h264.NALPPS:
			_ = f.params.Add(nal) // our own encoder's
		default:
			picture = h264.AppendNAL(picture, nal)
		}
	}
	sets := f.params.Current()
	if sets == nil {
		return
	}
	if f.epoch == nil || !f.epoch.Tracks[0].H264.Equal(sets) {
		track := &media.Track{
			ID: 1, Kind: media.KindVideo, Codec: media.H264, ClockRate: clockRate,
			Width: f.settings.Width, Height: f.settings.Height, H264: sets,
		}
		f.epoch = &media.Epoch{Tracks: []*media.Track{track}}
		f.camera.mu.Lock()
		f.camera.stream = &rtsp.Stream{Hub: f.hub, Track: track}
		f.camera.mu.Unlock()
	}
	f.hub.Publish(&media.Sample{
		Epoch: f.epoch, Track: f.epoch.Tracks[0], DTS: stamp.PTS, PTS: stamp.PTS,
		Captured: time.Unix(0, stamp.Captured), Key: stamp.Key, Data: picture,
	})
	f.camera.once.Do(func() { close(f.camera.ready) })
}
