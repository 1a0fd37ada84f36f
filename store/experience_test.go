package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/store"
)

// TestExperienceAddsUp by day, engine and delivery, is forgotten after a month, and goes
// with its feed.
func TestExperienceAddsUp(t *testing.T) {
	s := open(t, t.TempDir())
	f := store.Feed{Name: "gate", URL: "rtsp://192.0.2.7/main"}
	require.NoError(t, s.AddFeed(&f))
	now := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	add := func(at time.Time, e store.Experience) {
		e.FeedID, e.Day, e.Engine, e.Delivery = f.ID, store.Day(at), "Firefox", "hls"
		require.NoError(t, s.AddExperience([]store.Experience{e, {FeedID: f.ID + 99, Day: e.Day, Engine: "Firefox", Delivery: "hls"}}, at))
	}
	add(now.AddDate(0, 0, -31), store.Experience{Plays: 100})
	add(now, store.Experience{Version: 153, Plays: 1, WatchedMillis: 1000, Stalls: 1, StalledMillis: 5, TimedMillis: 10, DelaySum: 20, H265Cannot: 1})
	add(now, store.Experience{Version: 152, Failures: 2, Reason: "no answer", WatchedMillis: 500, H265Plays: 3})
	add(now, store.Experience{Plays: 1})
	all, err := s.ExperienceOf(f.ID, now.AddDate(-1, 0, 0))
	require.NoError(t, err)
	require.Len(t, all, 1, "what is a month old is gone")
	assert.Equal(t, store.Experience{
		FeedID: f.ID, Day: "2026-11-26", Engine: "Firefox", Delivery: "hls", Version: 153, Plays: 2, Failures: 2, Reason: "no answer",
		WatchedMillis: 1500, Stalls: 1, StalledMillis: 5, TimedMillis: 10, DelaySum: 20, H265Plays: 3, H265Cannot: 1,
	}, all[0])
	err = s.RemoveFeed("gate")
	require.NoError(t, err)
	all, err = s.ExperienceOf(f.ID, now.AddDate(-1, 0, 0))
	require.NoError(t, err)
	assert.Empty(t, all)
}
