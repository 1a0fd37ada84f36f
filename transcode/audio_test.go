package transcode_test

import (
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/testkit"
	"webostrum/transcode"
)

// microphone publishes 20 ms of mu-law at a time; it sends another coding once its
// track is changed.
func microphone(t *testing.T, track *media.Track) *camera {
	t.Helper()
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	return play(t, 20*time.Millisecond, func(i int, now, _ time.Time) *media.Sample {
		return &media.Sample{Epoch: epoch, Track: track, PTS: int64(i) * 160, Length: 160, Captured: now, Key: true, Data: make([]byte, 160)}
	})
}

func listener(t *testing.T, program string) (*transcode.Audio, *notes) {
	t.Helper()
	m := microphone(t, &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.PCMU, ClockRate: 8000, Channels: 1})
	n := &notes{}
	c := transcode.NewAudio(transcode.Config{Program: program, Source: m.hub, Grace: 300 * time.Millisecond, Note: n.add})
	t.Cleanup(func() { c.Close(); m.close() })
	return c, n
}

func TestAudioIsMadeWhileSomebodyListens(t *testing.T) {
	c, n := listener(t, worker(t))
	assert.False(t, c.Costs().Running, "nothing runs for nobody")
	for codec, length := range map[media.Codec]int64{media.AAC: 1024, media.Opus: 960} {
		o, err := c.Use(codec)
		require.NoError(t, err)
		r := o.Hub().NewReader()
		s := next(t, r)
		assert.Equal(t, codec, s.Track.Codec)
		assert.Equal(t, length, s.Length)
		for range 5 {
			after := next(t, r)
			assert.Equal(t, s.PTS+length, after.PTS)
			s = after
		}
		assert.WithinDuration(t, time.Now(), s.Captured, 2*time.Second)
		r.Close()
		o.Release()
	}
	assert.True(t, c.Costs().Running)
	require.NoError(t, testkit.Eventually(within(t), func() bool { return !c.Costs().Running }), "the worker goes after the grace time")
	assert.Empty(t, n.list())
}

// TestAudioWorkerThatDiesOrHangs is replaced, and what it made goes on.
func TestAudioWorkerThatDiesOrHangs(t *testing.T) {
	for signal, why := range map[syscall.Signal]string{syscall.SIGSEGV: "segmentation violation", syscall.SIGSTOP: "hangs"} {
		c, n := listener(t, worker(t))
		o, err := c.Use(media.Opus)
		require.NoError(t, err)
		r := o.Hub().NewReader()
		before := next(t, r)
		require.NoError(t, syscall.Kill(c.Costs().PID, signal))
		require.NoError(t, testkit.Eventually(within(t), func() bool { return len(n.list()) > 0 }))
		assert.Contains(t, n.list()[0], why)
		from := time.Now()
		for s := next(t, r); s.Captured.Before(from); s = next(t, r) {
			before = s
		}
		assert.NotNil(t, before)
		r.Close()
		o.Release()
	}
}

func TestAudioThatCannotBeUsed(t *testing.T) {
	none, _ := listener(t, "")
	_, err := none.Use(media.AAC)
	assert.ErrorIs(t, err, transcode.ErrNoWorker)
	c, _ := listener(t, worker(t))
	_, err = c.Use(media.PCMU)
	assert.ErrorContains(t, err, "cannot be transcoded to PCMU")
	c.Close()
	_, err = c.Use(media.AAC)
	assert.ErrorIs(t, err, hub.ErrClosed)
}
