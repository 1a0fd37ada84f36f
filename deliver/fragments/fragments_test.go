package fragments_test

import (
	"context"
	"encoding/binary"
	"io"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/aac"
	"webostrum/core/fmp4"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/fragments"
	"webostrum/deliver/socket"
	"webostrum/testkit/pictures"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// stage is a feed that is served until the test ends.
type stage struct {
	t            *testing.T
	video, audio *hub.Hub
	epoch        *media.Epoch
	mic          *media.Track
	n            int64
	at           time.Time
	sent         atomic.Uint64
	server       *httptest.Server
}

func newStage(t *testing.T, withAudio bool) *stage {
	t.Helper()
	s := &stage{
		t: t, video: hub.New(hub.Config{}), audio: hub.New(hub.Config{Keep: 100}), at: time.Unix(1_800_000_000, 0),
		epoch: &media.Epoch{Tracks: []*media.Track{pictures.Track(pictures.SPS)}},
		mic:   &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: 48000, Channels: 2, AAC: aac.LC(48000, 2)},
	}
	ctx, cancel := context.WithCancel(context.Background())
	s.server = httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		stream := fragments.Stream{Video: s.video, Sent: &s.sent}
		if withAudio {
			stream.Audio, stream.Track = s.audio, s.mic
		}
		fragments.Serve(ctx, w, r, stream)
	}))
	s.server.Config.ConnContext = socket.With
	s.server.Start()
	t.Cleanup(func() { cancel(); s.server.Close(); s.video.Close(); s.audio.Close() })
	return s
}

// frame publishes the next frame; every 25th is a keyframe, unless key says so.
func (s *stage) frame(key bool, size int) {
	key = key || s.n%25 == 0
	data := pictures.Data(pictures.P(size, byte(s.n)))
	if key {
		data = pictures.Data(pictures.IDR(size, byte(s.n)))
	}
	s.video.Publish(&media.Sample{Epoch: s.epoch, Track: s.epoch.Tracks[0], DTS: s.n * 3600, PTS: s.n * 3600, Captured: s.at, Key: key, Data: data})
	s.n++
	s.at = s.at.Add(40 * time.Millisecond)
}

func (s *stage) unit(at time.Time) {
	s.audio.Publish(&media.Sample{Track: s.mic, Length: 1024, Captured: at, Key: true, Data: []byte{0xaa}})
}

func (s *stage) open() (*http.Response, *boxes) {
	s.t.Helper()
	res, err := s.server.Client().Get(s.server.URL)
	require.NoError(s.t, err)
	s.t.Cleanup(func() { _ = res.Body.Close() })
	return res, &boxes{s.t, res.Body}
}

// boxes reads top-level boxes.
type boxes struct {
	t *testing.T
	r io.Reader
}

func (b *boxes) next() (kind string, whole []byte) {
	b.t.Helper()
	head := make([]byte, 8)
	_, err := io.ReadFull(b.r, head)
	require.NoError(b.t, err)
	whole = make([]byte, binary.BigEndian.Uint32(head))
	copy(whole, head)
	_, err = io.ReadFull(b.r, whole[8:])
	require.NoError(b.t, err)
	return string(head[4:]), whole
}

// fragment reads the next chunk, over what is no fragment.
func (b *boxes) fragment(track int) []fmp4.ReadSample {
	b.t.Helper()
	var data []byte
	for {
		kind, whole := b.next()
		switch kind {
		case "moof":
			data = whole
		case "mdat":
			samples, err := fmp4.ReadFragment(append(data, whole...), track)
			require.NoError(b.t, err)
			return samples
		}
	}
}

func TestAFrameAtATime(t *testing.T) {
	s := newStage(t, false)
	s.frame(false, 100)
	res, b := s.open()
	assert.Equal(t, `video/mp4; codecs="avc1.42C01E"`, res.Header.Get("Content-Type"))
	assert.Equal(t, "no-store", res.Header.Get("Cache-Control"))
	for _, want := range []string{"ftyp", "moov", "prft"} {
		kind, _ := b.next()
		assert.Equal(t, want, kind)
	}
	end := uint64(0)
	for i := range 30 {
		got := b.fragment(1)
		require.Len(t, got, 1)
		assert.Equal(t, end, got[0].DTS, "frame %d begins where the one before ended", i)
		assert.Equal(t, i%25 == 0, got[0].Sync)
		end = got[0].DTS + uint64(got[0].Duration)
		s.frame(false, 100) // only now, and it comes at once
	}
	assert.Positive(t, s.sent.Load())
}

func TestAudioGoesWithIt(t *testing.T) {
	s := newStage(t, true)
	begun := s.at
	s.frame(false, 100)
	res, b := s.open()
	assert.Equal(t, `video/mp4; codecs="avc1.42C01E,mp4a.40.2"`, res.Header.Get("Content-Type"))
	heard := 0
	var last fmp4.ReadSample
	for i := range 60 {
		for ; begun.Add(time.Duration(heard) * 1024 * time.Second / 48000).Before(s.at); heard++ {
			s.unit(begun.Add(time.Duration(heard) * 1024 * time.Second / 48000))
		}
		s.frame(false, 100)
		for _, u := range b.fragment(2) {
			if last.Duration > 0 {
				assert.Equal(t, last.DTS+uint64(last.Duration), u.DTS, "at frame %d", i)
			}
			last = u
		}
	}
	assert.InDelta(t, 60*0.04, float64(last.DTS)/48000, 0.1)
}

// TestASlowViewerGoesOnAtAKeyframe and the writer of the hub does not wait for it.
func TestASlowViewerGoesOnAtAKeyframe(t *testing.T) {
	s := newStage(t, false)
	s.frame(false, 100)
	_, b := s.open()
	require.Len(t, b.fragment(1), 1)
	for range 200 { // 40 MB, of which a viewer that does not read can have little waiting
		s.frame(false, 200_000)
	}
	gaps, before := 0, b.fragment(1)[0]
	for before.DTS < uint64(s.n-2)*3600 {
		next := b.fragment(1)[0]
		if next.DTS != before.DTS+uint64(before.Duration) {
			gaps++
			assert.True(t, next.Sync, "decoding can go on there")
		}
		before = next
	}
	assert.Positive(t, gaps)
}

// TestAnotherCodingIsAnotherAnswer: this one ends.
func TestAnotherCodingIsAnotherAnswer(t *testing.T) {
	s := newStage(t, false)
	s.frame(false, 100)
	res, b := s.open()
	require.Len(t, b.fragment(1), 1)
	s.epoch = &media.Epoch{Number: 1, Tracks: []*media.Track{pictures.Track(pictures.Larger)}}
	s.frame(true, 100)
	_, err := io.ReadAll(res.Body)
	require.NoError(t, err)
}

func TestHeadIsNoStream(t *testing.T) {
	s := newStage(t, false)
	s.frame(false, 100)
	res, err := s.server.Client().Head(s.server.URL)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	assert.Equal(t, 200, res.StatusCode)
}
