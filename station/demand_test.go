package station

import (
	"context"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/core/plan"
	server "webostrum/deliver/rtsp"
	"webostrum/station/pipeline"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
)

// whileNeeded is a station with a feed that is connected while needed, whose camera counts who asks
// and can freeze.
type whileNeeded struct {
	t       *testing.T
	st      *Station
	records *store.Store
	feed    *Feed
	asked   atomic.Int64
	frozen  atomic.Bool // it answers and sends nothing
}

func newWhileNeeded(t *testing.T, lingers time.Duration) *whileNeeded {
	t.Helper()
	d := &whileNeeded{t: t}
	d.st, d.records = openEmpty(t)
	d.st.lingers = lingers
	_, url := cam.Serve(t, server.Config{
		Policy: func() server.Policy { d.asked.Add(1); return server.Policy{} },
		Filter: func(_ *media.Track, p [][]byte) [][]byte {
			if d.frozen.Load() {
				return nil
			}
			return p
		},
	})
	var err error
	d.feed, err = d.st.Add(store.Feed{Name: "gate", URL: url, Transport: "tcp", SegmentMillis: 500, PlaylistLength: 3, FirstMillis: 1000, Enabled: true, WhileNeeded: true})
	require.NoError(t, err)
	return d
}

func (d *whileNeeded) is(want State) {
	d.t.Helper()
	ctx, cancel := context.WithTimeout(d.t.Context(), 30*time.Second)
	defer cancel()
	require.NoError(d.t, testkit.Eventually(ctx, func() bool { return d.feed.Condition().State == want }), "%s, and it is %+v", want, d.feed.Condition())
}

func (d *whileNeeded) events() string {
	d.t.Helper()
	d.st.FlushEvents(context.Background())
	list, err := d.records.Events(store.EventQuery{Feed: "gate", Limit: 100})
	require.NoError(d.t, err)
	var texts []string
	for _, e := range list {
		texts = append(texts, e.Text)
	}
	return strings.Join(texts, "\n")
}

// TestConnectedWhileNeeded has a camera that is connected when the feed is added, left when
// nobody needs it, and connected again for each who comes, with nothing of before.
func TestConnectedWhileNeeded(t *testing.T) {
	t.Parallel()
	d := newWhileNeeded(t, 500*time.Millisecond)
	d.is(StateLive)
	d.is(StateIdle)
	asked, run := d.asked.Load(), d.feed.Status().Run
	assert.Nil(t, d.feed.Status().Facts, "there is no session")
	assert.False(t, d.feed.Playable())
	assert.Equal(t, "Nobody needs it now, so it is not connected.", d.feed.Condition().Reason())

	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	s, err := d.feed.Stream(ctx, pipeline.Ask{Delivery: plan.WebRTC})
	require.NoError(t, err)
	began := time.Now()
	reader := s.Hub.NewReader()
	first, _, err := reader.Next(ctx)
	require.NoError(t, err)
	assert.True(t, first.Key)
	assert.True(t, first.Captured.After(began.Add(-2*time.Second)), "it is of now")
	assert.Equal(t, run, d.feed.Status().Run, "whoever waited while it was idle goes on")
	assert.Greater(t, d.asked.Load(), asked)
	for range 4 { // looks of the station, a second each, of which none may part
		require.NoError(t, d.feed.turnOfTick(ctx))
	}
	assert.Equal(t, StateLive, d.feed.Condition().State, "as long as it is read")
	reader.Close()
	s.Release()
	s.Release()
	d.is(StateIdle)
	assert.NotEqual(t, run, d.feed.Status().Run)

	_, err = d.feed.Still(ctx, pipeline.JPEGRequest{}, 0)
	require.Error(t, err, "there is no worker here")
	_, _, err = d.feed.Multivariant(ctx, hls.Original)
	require.NoError(t, err)
	d.is(StateLive)
	assert.Equal(t, 1, strings.Count(d.events(), "live: "), "that it is connected as it is needed is no news:\n%s", d.events())
	assert.NotContains(t, d.events(), "idle")
}

// turnOfTick waits until the station has looked at its feeds once more.
func (f *Feed) turnOfTick(ctx context.Context) error {
	before := f.station.Ticked()
	return testkit.Eventually(ctx, func() bool { return f.station.Ticked().After(before) })
}

// TestABrokenCameraIsTriedUntilItAnswers whether it is needed or not, so that its outage has
// an end; then it is idle.
func TestABrokenCameraIsTriedUntilItAnswers(t *testing.T) {
	t.Parallel()
	d := newWhileNeeded(t, 500*time.Millisecond)
	d.is(StateLive)
	d.is(StateIdle)
	d.frozen.Store(true)
	d.feed.touch()
	d.is(StateRetrying)
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool { return d.feed.Condition().Tries > 2 }))
	assert.False(t, d.feed.demand.needed())
	assert.Equal(t, StateRetrying, d.feed.Condition().State)
	assert.False(t, d.feed.available())
	d.frozen.Store(false)
	d.is(StateIdle)
	assert.Equal(t, 2, strings.Count(d.events(), "live: "), "that it has come back is told:\n%s", d.events())
}

// TestWhileNeededIsSwitched while the feed runs, without another run.
func TestWhileNeededIsSwitched(t *testing.T) {
	t.Parallel()
	d := newWhileNeeded(t, 500*time.Millisecond)
	d.is(StateIdle)
	set := func(to bool) {
		_, err := d.st.Edit("gate", "edited", func(r *store.Feed) error { r.WhileNeeded = to; return nil })
		require.NoError(t, err)
	}
	set(false)
	d.is(StateLive)
	set(true)
	d.is(StateIdle)
	_, err := d.st.Restart("gate")
	require.NoError(t, err)
	d.is(StateLive)
	d.is(StateIdle)
	_, err = d.st.Edit("gate", "off", func(r *store.Feed) error { r.Enabled = false; return nil })
	require.NoError(t, err)
	assert.Equal(t, StateOff, d.feed.Condition().State)
	_, err = d.feed.Stream(t.Context(), pipeline.Ask{Delivery: plan.WebRTC})
	require.Error(t, err)
}

// TestManyComeAndGo while the camera is being left: each gets pictures, and at the end it is idle.
func TestManyComeAndGo(t *testing.T) {
	t.Parallel()
	d := newWhileNeeded(t, time.Millisecond)
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	for range 8 {
		done := make(chan error, 4)
		for range 4 {
			go func() {
				s, err := d.feed.Stream(ctx, pipeline.Ask{Delivery: plan.WebRTC})
				if err == nil {
					r := s.Hub.NewReader()
					_, _, err = r.Next(ctx)
					r.Close()
					s.Release()
				}
				done <- err
			}()
		}
		for range 4 {
			require.NoError(t, <-done)
		}
		require.NoError(t, d.feed.turnOfTick(ctx))
	}
	d.is(StateIdle)
}
