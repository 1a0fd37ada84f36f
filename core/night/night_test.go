package night_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/night"
	"webostrum/core/uptime"
)

var (
	until = time.Date(2026, 11, 27, 7, 0, 0, 0, time.UTC)
	since = until.Add(-13 * time.Hour)
)

func at(hour, minute int) time.Time {
	t := time.Date(2026, 11, 27, hour, minute, 0, 0, time.UTC)
	if hour > 12 {
		t = t.AddDate(0, 0, -1)
	}
	return t
}

func out(began time.Time, lasted time.Duration, over bool, reason string) uptime.Outage {
	return uptime.Outage{Began: began, Lasted: lasted, Over: over, Reason: reason}
}

func well(name string, outages ...uptime.Outage) night.Feed {
	return night.Feed{Name: name, Now: uptime.Live, Outages: outages, Sums: uptime.Sums{Live: 13 * time.Hour}}
}

func write(feeds ...night.Feed) night.Note {
	return night.Write(night.Input{Since: since, Until: until, Feeds: feeds})
}

func TestAQuietNight(t *testing.T) {
	t.Parallel()
	n := write(well("a"), well("b"), well("c"))
	assert.Equal(t, "All 3 feeds are live. Nothing happened since Thu 18:00.", n.Headline)
	assert.Equal(t, 3, n.Quiet)
	assert.Empty(t, n.Wrong)
	assert.Equal(t, "No feed is switched on.", write(night.Feed{Name: "a", Now: uptime.Off}).Headline)
	idle := write(night.Feed{Name: "a", Now: uptime.Idle}, night.Feed{Name: "b", Now: uptime.Off})
	assert.Equal(t, "No camera is connected now: nobody needs one.", idle.Headline)
	assert.Equal(t, 1, idle.Idle)
	assert.Equal(t, 1, idle.Off)
	assert.Equal(t, "The one feed is live. Nothing happened since Thu 18:00.", write(well("a")).Headline)
}

func TestANight(t *testing.T) {
	t.Parallel()
	gone := night.Feed{Name: "gone", Now: uptime.Down, Remedy: "Check its power.", Outages: []uptime.Outage{out(at(2, 13), 4*time.Hour+47*time.Minute, false, "Nothing answers.")}}
	flaps := well("flaps")
	for i := range 12 {
		flaps.Outages = append(flaps.Outages, out(at(2, 10*i), time.Minute, true, "It hung up."))
	}
	poor := well("poor")
	poor.Sums.Degraded, poor.Now, poor.Why = time.Hour, uptime.Degraded, "packets are lost"
	n := write(well("quiet"), gone, flaps, poor, well("once", out(at(23, 5), 40*time.Second, true, "It was silent.")))
	assert.Equal(t, "1 of 5 feeds is down. Since Thu 18:00, 2 were down and are back. 1 had poor pictures for a while.", n.Headline)
	require.Len(t, n.Wrong, 1)
	assert.Equal(t, "has been down since 02:13, for 4 h 47 min. Nothing answers.", n.Wrong[0].Text)
	assert.Equal(t, "Check its power.", n.Wrong[0].Remedy)
	require.Len(t, n.Was, 2)
	assert.Equal(t, "went down 12 times between 02:00 and 03:51, 12 minutes in all. Most recently: It hung up.", n.Was[0].Text)
	assert.Equal(t, "was down from Thu 23:05, for 40 seconds. It was silent.", n.Was[1].Text)
	assert.Equal(t, "had poor pictures for 1 h 00 min, and does so now: packets are lost.", n.Poor[0].Text)
}

// TestTogether: what many go through at once is told once.
func TestTogether(t *testing.T) {
	t.Parallel()
	var feeds []night.Feed
	for i, name := range []string{"a", "b", "c", "d"} {
		feeds = append(feeds, well(name, out(at(2, 13).Add(time.Duration(i)*time.Second), 14*time.Minute, true, "Nothing answers.")))
	}
	feeds[3].Outages = append(feeds[3].Outages, out(at(5, 0), time.Minute, true, "It hung up."))
	feeds = append(feeds, well("e", out(at(2, 20), time.Minute, true, "Another.")))
	n := write(feeds...)
	require.Len(t, n.Was, 3)
	assert.Equal(t, []string{"a", "b", "c", "d"}, n.Was[0].Feeds)
	assert.Equal(t, "went down together at 02:13, for up to 14 minutes. Nothing answers.", n.Was[0].Text)
	assert.Equal(t, []string{"e"}, n.Was[1].Feeds)
	assert.Equal(t, []string{"d"}, n.Was[2].Feeds)
	for i := range feeds[:4] {
		feeds[i].Now, feeds[i].Outages[0].Over = uptime.Down, false
	}
	n = write(feeds...)
	require.Len(t, n.Wrong, 1)
	assert.Equal(t, "have been down together since 02:13, for 14 minutes. Nothing answers.", n.Wrong[0].Text)
	assert.NotEmpty(t, n.Wrong[0].Remedy)
}
