// Package sim plays cameras: it paints a scene, has it encoded live, serves it
// as a camera would, and misbehaves when it is told to.
package sim

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/core/httpauth"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
	"webostrum/deliver/rtsp"
	"webostrum/sim/reel"
	"webostrum/transcode"
	"webostrum/wait"
)

const clockRate = 90000

// Kind is how a camera sends.
type Kind string

// The kinds of camera.
const (
	RTSP       Kind = "rtsp"        // over RTSP
	MotionJPEG Kind = "motion-jpeg" // JPEG after JPEG in one answer, over HTTP
	Stills     Kind = "stills"      // one JPEG an answer, over HTTP
	PushRTMP   Kind = "push-rtmp"   // it sends by RTMP, and is not opened
	PushRTSP   Kind = "push-rtsp"   // it sends by RTSP (ANNOUNCE and RECORD)
	PushWHIP   Kind = "push-whip"   // it sends by WebRTC, as phones do
	PushTS     Kind = "push-ts"     // it sends a transport stream over UDP
)

// Settings are what a reboot may change.
type Settings struct {
	Width, Height int
	FrameRate     float64       // frames a second
	BitRate       int           // bits a second, of H.264
	KeyEvery      time.Duration // from one keyframe to the next, of H.264
	Quality       int           // of JPEG
}

// Defaults are a usual camera of the present day.
func Defaults() Settings {
	return Settings{Width: 1280, Height: 720, FrameRate: 25, BitRate: 2_000_000, KeyEvery: 2 * time.Second, Quality: 80}
}

func (s Settings) output(codec media.Codec) workerproto.Output {
	e := rendition.Encoding{Codec: media.JPEG, Width: s.Width, Height: s.Height, Quality: s.Quality}
	if codec != media.JPEG {
		e = rendition.Encoding{
			Codec: media.H264, Width: s.Width, Height: s.Height, FrameRate: s.FrameRate, BitRate: s.BitRate,
			KeyMillis: int(s.KeyEvery.Milliseconds()), Profile: rendition.Baseline,
		}
	}
	return workerproto.Output{Number: 1, Encoding: e}
}

// Config says what camera to play.
type Config struct {
	Name      string      // also its path: rtsp://address/name
	Kind      Kind        // empty means RTSP
	Codec     media.Codec // of RTSP: H264, H265 (a film, see package reel) or JPEG; empty is H264
	Listen    string      // "127.0.0.1:0" for any free port; not of those that send
	To        string      // of those that send: where to; empty until SendTo
	User      string      // empty: no sign-in
	Password  string
	Basic     bool   // the sign-in is Basic and not Digest; over HTTP only
	Algorithm string // of Digest; empty is MD5
	NonceUses int    // requests after which a nonce goes stale; 0 means never
	NoTCP     bool   // offers RTP over UDP only
	NoReports bool   // sends no sender reports, as some cameras do

	Audio      Audio   // RTSP only; empty means none
	AudioDrift float64 // by how much the audio's clock runs fast, such as 0.0002

	Settings Settings
	Worker   string // path of the codec worker; empty means to look for it
}

// Camera is one simulated camera.
type Camera struct {
	unwatched atomic.Bool // see SetWatched

	cfg    Config
	worker string
	Faults Faults // what it does wrong

	mu       sync.Mutex
	settings Settings       // guarded by mu
	stream   *rtsp.Stream   // guarded by mu; nil while it boots
	to       string         // guarded by mu; see SendTo
	sendErr  error          // guarded by mu
	server   server         // guarded by mu
	listener net.Listener   // guarded by mu; the first one, made by New
	reboot   chan rebooting // asks Run for a new life
	change   chan Settings  // asks for other pictures in this life
	address  string
	ready    chan struct{} // closed at the first picture of the first life
	once     sync.Once
}

type rebooting struct {
	settings Settings
	off      time.Duration
}

// server is what a camera answers with.
type server interface {
	Serve(net.Listener) error
	DropAll()
	Close()
}

// New makes a camera and opens its port, so that Address is known. Run plays
// it.
func New(cfg Config) (*Camera, error) {
	worker, err := transcode.Find(cfg.Worker)
	if err != nil {
		return nil, err
	}
	if err := cfg.settle(); err != nil {
		return nil, fmt.Errorf("simulated camera %s: %w", cfg.Name, err)
	}
	if _, _, _, err := cfg.Audio.plan(); err != nil {
		return nil, fmt.Errorf("simulated camera %s: %w", cfg.Name, err)
	}
	if err := cfg.Settings.output(cfg.Codec).Validate(); err != nil {
		return nil, fmt.Errorf("simulated camera %s: %w", cfg.Name, err)
	}
	c := &Camera{
		cfg: cfg, worker: worker, settings: cfg.Settings, to: cfg.To,
		reboot: make(chan rebooting, 1), change: make(chan Settings, 1), ready: make(chan struct{}),
	}
	if c.listener, err = c.listen(cfg.Listen); err != nil {
		return nil, fmt.Errorf("simulated camera %s cannot use the address %s: %w", cfg.Name, cfg.Listen, err)
	}
	if c.listener != nil {
		c.address = c.listener.Addr().String()
	}
	return c, nil
}

// listen opens the camera's port; one that sends has none.
func (c *Camera) listen(address string) (net.Listener, error) {
	if c.Sends() {
		return nil, nil
	}
	return net.Listen("tcp", address)
}

// settle fills in what is not said, and what follows from the rest.
func (c *Config) settle() error {
	switch c.Kind {
	case "":
		c.Kind = RTSP
	case MotionJPEG, Stills:
		c.Codec = media.JPEG
	case RTSP:
	default:
		if pushKinds[c.Kind] == nil {
			return fmt.Errorf("kind %q is not one of %s", c.Kind, strings.Join(Kinds(), ", "))
		}
		if c.Codec == media.JPEG {
			return fmt.Errorf("a camera that sends cannot send %s", c.Codec)
		}
	}
	switch c.Codec {
	case "":
		c.Codec = media.H264
	case media.H265:
		c.Settings = Settings{Width: reel.Width, Height: reel.Height, FrameRate: reel.FrameRate, BitRate: reel.BitRate, KeyEvery: reel.KeyEvery}
	case media.H264, media.JPEG:
	default:
		return fmt.Errorf("codec %q is not one of %s, %s, %s", c.Codec, media.H264, media.H265, media.JPEG)
	}
	return nil
}

// Ready is closed once the camera has made its first picture.
func (c *Camera) Ready() <-chan struct{} { return c.ready }

// Name returns the camera's name.
func (c *Camera) Name() string { return c.cfg.Name }

// Codec returns how its pictures are coded.
func (c *Camera) Codec() media.Codec { return c.cfg.Codec }

// Sends says whether the camera sends, and is not opened.
func (c *Camera) Sends() bool { return pushKinds[c.cfg.Kind] != nil }

// Kinds are the names of all kinds of camera.
func Kinds() []string {
	list := []string{string(RTSP), string(MotionJPEG), string(Stills)}
	for _, k := range slices.Sorted(maps.Keys(pushKinds)) {
		list = append(list, string(k))
	}
	return list
}

// URL returns where the stream is, without credentials; of a camera that sends, where to.
func (c *Camera) URL() string {
	if c.Sends() {
		to, _ := c.aim()
		return to
	}
	switch c.cfg.Kind {
	case MotionJPEG:
		return "http://" + c.address + videoPath
	case Stills:
		return "http://" + c.address + picturePath
	}
	return "rtsp://" + c.address + "/" + c.cfg.Name
}

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
		if !wait.For(ctx, again.off) {
			return nil
		}
		c.mu.Lock()
		c.settings = again.settings
		c.listener, err = c.listen(c.address)
		c.mu.Unlock()
		if err != nil {
			return err
		}
	}
}

// Reboot makes the camera go away for a while and come back with other
// settings.
func (c *Camera) Reboot(s Settings, off time.Duration) error {
	if err := s.output(c.cfg.Codec).Validate(); err != nil {
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
	h, audio := hub.New(hub.Config{}), hub.New(hub.Config{Keep: audioKept})
	defer h.Close()
	defer audio.Close()
	server := c.newServer(h)
	defer server.Close()
	c.mu.Lock()
	c.server = server
	listener, settings := c.listener, c.settings
	c.mu.Unlock()
	var parts sync.WaitGroup
	defer parts.Wait()
	defer cancel()
	failed := make(chan error, 3)
	parts.Go(func() { failed <- c.films(ctx, settings, h, audio) })
	parts.Go(func() {
		if err := c.records(ctx, audio); err != nil {
			failed <- err
		}
	})
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

// newServer makes what answers during one life.
func (c *Camera) newServer(h *hub.Hub) server {
	challenge := httpauth.Challenge{Scheme: "digest", Realm: c.cfg.Name, Algorithm: c.cfg.Algorithm, QOP: "auth"}
	if c.cfg.Basic {
		challenge = httpauth.Challenge{Scheme: "basic", Realm: c.cfg.Name}
	}
	if c.Sends() {
		return newPusher(c)
	}
	if c.cfg.Kind != RTSP {
		return newWeb(c, h, challenge)
	}
	return rtsp.NewServer(rtsp.Config{
		Lookup: c.lookup, User: c.cfg.User, Password: c.cfg.Password, NonceUses: c.cfg.NonceUses, NoTCP: c.cfg.NoTCP, NoReports: c.cfg.NoReports,
		Challenge: challenge, Policy: c.Faults.policy, Filter: c.Faults.filter,
	})
}

// Set changes the pictures until the next reboot.
func (c *Camera) Set(s Settings) error {
	if err := s.output(c.cfg.Codec).Validate(); err != nil {
		return err
	}
	c.mu.Lock()
	c.settings = s
	c.mu.Unlock()
	select {
	case <-c.change: // one that nobody has looked at yet
	default:
	}
	select {
	case c.change <- s:
	default:
	}
	return nil
}
