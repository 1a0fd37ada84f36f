package api_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
)

// TestSettingsOfWhatIsKept come back as they were set, and what cannot be is refused with a
// sentence; nothing is changed then.
func TestSettingsOfWhatIsKept(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", false)
	w.addFeed("yard", false)
	c, ctx := client.New(w.url, w.engineer), context.Background()
	right := []client.Patch{
		{"recording": client.Patch{"mode": "timetable", "timetable": "mon-fri 07:00-19:00", "zone": "Europe/Zurich", "days": 14, "bytes": 5_000_000_000, "goBack": true}},
		{"recording": client.Patch{"mode": "motion", "thresholdPercent": 2.5, "beforeSeconds": 5, "mask": strings.Repeat(strings.Repeat("x", 16)+"/", 8) + strings.Repeat(".", 16)}},
		{"stills": []apitypes.StillSchedule{{Name: "day", Seconds: 60, Sun: true, Latitude: 47, Longitude: 8, Film: "day", FilmSeconds: 60}, {Name: "noon", At: []string{"12:00"}}}},
		{"whileNeeded": true},
		{"lens": client.Patch{"projection": "fisheye", "fieldOfView": 190}},
		{"lens": client.Patch{"projection": "flat", "fieldOfView": 0}},
	}
	for _, patch := range right {
		_, err := c.EditFeed(ctx, "gate", patch)
		require.NoError(t, err, "%v", patch)
	}
	before, err := c.Feed(ctx, "gate")
	require.NoError(t, err)
	assert.Equal(t, "motion", before.Recording.Mode)
	assert.Equal(t, 14.0, before.Recording.Days)
	assert.Len(t, before.Stills, 2)
	assert.True(t, before.WhileNeeded)
	wrong := map[string]client.Patch{
		"25:00":                      {"recording": client.Patch{"mode": "timetable", "timetable": "mon 25:00-26:00"}},
		"a timetable is like":        {"recording": client.Patch{"mode": "timetable", "timetable": ""}},
		"is no time zone":            {"recording": client.Patch{"zone": "Mars/Olympus"}},
		"a mask has 9 rows":          {"recording": client.Patch{"mask": "xx"}},
		"two schedules are called":   {"stills": []apitypes.StillSchedule{{Name: "a", Seconds: 5}, {Name: "a", Seconds: 5}}},
		"what films of recordings":   {"stills": []apitypes.StillSchedule{{Name: "recording", Seconds: 5}}},
		"say either how many":        {"stills": []apitypes.StillSchedule{{Name: "a"}}},
		"a still a second":           {"stills": []apitypes.StillSchedule{{Name: "a", Seconds: 0.5}}},
		"no camera request called":   {"stills": []apitypes.StillSchedule{{Name: "a", Seconds: 5, Requests: []string{"none"}}}},
		"not at times of day":        {"stills": []apitypes.StillSchedule{{Name: "a", At: []string{"12:00"}, Sun: true}}},
		"only a fisheye":             {"lens": client.Patch{"projection": "equirectangular", "fieldOfView": 180}},
		"90 to 240":                  {"lens": client.Patch{"projection": "fisheye", "fieldOfView": 20}},
		"not while needed either":    {"publish": client.Patch{"pushed": true}, "camera": client.Patch{"url": ""}},
		"which feeds is it made of":  {"combined": client.Patch{"kind": "turns"}},
		"made of itself":             {"combined": client.Patch{"kind": "turns", "sources": []apitypes.CombinedFeed{{Feed: "gate"}}}, "camera": client.Patch{"url": ""}},
		"there is no feed called":    {"combined": client.Patch{"kind": "turns", "sources": []apitypes.CombinedFeed{{Feed: "nowhere"}}}, "camera": client.Patch{"url": ""}},
		"is named twice":             {"combined": client.Patch{"kind": "turns", "sources": []apitypes.CombinedFeed{{Feed: "yard"}, {Feed: "yard"}}}},
		"a turn lasts 2 s":           {"combined": client.Patch{"kind": "turns", "sources": []apitypes.CombinedFeed{{Feed: "yard", Seconds: 1}}}},
		"write both sides":           {"combined": client.Patch{"kind": "mosaic", "size": "640x", "sources": []apitypes.CombinedFeed{{Feed: "yard"}}}},
		"a still a second is the mo": {"outlet": client.Patch{"stillSeconds": 0.2}},
	}
	for says, patch := range wrong {
		_, err := c.EditFeed(ctx, "gate", patch)
		assert.ErrorContains(t, err, says, "%v", patch)
	}
	after, err := c.Feed(ctx, "gate")
	require.NoError(t, err)
	assert.Equal(t, before.FeedSettings, after.FeedSettings, "nothing was changed")
}

// TestWhatFeedsReferToIsLookedAt when one is changed, and when a file of them is applied.
func TestWhatFeedsReferToIsLookedAt(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", false)
	w.addFeed("yard", false)
	c, ctx := client.New(w.url, w.engineer), context.Background()
	_, err := c.EditFeed(ctx, "gate", client.Patch{"outlet": client.Patch{"to": "https://www.example.org/dav"}})
	require.NoError(t, err)
	_, err = c.EditFeed(ctx, "yard", client.Patch{"outlet": client.Patch{"to": "https://www.example.org/dav/yard/"}})
	assert.ErrorContains(t, err, "each would remove the other's")
	_, err = c.EditFeed(ctx, "gate", client.Patch{"outlet": client.Patch{"to": "https://www.example.org/dav/"}})
	assert.NoError(t, err, "its own place is no other's")

	before, err := c.ExportFeeds(ctx)
	require.NoError(t, err)
	ofOthers := func(name string, sources ...string) apitypes.FeedEntry {
		e := apitypes.FeedEntry{NewFeed: apitypes.NewFeed{Name: name}}
		e.FeedSettings = before.Feeds[0].FeedSettings
		e.Camera.URL, e.Outlet = "", apitypes.OutletSettings{}
		e.Combined = apitypes.CombinedSettings{Kind: "turns"}
		for _, s := range sources {
			e.Combined.Sources = append(e.Combined.Sources, apitypes.CombinedFeed{Feed: s})
		}
		return e
	}
	for says, entries := range map[string][]apitypes.FeedEntry{
		"it would be made of itself: a, b, a": {ofOthers("a", "b"), ofOthers("b", "a")},
		"there is no feed called nowhere":     {ofOthers("a", "gate", "nowhere")},
	} {
		_, err := c.ImportFeeds(ctx, apitypes.FeedFile{Feeds: entries}, false, false)
		assert.ErrorContains(t, err, says)
	}
	after, err := c.ExportFeeds(ctx)
	require.NoError(t, err)
	assert.Equal(t, before, after, "nothing was changed")
	_, err = c.ImportFeeds(ctx, apitypes.FeedFile{Feeds: []apitypes.FeedEntry{ofOthers("a", "b"), ofOthers("b", "gate")}}, false, false)
	assert.NoError(t, err, "of one that comes in the same file")
}

// TestTwoFeedsAtOnceAtOnePlace: one of them is told, whichever comes second.
func TestTwoFeedsAtOnceAtOnePlace(t *testing.T) {
	t.Parallel()
	w := start(t)
	c, ctx := client.New(w.url, w.engineer), context.Background()
	answers := make(chan error, 8)
	for i := range cap(answers) {
		go func() {
			in := apitypes.NewFeed{Name: fmt.Sprintf("gate-%d", i), FeedSettings: apitypes.Defaults("rtsp://192.0.2.7/x")}
			in.Enabled = new(bool)
			in.Outlet.To = "https://www.example.org/dav/gate"
			_, err := c.AddFeed(ctx, in)
			answers <- err
		}()
	}
	added := 0
	for range cap(answers) {
		if err := <-answers; err == nil {
			added++
		} else {
			assert.ErrorContains(t, err, "choose another place")
		}
	}
	assert.Equal(t, 1, added)
}

// TestAFeedThatBecomesOneOfTurns forgets its camera and its credentials, and comes back.
func TestAFeedThatBecomesOneOfTurns(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", false)
	w.addFeed("yard", false)
	c, ctx := client.New(w.url, w.engineer), context.Background()
	address := func() string { f, _ := c.Feed(ctx, "yard"); return f.Camera.URL }()
	f, err := c.EditFeed(ctx, "gate", client.Patch{"combined": client.Patch{"kind": "turns", "sources": []apitypes.CombinedFeed{{Feed: "yard", Seconds: 5}}}})
	require.NoError(t, err)
	assert.Empty(t, f.Camera.URL)
	assert.False(t, f.Credentials)
	turn, err := c.Turn(ctx, "gate")
	require.NoError(t, err)
	require.Len(t, turn.Sources, 1)
	assert.Equal(t, 5.0, turn.Sources[0].Seconds)
	_, err = c.PutOn(ctx, "gate", "yard")
	require.NoError(t, err)
	_, err = c.PutOn(ctx, "gate", "gate")
	assert.Error(t, err)
	_, err = c.EditFeed(ctx, "gate", client.Patch{"combined": client.Patch{"kind": "none", "sources": []apitypes.CombinedFeed{}}, "camera": client.Patch{"url": address}})
	require.NoError(t, err)
	_, err = c.Turn(ctx, "gate")
	assert.ErrorContains(t, err, "does not take turns")
}
