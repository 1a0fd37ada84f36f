package hub_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/hub"
	"webostrum/core/media"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

func sample(n int, key bool, size int) *media.Sample {
	return &media.Sample{PTS: int64(n), Key: key, Data: make([]byte, size)}
}

func within(t *testing.T) context.Context {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	t.Cleanup(cancel)
	return ctx
}

func TestReaderBeginsAtTheNewestKeyframe(t *testing.T) {
	h := hub.New(hub.Config{})
	defer h.Close()
	for i := range 25 {
		h.Publish(sample(i, i%10 == 0, 1))
	}
	r := h.NewReader()
	defer r.Close()
	for want := int64(20); want < 25; want++ {
		s, missed, err := r.Next(within(t))
		require.NoError(t, err)
		assert.Equal(t, want, s.PTS)
		assert.Zero(t, missed)
	}
}

func TestReaderWaitsForAKeyframe(t *testing.T) {
	h := hub.New(hub.Config{})
	defer h.Close()
	r := h.NewReader()
	defer r.Close()
	h.Publish(sample(0, false, 1))
	h.Publish(sample(1, false, 1))
	h.Publish(sample(2, true, 1))
	s, missed, err := r.Next(within(t))
	require.NoError(t, err)
	assert.Equal(t, int64(2), s.PTS)
	assert.Equal(t, uint64(2), missed)
}

func TestSlowReaderIsMovedToTheNewestKeyframe(t *testing.T) {
	h := hub.New(hub.Config{MaxBytes: 1000})
	defer h.Close()
	h.Publish(sample(0, true, 100))
	r := h.NewReader()
	defer r.Close()
	_, _, err := r.Next(within(t))
	require.NoError(t, err)
	for i := 1; i < 58; i++ {
		h.Publish(sample(i, i%5 == 0, 100))
	}
	s, missed, err := r.Next(within(t))
	require.NoError(t, err)
	assert.Equal(t, int64(55), s.PTS)
	assert.Equal(t, uint64(54), missed, "1 to 54")
}

func TestNewestPassesOver(t *testing.T) {
	h := hub.New(hub.Config{})
	defer h.Close()
	assert.Nil(t, h.Latest())
	assert.Nil(t, h.Key())
	r := h.NewReader()
	defer r.Close()
	for i := range 7 {
		h.Publish(sample(i, true, 1))
	}
	assert.Equal(t, 7, r.Behind())
	s, missed, err := r.Newest(within(t))
	require.NoError(t, err)
	assert.Equal(t, int64(6), s.PTS)
	assert.Equal(t, uint64(6), missed)
	assert.Zero(t, r.Behind())
	h.Publish(sample(7, false, 1))
	assert.Equal(t, int64(7), h.Latest().PTS)
	assert.Equal(t, int64(6), h.Key().PTS)
	ctx, cancel := context.WithCancel(within(t))
	cancel()
	_, _, err = r.Newest(ctx)
	assert.ErrorIs(t, err, context.Canceled, "one that is no keyframe is waited over")
	h.Publish(sample(8, true, 1))
	s, _, err = r.Newest(within(t))
	require.NoError(t, err)
	assert.Equal(t, int64(8), s.PTS)
}

func TestBytesAreBounded(t *testing.T) {
	h := hub.New(hub.Config{MaxBytes: 1000})
	defer h.Close()
	h.Publish(sample(0, true, 100))
	for i := 1; i < 100; i++ {
		h.Publish(sample(i, false, 100)) // no further keyframe
	}
	r := h.NewReader()
	defer r.Close()
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, _, err := r.Next(ctx)
	assert.ErrorIs(t, err, context.Canceled, "the keyframe is gone, so there is nothing to begin with")
	h.Publish(sample(100, true, 5000))
	s, _, err := r.Next(within(t))
	require.NoError(t, err)
	assert.Equal(t, int64(100), s.PTS, "one that is too large is kept all the same")
}

func TestClose(t *testing.T) {
	h := hub.New(hub.Config{})
	h.Publish(sample(0, true, 1))
	r := h.NewReader()
	defer r.Close()
	h.Close()
	_, _, err := r.Next(within(t))
	require.NoError(t, err, "what is left is read")
	_, _, err = r.Next(within(t))
	assert.ErrorIs(t, err, hub.ErrClosed)
	assert.Equal(t, 1, h.Readers())
}

func TestManyReadersSeeEverything(t *testing.T) {
	const readers, samples = 50, 3000
	h := hub.New(hub.Config{})
	h.Publish(sample(0, true, 1))
	var wg sync.WaitGroup
	missing := make(chan uint64, readers)
	for range readers {
		r := h.NewReader()
		wg.Go(func() {
			defer r.Close()
			var seen, missed uint64
			for {
				s, m, err := r.Next(context.Background())
				if err != nil {
					break
				}
				missed += m
				seen++
				if s.PTS == samples {
					break
				}
			}
			missing <- samples + 1 - seen - missed
		})
	}
	for i := 1; i <= samples; i++ {
		h.Publish(sample(i, i%100 == 0, 1))
	}
	wg.Wait()
	h.Close()
	close(missing)
	for m := range missing {
		assert.Zero(t, m, "each sample is either read or counted as missed")
	}
	assert.Zero(t, h.Readers())
}
