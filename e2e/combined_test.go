package e2e

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/testkit"
)

// second starts another camera of the world and adds its feed.
func (w *world) second(name string, args ...string) *testkit.Process {
	w.t.Helper()
	ports, err := testkit.FreePorts(2)
	require.NoError(w.t, err)
	p, err := testkit.Start(append([]string{"sim", "--name", name, "--listen", ports[0], "--control", ports[1], "--user", ""}, args...)...)
	require.NoError(w.t, err)
	w.t.Cleanup(p.Kill)
	_, err = p.Find(`(is on the air)`, patience)
	require.NoError(w.t, err)
	w.add(newFeed(name, "rtsp://"+ports[0]+"/"+name, everybody))
	w.until(name+" is live", func() bool {
		f, err := w.client().Feed(w.t.Context(), name)
		return err == nil && f.State == "live"
	})
	return p
}

// twoStations begins a world with two cameras that send in the same way.
func twoStations(t *testing.T) (w *world, upper *testkit.Process) {
	t.Helper()
	w = newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	return w, w.second("upper-station", "--size", "320x180", "--rate", "10", "--keyframes", "1s")
}

// onAir waits until a source of the feed that takes turns is on.
func (w *world) onAir(feed, source string) apitypes.Turn {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(w.t.Context(), patience)
	defer cancel()
	var t apitypes.Turn
	require.NoError(w.t, testkit.Eventually(ctx, func() bool {
		var err error
		t, err = w.client().Turn(ctx, feed)
		return err == nil && t.On == source
	}), "%+v", t)
	return t
}

// TestFeedsTakeTurns in one unbroken stream, whatever they send: the player never stops, HLS
// has no break, one that dies is passed over, and somebody can put one on.
func TestFeedsTakeTurns(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	upper := w.second("upper-station", "--size", "480x270", "--rate", "10", "--keyframes", "1s")
	out, code := w.cli("feed", "add", "line", "--turns", feed+":3,upper-station:3", "--combined-size", "640x360", "--audience", "everyone")
	require.Zero(t, code, out)
	w.onAir("line", feed)
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/line?prefer=reach")))
	require.NoError(t, page.Until(playing, patience))
	require.NoError(t, page.Run(`window.breaks = 0; window.why = []; `+player+`.addEventListener("statechange", (e) => { if (e.detail.state !== "playing") { window.breaks++; window.why.push(e.detail.state + ": " + e.detail.reason); } })`))
	turn := w.onAir("line", "upper-station")
	assert.True(t, turn.Transcode, "they send in different ways")
	w.onAir("line", feed)
	w.onAir("line", "upper-station")
	breaks, err := page.Number("window.breaks")
	require.NoError(t, err)
	why, err := page.Text("JSON.stringify(window.why)")
	require.NoError(t, err)
	assert.Zero(t, breaks, "the player saw one stream: %s", why)
	wide, err := page.Number(width)
	require.NoError(t, err)
	assert.EqualValues(t, 640, wide)
	res, err := http.Get(w.url("/media/line/hls/original/list.m3u8"))
	require.NoError(t, err)
	list, err := io.ReadAll(res.Body)
	_ = res.Body.Close()
	require.NoError(t, err)
	assert.Greater(t, strings.Count(string(list), "#EXTINF"), 2)
	assert.LessOrEqual(t, strings.Count(string(list), "#EXT-X-DISCONTINUITY\n"), 1, "where it began, and nowhere else")

	out, code = w.cli("turn", "put", "line", feed)
	require.Zero(t, code, out)
	assert.Equal(t, feed, w.onAir("line", feed).Held)
	out, code = w.cli("turn", "put", "line", "nobody")
	assert.NotZero(t, code, out)
	out, code = w.cli("turn", "resume", "line")
	require.Zero(t, code, out)
	w.onAir("line", "upper-station")
	upper.Kill()
	w.onAir("line", feed)
	w.until("the dead one is told of", func() bool {
		out, _ := w.cli("events", "--feed", "line")
		return strings.Contains(out, "upper-station is passed over")
	})
	for _, wrong := range [][]string{{"feed", "add", "self", "--turns", "self"}, {"feed", "add", "x", "--turns", "nowhere"}, {"feed", "edit", feed, "--turns", "line"}} {
		out, code := w.cli(wrong...)
		assert.NotZero(t, code, "%v: %s", wrong, out)
	}
}

// TestTurnsOfTheSameKindArePassedThrough, and nothing is transcoded.
func TestTurnsOfTheSameKindArePassedThrough(t *testing.T) {
	t.Parallel()
	w, _ := twoStations(t)
	out, code := w.cli("feed", "add", "line", "--turns", feed+":2,upper-station:2", "--audience", "everyone")
	require.Zero(t, code, out)
	w.onAir("line", "upper-station")
	assert.False(t, w.onAir("line", feed).Transcode)
	f, err := w.client().Feed(t.Context(), feed)
	require.NoError(t, err)
	assert.False(t, f.Transcoding.Running)
}

// TestIdleUntilItsTurn has cameras that are connected only while they are on: the one that is
// off-screen leaves its line alone, comes on without a break, and is no outage.
func TestIdleUntilItsTurn(t *testing.T) {
	t.Parallel()
	w, _ := twoStations(t)
	for _, name := range []string{feed, "upper-station"} {
		out, code := w.cli("feed", "edit", name, "--while-needed")
		require.Zero(t, code, out)
	}
	out, code := w.cli("feed", "add", "line", "--turns", feed+":600,upper-station:600", "--audience", "everyone")
	require.Zero(t, code, out)
	w.onAir("line", feed)
	source := func(name, state string) {
		w.until(name+" is "+state, func() bool {
			f, err := w.client().Feed(t.Context(), name)
			return err == nil && f.State == state
		})
	}
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/line?prefer=reach")))
	require.NoError(t, page.Until(playing, patience))
	require.NoError(t, page.Run(`window.breaks = 0; `+player+`.addEventListener("statechange", (e) => { if (e.detail.state !== "playing") window.breaks++; })`))
	source("upper-station", "idle")
	turn := w.onAir("line", feed)
	assert.Equal(t, []apitypes.TurnSource{
		{Feed: feed, Title: turn.Sources[0].Title, Seconds: 600, State: "live", Available: true},
		{Feed: "upper-station", Title: "upper-station", Seconds: 600, State: "idle", Available: true},
	}, turn.Sources)
	out, code = w.cli("turn", "put", "line", "upper-station")
	require.Zero(t, code, out)
	assert.False(t, w.onAir("line", "upper-station").Transcode, "it is remembered how it sends")
	source(feed, "idle")
	breaks, err := page.Number("window.breaks")
	require.NoError(t, err)
	assert.Zero(t, breaks, "the player saw one stream")
	out, _ = w.cli("events", "--limit", "200")
	assert.NotContains(t, out, "passed over")
	for _, name := range []string{feed, "upper-station"} {
		a, err := w.client().Availability(t.Context(), name)
		require.NoError(t, err)
		assert.Empty(t, a.Outages, name)
	}
	direct := openPage(t)
	require.NoError(t, direct.Open(w.url("/watch/"+feed)))
	require.NoError(t, direct.Until(playing, patience), "who comes to an idle feed has it connected")
	require.NoError(t, direct.Open("about:blank"))
	source(feed, "idle")
}

// TestAMosaic shows feeds beside each other, and one that is away dark.
func TestAMosaic(t *testing.T) {
	t.Parallel()
	w, upper := twoStations(t)
	out, code := w.cli("feed", "add", "all", "--mosaic", feed+",upper-station", "--combined-size", "640x360", "--audience", "everyone")
	require.Zero(t, code, out)
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/all")))
	require.NoError(t, page.Until(playing, patience))
	lit := func(x float64) string { // whether a place in the middle of a tile is not black
		return fmt.Sprintf(`(() => { const v = %s, c = document.createElement("canvas"); c.width = 64; c.height = 36; const d = c.getContext("2d"); d.drawImage(v, 0, 0, 64, 36); const p = d.getImageData(%g * 64, 18, 1, 1).data; return p[0] + p[1] + p[2] > 60; })()`, video, x)
	}
	require.NoError(t, page.Until(lit(0.25)+" && "+lit(0.75), patience))
	upper.Kill()
	require.NoError(t, page.Until(lit(0.25)+" && !"+lit(0.75), patience))
	f, err := w.client().Feed(t.Context(), "all")
	require.NoError(t, err)
	assert.Equal(t, "live", f.State)
}
