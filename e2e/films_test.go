package e2e

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/testkit"
)

// TestStillsAndFilms by a schedule: stills come, the newest is always there whole, and films of
// both formats play in Chromium.
func TestStillsAndFilms(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.record(client.Patch{"mode": "always"})
	out, code := w.cli("stills", "add", feed, "quick", "--every", "1", "--text", "{place} {time}", "--show")
	require.Zero(t, code, out)
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	var l apitypes.StillList
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		if res, err := http.Get(w.url("/media/" + feed + "/stills/quick/latest.jpg")); err == nil {
			body, err := io.ReadAll(res.Body)
			_ = res.Body.Close()
			if res.StatusCode == http.StatusOK && err == nil {
				picture, err := jpeg.Decode(bytes.NewReader(body))
				require.NoError(t, err, "it is whole whenever it is asked for")
				assert.Equal(t, 320, picture.Bounds().Dx())
			}
		}
		var err error
		l, err = w.client().Stills(ctx, feed, "quick", time.Time{}, time.Time{})
		return err == nil && len(l.Stills) >= 6
	}))
	require.Len(t, l.Schedules, 1)
	assert.Empty(t, l.Schedules[0].Problem)
	assert.NotNil(t, l.Schedules[0].Next)

	page := openPage(t)
	for _, format := range []string{"mp4", "webm"} {
		out, code := w.cli("film", "make", feed, "--of", "quick", "--from", "10m", "--seconds", "1", "--format", format, "--even")
		require.Zero(t, code, out)
		path := filepath.Join(w.data, "films", feed, "quick", "latest."+format)
		assert.InDelta(t, 1, opens(t, page, path, 0.5), 0.6, out)
	}
	now := time.Now().UTC()
	of := []string{"film", "make", feed, "--from", now.Add(-10 * time.Minute).Format(time.RFC3339), "--to", now.Format(time.RFC3339), "--seconds", "1"}
	for _, more := range [][]string{nil, {"--even"}} { // the second takes the place of the first
		out, code = w.cli(append(of, more...)...)
		require.Zero(t, code, out)
		opens(t, page, filepath.Join(w.data, "films", feed, "recording", "latest.mp4"), 0.2)
	}

	films, err := w.client().Films(ctx, feed)
	require.NoError(t, err)
	assert.Len(t, films.Films, 3)
	for _, f := range films.Films {
		res, err := http.Get(w.url(f.Address))
		require.NoError(t, err)
		_ = res.Body.Close()
		want := map[string]int{"quick": http.StatusOK, "recording": http.StatusNotFound} // which is not for strangers
		assert.Equal(t, want[f.Source], res.StatusCode, f.Source)
	}
	for _, outside := range []string{"..%2f..%2f..%2fcli.json", "quick/..%2f..%2f..%2f..%2fcli.json", "quick/.making-1"} {
		res, err := http.Get(w.url("/media/" + feed + "/stills/" + outside))
		require.NoError(t, err)
		_ = res.Body.Close()
		assert.Equal(t, http.StatusNotFound, res.StatusCode, outside)
	}

	out, code = w.cli("film", "make", feed, "--of", "quick", "--from", "9h", "--to", "8h")
	assert.NotZero(t, code)
	assert.Contains(t, out, "no pictures of that time")
	_, err = w.client().EditFeed(ctx, feed, client.Patch{"stills": []apitypes.StillSchedule{{Name: "a", Seconds: 5}, {Name: "a", Seconds: 9}}})
	assert.ErrorContains(t, err, "two schedules are called a")
}

// TestAFilmRemovesItsStills where that is wanted, and only once it is there.
func TestAFilmRemovesItsStills(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	out, code := w.cli("stills", "add", feed, "day", "--at", "03:00", "--zone", "UTC")
	require.Zero(t, code, out)
	still, _, err := w.client().Still(t.Context(), feed, nil)
	require.NoError(t, err)
	begin := time.Date(2026, 11, 20, 8, 0, 0, 0, time.UTC)
	folder := filepath.Join(w.data, "stills", feed, "day", "2026-11-20")
	require.NoError(t, os.MkdirAll(folder, 0o700))
	for i := range 30 {
		name := fmt.Sprintf("%s-%s.jpg", feed, begin.Add(time.Duration(i)*time.Minute).Format("20060102T150405Z"))
		body := still
		if i == 7 {
			body = []byte("no picture")
		}
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), body, 0o600))
	}
	out, code = w.cli("film", "make", feed, "--of", "day", "--from", "2026-11-20T08:00:00Z", "--to", "2026-11-20T08:20:00Z", "--remove-stills")
	require.Zero(t, code, out)
	assert.Contains(t, out, "19 pictures", "one could not be read")
	left, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, left, 10, "those of another time stay")
}
