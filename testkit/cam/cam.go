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

// publish publishes samples at a pace until the test ends.
func publish(t *testing.T, h *hub.Hub, every time.Duration, sample func(n int64) *media.Sample) {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() {
		ticker := time.NewTicker(every)
		defer ticker.Stop()
		for n := int64(0); ; n++ {
			h.Publish(sample(n))
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
			}
		}
	})
	t.Cleanup(func() { cancel(); wg.Wait(); h.Close() })
}

// source publishes a picture every ten milliseconds, every tenth a keyframe.
func source(t *testing.T) *server.Stream {
	t.Helper()
	h := hub.New(hub.Config{})
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	publish(t, h, 10*time.Millisecond, func(n int64) *media.Sample {
		data := pictures.Data(pictures.P(3000, byte(n)))
		if n%10 == 0 {
			data = pictures.Data(pictures.IDR(90_000, byte(n)))
		}
		return &media.Sample{Epoch: epoch, Track: track, DTS: n * 900, PTS: n * 900, Captured: time.Now(), Key: n%10 == 0, Data: data}
	})
	return &server.Stream{Hub: h, Track: track}
}

// reordered publishes a real film with B pictures over and over, 25 frames a second.
func reordered(t *testing.T) *server.Stream {
	t.Helper()
	const frame = 3600 // ticks of 90 kHz
	film, track := pictures.Reordered()
	h := hub.New(hub.Config{})
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	length := int64(len(film))
	publish(t, h, 40*time.Millisecond, func(n int64) *media.Sample {
		p := film[n%length]
		shown := n/length*length + p.Shown
		return &media.Sample{Epoch: epoch, Track: track, DTS: n * frame, PTS: (shown + 1) * frame, Captured: time.Now(), Key: p.Key, Data: p.Data}
	})
	return &server.Stream{Hub: h, Track: track}
}

// audio publishes a unit of a track every 20 ms, whatever its codec: noise of so many
// ticks.
func audio(t *testing.T, track *media.Track) *hub.Hub {
	t.Helper()
	const every, size = 20 * time.Millisecond, 160
	h := hub.New(hub.Config{Keep: 256})
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	length := track.Ticks(every)
	publish(t, h, every, func(n int64) *media.Sample {
		data := make([]byte, size)
		for i := range data {
			data[i] = byte(n)*31 + byte(i)*7
		}
		if track.Codec == media.Opus {
			data[0] = 31 << 3 // one frame of 20 ms (RFC 6716, 3.1)
		}
		return &media.Sample{Epoch: epoch, Track: track, DTS: n * length, PTS: n * length, Length: length, Captured: time.Now(), Key: true, Data: data}
	})
	return h
}

// Serve serves such pictures under /main with our own server, until the test
// ends; it returns its URL.
func Serve(t *testing.T, cfg server.Config) (*server.Server, string) {
	t.Helper()
	return ServeWithAudio(t, cfg, nil)
}

// ServeWithAudio is Serve with a track of audio.
func ServeWithAudio(t *testing.T, cfg server.Config, track *media.Track) (*server.Server, string) {
	t.Helper()
	stream := source(t)
	if track != nil {
		stream.Audio, stream.AudioTrack = audio(t, track), track
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
