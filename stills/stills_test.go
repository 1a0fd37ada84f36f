package stills

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	corejpeg "webostrum/core/jpeg"
	"webostrum/core/still"
	"webostrum/store"
)

func library(t *testing.T) *Library {
	t.Helper()
	return New(Config{Folder: t.TempDir(), Log: slog.New(slog.DiscardHandler)})
}

func write(body string) func(*os.File) error {
	return func(f *os.File) error { _, err := f.WriteString(body); return err }
}

// TestTheNewestIsAlwaysWhole, and what is not written is not there.
func TestTheNewestIsAlwaysWhole(t *testing.T) {
	l := library(t)
	at := time.Date(2026, 11, 27, 8, 0, 0, 0, time.UTC)
	for i := range 3 {
		require.NoError(t, l.put(stillsFolder, still.Name("gate", "day", at.Add(time.Duration(i)*time.Hour)), write(fmt.Sprint(i))))
	}
	err := l.put(stillsFolder, still.Name("gate", "day", at.Add(9*time.Hour)), func(f *os.File) error { return fault.New(fault.DiskFull, nil, "") })
	assert.Error(t, err)
	list, err := l.Stills("gate", "day", at, at.Add(2*time.Hour))
	require.NoError(t, err)
	require.Len(t, list, 2, "of the time that was asked for")
	f, err := l.Open(false, "gate", "day/latest.jpg")
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	body := make([]byte, 9)
	n, _ := f.Read(body)
	assert.Equal(t, "2", string(body[:n]))
	entries, err := os.ReadDir(filepath.Join(l.cfg.Folder, "stills", "gate", "day", "2026-11-27"))
	require.NoError(t, err)
	assert.Len(t, entries, 3, "nothing half written is left")
}

func TestNothingOutsideIsOpened(t *testing.T) {
	l := library(t)
	secret := filepath.Join(l.cfg.Folder, "secret")
	require.NoError(t, os.WriteFile(secret, []byte("x"), 0o600))
	require.NoError(t, os.MkdirAll(filepath.Join(l.cfg.Folder, "stills", "gate", "day"), 0o700))
	require.NoError(t, os.Symlink(secret, filepath.Join(l.cfg.Folder, "stills", "gate", "day", "link.jpg")))
	for _, name := range []string{"../../secret", "/secret", "day/../../../secret", "day/link.jpg", "day", "", ".", "day/.making-1", "none/latest.jpg"} {
		_, err := l.Open(false, "gate", name)
		assert.Error(t, err, name)
	}
	assert.Error(t, l.RemoveFilm("gate", "..", "secret"))
	assert.Error(t, l.RemoveFilm("gate", "a/b", "gate-20261127T000000Z-20261128T000000Z.mp4"))
	assert.FileExists(t, secret)
}

func TestHoursAndDaysThatAreOver(t *testing.T) {
	zone := time.FixedZone("", 3600)
	at := func(text string) time.Time {
		x, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		return x
	}
	day := newPeriods("day", zone, at("2026-11-27T12:00:00Z"))
	_, _, ok := day.over(at("2026-11-27T22:59:59Z"))
	assert.False(t, ok)
	_, _, ok = day.over(at("2026-11-27T23:00:10Z"))
	assert.False(t, ok, "its last still may not be there yet")
	from, to, ok := day.over(at("2026-11-27T23:00:31Z"))
	require.True(t, ok)
	assert.True(t, at("2026-11-26T23:00:00Z").Equal(from), "midnight of the zone")
	assert.True(t, at("2026-11-27T23:00:00Z").Equal(to))
	_, _, ok = day.over(at("2026-11-27T23:05:00Z"))
	assert.False(t, ok, "once")
	hour := newPeriods("hour", time.UTC, at("2026-11-27T12:10:00Z"))
	from, to, ok = hour.over(at("2026-11-27T13:01:00Z"))
	assert.True(t, ok && to.Sub(from) == time.Hour)
	_, _, ok = newPeriods("", time.UTC, at("2026-11-27T12:10:00Z")).over(at("2026-12-27T13:01:00Z"))
	assert.False(t, ok)
}

// TestAFilmThatWasMissed is made up for, once.
func TestAFilmThatWasMissed(t *testing.T) {
	l := library(t)
	now := time.Date(2026, 11, 27, 8, 0, 0, 0, time.UTC)
	s, k := store.StillSchedule{Name: "day", Film: "day"}, key{"gate", "day"}
	missed := func() { l.filmMissed(k, s, newPeriods(s.Film, time.UTC, now)) }
	missed()
	assert.Empty(t, l.Jobs("gate"), "there are no stills of yesterday")
	require.NoError(t, l.put(stillsFolder, still.Name("gate", "day", now.Add(-20*time.Hour)), write("x")))
	missed()
	jobs := l.Jobs("gate")
	require.Len(t, jobs, 1)
	assert.Equal(t, now.Truncate(24*time.Hour), jobs[0].To.UTC())
	require.NoError(t, l.put(filmsFolder, still.FilmName("gate", "day", "mp4", jobs[0].From, jobs[0].To), write("film")))
	missed()
	assert.Len(t, l.Jobs("gate"), 1, "it is there")
}

func grey(t *testing.T, v byte) []byte {
	t.Helper()
	p := image.NewYCbCr(image.Rect(0, 0, 32, 32), image.YCbCrSubsampleRatio420)
	for i := range p.Y {
		p.Y[i] = v
	}
	for i := range p.Cb {
		p.Cb[i], p.Cr[i] = 128, 128
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, p, nil))
	return b.Bytes()
}

// TestFlickerIsEvenedOut, and what gets lighter slowly stays so.
func TestFlickerIsEvenedOut(t *testing.T) {
	var pictures [][]byte
	for i := range 30 {
		v := byte(80 + 2*i)
		if i%2 == 1 {
			v += 30
		}
		pictures = append(pictures, grey(t, v))
	}
	e := &evener{read: func(i int) ([]byte, error) { return pictures[i], nil }, count: len(pictures)}
	var bright []float64
	for i := range pictures {
		out, err := e.out(i)
		require.NoError(t, err)
		y, err := corejpeg.Pixels(out, mostPixels)
		require.NoError(t, err)
		bright = append(bright, float64(y.Y[0]))
	}
	for i := 6; i < 24; i++ {
		assert.InDelta(t, bright[i], bright[i+1], 6, "picture %d", i)
	}
	assert.Greater(t, bright[24], bright[6]+20)
	torn := &evener{read: func(int) ([]byte, error) { return []byte("no picture"), nil }, count: 3}
	out, err := torn.out(1)
	require.NoError(t, err)
	assert.Equal(t, "no picture", string(out), "what cannot be read is left to whoever makes the film")
	gone := &evener{read: func(int) ([]byte, error) { return nil, os.ErrNotExist }, count: 3}
	_, err = gone.out(1)
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestFilmsThatWait(t *testing.T) {
	l := library(t)
	for range mostWaiting {
		_, err := l.Order(Order{Feed: "gate", Source: "day"})
		require.NoError(t, err)
	}
	_, err := l.Order(Order{Feed: "gate", Source: "day"})
	assert.Equal(t, fault.FilmsFull, fault.As(err).Kind.Code)
	jobs := l.Jobs("gate")
	require.Len(t, jobs, mostWaiting)
	require.NoError(t, l.Cancel("gate", jobs[0].ID))
	assert.Error(t, l.Cancel("gate", jobs[0].ID), "once")
	assert.Error(t, l.Cancel("other", jobs[1].ID), "of its own feed")
	_, err = l.Order(Order{Feed: "gate", Source: "day"})
	assert.NoError(t, err)
}

// TestAFilmThatWasRemovedIsNowhere: its fixed name leads to the one before it, or to nothing.
func TestAFilmThatWasRemovedIsNowhere(t *testing.T) {
	l := library(t)
	day := time.Date(2026, 11, 26, 0, 0, 0, 0, time.UTC)
	for i, body := range []string{"first", "second"} {
		begin := day.AddDate(0, 0, i)
		require.NoError(t, l.put(filmsFolder, still.FilmName("gate", "day", "mp4", begin, begin.AddDate(0, 0, 1)), write(body)))
	}
	latest := filepath.Join(l.cfg.Folder, "films", "gate", "day", "latest.mp4")
	for _, left := range []string{"second", "first"} {
		body, err := os.ReadFile(latest)
		require.NoError(t, err)
		assert.Equal(t, left, string(body))
		list, err := l.Films("gate")
		require.NoError(t, err)
		require.NoError(t, l.RemoveFilm("gate", "day", list[0].Name))
	}
	assert.NoFileExists(t, latest)
}

// TestOldFilmsGo by the age of their own schedule's films, and what was being made at a kill
// goes at the next start.
func TestOldFilmsGo(t *testing.T) {
	l := library(t)
	put := func(source string, d int) {
		begin := time.Date(2026, 11, d, 0, 0, 0, 0, time.UTC)
		require.NoError(t, l.put(filmsFolder, still.FilmName("gate", source, "mp4", begin, begin.AddDate(0, 0, 1)), write("film")))
	}
	put("day", 1)
	put("day", 5)
	put("recording", 25)
	l.forgetOf("gate", store.StillSchedule{Name: "day", FilmDays: 10})
	list, err := l.Films("gate")
	require.NoError(t, err)
	assert.Len(t, list, 3)
	l.forgetOf("gate", store.StillSchedule{Name: "day", FilmDays: 2})
	list, err = l.Films("gate")
	require.NoError(t, err)
	assert.Len(t, list, 2)

	half := filepath.Join(l.cfg.Folder, "films", "gate", "day", makingPrefix+"1")
	require.NoError(t, os.WriteFile(half, nil, 0o600))
	l.tidy()
	assert.NoFileExists(t, half)
	list, err = l.Films("gate")
	require.NoError(t, err)
	assert.Len(t, list, 2)
}
