// Package cam is a camera for tests: real RTSP, and pictures that hold noise.
package cam

import (
	"context"
	"net"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"webostrum/core/hub"
	"webostrum/core/media"
	server "webostrum/deliver/rtsp"
	"webostrum/testkit/pictures"
)

// source publishes a picture every ten milliseconds, every tenth a keyframe.
func source(t *testing.T) *server.Stream {
	t.Helper()
	h := hub.New(hub.Config{})
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() {
		ticker := time.NewTicker(10 * time.Millisecond)
		defer ticker.Stop()
		for n := int64(0); ; n++ {
			data := pictures.Data(pictures.P(3000, byte(n)))
			if n%10 == 0 {
				data = pictures.Data(pictures.IDR(90_000, byte(n)))
			}
			h.Publish(&media.Sample{Epoch: epoch, Track: track, DTS: n * 900, PTS: n * 900, Captured: time.Now(), Key: n%10 == 0, Data: data})
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
			}
		}
	})
	t.Cleanup(func() { cancel(); wg.Wait(); h.Close() })
	return &server.Stream{Hub: h, Track: track}
}

// reordered publishes a real film with B pictures over and over, 25 pictures a second.
func reordered(t *testing.T) *server.Stream {
	t.Helper()
	film, track := pictures.Reordered()
	h := hub.New(hub.Config{})
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() {
		const frame = 3600 // ticks of 90 kHz
		ticker := time.NewTicker(40 * time.Millisecond)
		defer ticker.Stop()
		for n := int64(0); ; n++ {
			p := film[n%int64(len(film))]
			shown := n/int64(len(film))*int64(len(film)) + p.Shown
			h.Publish(&media.Sample{Epoch: epoch, Track: track, DTS: n * frame, PTS: (shown + 1) * frame, Captured: time.Now(), Key: p.Key, Data: p.Data})
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
			}
		}
	})
	t.Cleanup(func() { cancel(); wg.Wait(); h.Close() })
	return &server.Stream{Hub: h, Track: track}
}

// sound publishes a unit of a track every 20 ms, whatever its codec: noise of so many
// ticks.
func sound(t *testing.T, track *media.Track) *hub.Hub {
	t.Helper()
	const every, size = 20 * time.Millisecond, 160
	h := hub.New(hub.Config{Keep: 256})
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() {
		ticker := time.NewTicker(every)
		defer ticker.Stop()
		length := track.Ticks(every)
		for n := int64(0); ; n++ {
			data := make([]byte, size)
			for i := range data {
				data[i] = byte(n)*31 + byte(i)*7
			}
			if track.Codec == media.Opus {
				data[0] = 31 << 3 // one frame of 20 ms (RFC 6716, 3.1)
			}
			h.Publish(&media.Sample{Epoch: epoch, Track: track, DTS: n * length, PTS: n * length, Length: length, Captured: time.Now(), Key: true, Data: data})
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
			}
		}
	})
	t.Cleanup(func() { cancel(); wg.Wait(); h.Close() })
	return h
}

// Serve serves such pictures under /main with our own server, until the test
// ends; it returns its URL.
func Serve(t *testing.T, cfg server.Config) (*server.Server, string) {
	t.Helper()
	return ServeWithSound(t, cfg, nil)
}

// ServeWithSound is Serve with a track of sound.
func ServeWithSound(t *testing.T, cfg server.Config, track *media.Track) (*server.Server, string) {
	t.Helper()
	stream := source(t)
	if track != nil {
		stream.Sound, stream.SoundTrack = sound(t, track), track
	}
	return serve(t, cfg, stream)
}

// ServeReordered serves a real film whose pictures are reordered and have four slices.
func ServeReordered(t *testing.T, cfg server.Config) (*server.Server, string) {
	t.Helper()
	return serve(t, cfg, reordered(t))
}

func serve(t *testing.T, cfg server.Config, stream *server.Stream) (*server.Server, string) {
	t.Helper()
	cfg.Lookup = func(path string) *server.Stream {
		if path == "/main" {
			return stream
		}
		return nil
	}
	s := server.NewServer(cfg)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	var wg sync.WaitGroup
	wg.Go(func() { _ = s.Serve(l) })
	t.Cleanup(func() { s.Close(); wg.Wait() })
	return s, "rtsp://" + l.Addr().String() + "/main"
}
