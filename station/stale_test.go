package station

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	server "webostrum/deliver/rtsp"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
)

// openEmpty opens a station without feeds, whose times a test can shorten.
func openEmpty(t *testing.T) (*Station, *store.Store) {
	t.Helper()
	records, err := store.Open(t.TempDir())
	require.NoError(t, err)
	st, err := Open(Config{Store: records, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	t.Cleanup(func() { st.Close(); assert.NoError(t, records.Close()) })
	return st, records
}

// TestThePastIsForgotten has a camera go away: for a while what was made can
// still be played, and then no more, however often the camera is tried.
func TestThePastIsForgotten(t *testing.T) {
	t.Parallel()
	st, _ := openEmpty(t)
	st.staleAfter = 5 * time.Second
	camera, url := cam.Serve(t, server.Config{})
	f, err := st.Add(store.Feed{Name: "gate", URL: url, Transport: "tcp", SegmentMillis: 500, PlaylistLength: 3, Enabled: true})
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	g, err := f.Track(ctx, hls.Original)
	require.NoError(t, err)
	camera.Close()
	require.NoError(t, testkit.Eventually(ctx, func() bool { return f.Condition().Tries > 1 }))
	_, ok := g.Media(false)
	assert.True(t, ok, "a short gap takes nothing away")
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		_, ok := g.Media(false)
		return !ok
	}))
}
