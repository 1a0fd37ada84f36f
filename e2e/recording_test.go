package e2e

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/client"
	"webostrum/testkit"
	"webostrum/wait"
)

// record adds the feed and has it recorded.
func (w *world) record(how client.Patch) {
	w.t.Helper()
	w.addFeed()
	w.edit(client.Patch{"recording": how})
}

// recorded waits until so much of the feed was recorded.
func (w *world) recorded(least time.Duration) apitypes.Recordings {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(w.t.Context(), patience)
	defer cancel()
	var r apitypes.Recordings
	require.NoError(w.t, testkit.Eventually(ctx, func() bool {
		var err error
		r, err = w.client().Recordings(ctx, feed, time.Time{}, time.Time{})
		return err == nil && r.Oldest != nil && r.Newest.Sub(*r.Oldest) >= least
	}), "%+v", r)
	return r
}

// opens has Chromium open a file of MP4, go to a place of it, and see a picture there. It says
// how long the film is.
func opens(t *testing.T, page *browser.Page, path string, at float64) float64 {
	t.Helper()
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/film.mp4" {
			http.ServeFile(w, r, path)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		_, _ = fmt.Fprint(w, `<video muted preload="auto" src="/film.mp4" style="width:320px"></video>`)
	}))
	defer site.Close()
	require.NoError(t, page.Open(site.URL))
	video := `document.querySelector("video")`
	require.NoError(t, page.Until(video+".readyState >= 2 && "+video+".videoWidth > 0", patience), path)
	require.NoError(t, page.Run(fmt.Sprintf("%s.currentTime = %g", video, at)))
	require.NoError(t, page.Until(fmt.Sprintf("!%[1]s.seeking && %[1]s.readyState >= 2 && %[1]s.currentTime >= %[2]g && %[1]s.error === null", video, at), patience), path)
	length, err := page.Number(video + ".duration")
	require.NoError(t, err)
	return length
}

// TestARecordingIsPlayedAndExported while it is being written: on the timeline's page by a
// press, and as a file that Chromium opens.
func TestARecordingIsPlayedAndExported(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s", "--audio", "aac")
	w.record(client.Patch{"mode": "always"})
	r := w.recorded(8 * time.Second)
	assert.True(t, r.State.Recording)
	require.Len(t, r.Spans, 1)
	assert.Equal(t, [2]int{320, 180}, [2]int{r.Spans[0].Width, r.Spans[0].Height})
	assert.True(t, r.Spans[0].Audio)

	page := openPage(t)
	begin := r.Oldest.Add(2 * time.Second)
	require.NoError(t, page.Open(w.url("/watch/"+feed)))
	require.NoError(t, page.Until(playing, patience))
	readClocks(t, page)
	w.edit(client.Patch{"recording": client.Patch{"goBack": true}})
	require.NoError(t, page.Run(fmt.Sprintf("%s.goTo(%d)", player, begin.UnixMilli())))
	require.NoError(t, page.Until(fmt.Sprintf("(() => { const d = %s; return d > %d && d < %d; })()", onShow, begin.UnixMilli()-200, begin.UnixMilli()+5000), patience), "the clock in the picture tells that moment")
	require.NoError(t, page.Until(fmt.Sprintf("Math.abs(%s - Number(%s.dataset.date)) < 500", onShow, player), patience), "and so does the player")
	require.NoError(t, page.Run(player+".goLive()"))
	require.NoError(t, page.Until(fmt.Sprintf("%s.method !== null && %s < 10000", player, behind), patience))

	path := filepath.Join(t.TempDir(), "out.mp4")
	span := []string{"--from", begin.UTC().Format(time.RFC3339Nano), "--to", begin.Add(4 * time.Second).UTC().Format(time.RFC3339Nano)}
	out, code := w.cli(append([]string{"recording", "export", feed, "--exact", "--to-file", path}, span...)...)
	require.Zero(t, code, out)
	assert.InDelta(t, 4, opens(t, page, path, 2.5), 0.03, out)
	out, code = w.cli(append([]string{"recording", "export", feed, "--to-file", path}, span...)...)
	assert.NotZero(t, code, "nothing is written over")
	assert.Contains(t, out, "there already")
	out, code = w.cli("recording", "export", feed, "--from", "9h", "--to", "8h")
	assert.NotZero(t, code)
	assert.Contains(t, out, "Nothing was recorded in that time.")
}

// TestGoingBackIsForThoseWhoMay: engineers, and viewers where the feed lets them.
func TestGoingBackIsForThoseWhoMay(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.record(client.Patch{"mode": "always"})
	r := w.recorded(2 * time.Second)
	list := fmt.Sprintf("%s/media/%s/past/list.m3u8?from=%s&to=%s", w.url(""), feed, r.Oldest.UTC().Format(time.RFC3339Nano), r.Newest.UTC().Format(time.RFC3339Nano))
	get := func() int {
		res, err := http.Get(list)
		require.NoError(t, err)
		defer func() { _ = res.Body.Close() }()
		return res.StatusCode
	}
	assert.Equal(t, http.StatusNotFound, get(), "a stranger sees what is live alone")
	_, err := w.client().EditFeed(t.Context(), feed, client.Patch{"recording": client.Patch{"goBack": true}})
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, get())
	_, err = w.client().EditFeed(t.Context(), feed, client.Patch{"audience": client.Patch{"who": "signed-in"}})
	require.NoError(t, err)
	assert.Equal(t, http.StatusUnauthorized, get())
	out, code := w.cli("feed", "remove", feed)
	require.Zero(t, code, out)
	out, code = w.cli("feed", "add", "--off", feed, "rtsp://192.0.2.7/main")
	require.Zero(t, code, out)
	out, _ = w.cli("events", "--feed", feed)
	assert.Contains(t, out, "of an earlier feed of this name")
}

// TestAKillCostsASecondAtMost of a recording: every file opens, and the index is right. It
// kills the service 8 times, or WEBOSTRUM_KILLS times.
func TestAKillCostsASecondAtMost(t *testing.T) {
	t.Parallel()
	kills := 8
	if n, err := strconv.Atoi(os.Getenv("WEBOSTRUM_KILLS")); err == nil {
		kills = n
	}
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.record(client.Patch{"mode": "always"})
	random := rand.New(rand.NewPCG(1, 2))
	folder := filepath.Join(w.data, "recordings", feed)
	worst := time.Duration(0)
	for range kills {
		before := w.newest()
		w.wroteSince(before, 700*time.Millisecond)
		wait.For(t.Context(), time.Duration(random.IntN(1200))*time.Millisecond) // a moment that nothing decides
		w.service.Kill()
		killed := time.Now()
		w.serve()
		r, err := w.client().Recordings(t.Context(), feed, time.Time{}, killed)
		require.NoError(t, err)
		require.NotEmpty(t, r.Spans)
		lost := killed.Sub(r.Spans[len(r.Spans)-1].Ends)
		worst = max(worst, lost)
	}
	t.Logf("%d kills cost %v at most", kills, worst)
	assert.Less(t, worst, 1100*time.Millisecond)
	w.service.Kill() // the files are looked at as they lie there, the last one unfinished
	files, err := filepath.Glob(filepath.Join(folder, "*", "*.mp4"))
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(files), kills)
	page := openPage(t)
	for i, f := range files {
		at := 0.3
		if i == len(files)-1 {
			at = 0 // killed as soon as it was there; it may hold one picture alone
		}
		opens(t, page, f, at)
	}
	w.serve()
	r, err := w.client().Recordings(t.Context(), feed, time.Time{}, time.Time{})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, r.Files, len(files), "all are in the index")
}

func (w *world) newest() time.Time {
	r, err := w.client().Recordings(w.t.Context(), feed, time.Time{}, time.Time{})
	if err != nil || r.Newest == nil {
		return time.Time{}
	}
	return *r.Newest
}

// wroteSince waits until more was recorded than there was.
func (w *world) wroteSince(before time.Time, more time.Duration) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(w.t.Context(), patience)
	defer cancel()
	begun := time.Time{}
	require.NoError(w.t, testkit.Eventually(ctx, func() bool {
		n := w.newest()
		if begun.IsZero() && n.After(before) {
			begun = n
		}
		return !begun.IsZero() && n.Sub(begun) >= more
	}))
}

// TestAnIndexThatIsLostIsMadeAnew from the files, with what is to be kept.
func TestAnIndexThatIsLostIsMadeAnew(t *testing.T) {
	t.Parallel()
	folder := filepath.Join(t.TempDir(), "recordings")
	w := newWorld(t, "--recordings-folder", folder)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.record(client.Patch{"mode": "always"})
	w.recorded(3 * time.Second)
	_, err := w.client().EditFeed(t.Context(), feed, client.Patch{"recording": client.Patch{"mode": "hand"}})
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	var r apitypes.Recordings
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		r, err = w.client().Recordings(ctx, feed, time.Time{}, time.Time{})
		return err == nil && !r.State.Recording
	}))
	out, code := w.cli("recording", "keep", feed, "--from", "1h")
	require.Zero(t, code, out)
	_, err = w.service.Terminate(10 * time.Second)
	require.NoError(t, err)

	w.data = t.TempDir() // records are gone; the folder is not
	w.serve()
	again, err := w.client().RecordingRoom(t.Context())
	require.NoError(t, err)
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		again, err = w.client().RecordingRoom(ctx)
		return err == nil && again.Files == r.Files
	}), "%+v", again)
	assert.Equal(t, again.Bytes, again.Kept)
	require.Len(t, again.Feeds, 1)
	assert.True(t, again.Feeds[0].Gone)
	assert.WithinDuration(t, *r.Oldest, *again.Feeds[0].Oldest, 2*time.Millisecond)

	require.NoError(t, os.Remove(filepath.Join(folder, ".webostrum-recordings"))) // as if the disk were not mounted
	again, err = w.client().RecordingRoom(t.Context())
	require.NoError(t, err)
	assert.Contains(t, again.Problem, "is its disk mounted")
}

// TestMotionIsRecorded with what was before it, and not when nothing moves.
func TestMotionIsRecorded(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.record(client.Patch{"mode": "motion", "thresholdPercent": 90})
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		m, err := w.client().Motion(ctx, feed)
		return err == nil && len(m.Points) > 8
	}))
	r, err := w.client().Recordings(ctx, feed, time.Time{}, time.Time{})
	require.NoError(t, err)
	assert.Zero(t, r.Files, "so much does not change")
	changed := time.Now()
	_, err = w.client().EditFeed(ctx, feed, client.Patch{"recording": client.Patch{"thresholdPercent": 0.1}}) // the clock in the picture
	require.NoError(t, err)
	r = w.recorded(3 * time.Second)
	assert.Equal(t, "motion", r.Spans[0].Why)
	assert.True(t, r.Oldest.Before(changed), "some seconds before it, too")
	out, code := w.cli("events", "--kind", "motion")
	require.Zero(t, code, out)
	assert.True(t, strings.Contains(out, "something moves"), out)
}
