package record_test

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"webostrum/core/fault"
	"webostrum/core/recording"
	server "webostrum/deliver/rtsp"
	"webostrum/record"
	"webostrum/station"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
)

const patience = 30 * time.Second

// house is a station with one feed, and a library.
type house struct {
	t       *testing.T
	record  store.Feed // as it was added
	records *store.Store
	feeds   *station.Station
	folder  string
	config  record.Config
	library *record.Library
	stop    func()
}

const feed = "gate"

func newHouse(t *testing.T, folder string, own bool, settings store.Recording) *house {
	t.Helper()
	records, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = records.Close() })
	feeds, err := station.Open(station.Config{Store: records, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	t.Cleanup(feeds.Close)
	_, url := cam.Serve(t, server.Config{})
	asAdded := store.Feed{Name: feed, Title: feed, URL: url, Enabled: true, Transport: "tcp", Fetch: "auto", AnswerMillis: 5000, FirstMillis: 10000, StallMillis: 5000, Audio: "automatic", AudioHLS: "as-feed", AudioWebRTC: "as-feed", Recording: settings}
	_, err = feeds.By("", "").Add(asAdded)
	require.NoError(t, err)
	h := &house{t: t, record: asAdded, records: records, feeds: feeds, folder: folder, config: record.Config{Folder: folder, Own: own, Store: records, Station: feeds, Log: slog.New(slog.DiscardHandler)}}
	h.open()
	return h
}

// open opens the library until close, or the end of the test.
func (h *house) open() {
	h.t.Helper()
	var err error
	h.library, err = record.New(h.config)
	require.NoError(h.t, err)
	ctx, cancel := context.WithCancel(context.Background())
	var going sync.WaitGroup
	going.Go(func() { h.library.Run(ctx) })
	h.stop = sync.OnceFunc(func() { cancel(); going.Wait() })
	h.t.Cleanup(h.stop)
}

func (h *house) until(what string, ok func() bool) {
	h.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(h.t, testkit.Eventually(ctx, ok), what)
}

func (h *house) files() []recording.File {
	h.t.Helper()
	files, err := h.library.Files(feed, time.Time{}, time.Time{})
	require.NoError(h.t, err)
	return files
}

// length is how much there is.
func (h *house) length() (sum time.Duration) {
	for _, f := range h.files() {
		sum += f.Ends.Sub(f.Begins)
	}
	return sum
}

// TestAFeedThatIsAddedAgain at once, under its name, is recorded like the one before: the
// library does not go on with a feed that is gone.
func TestAFeedThatIsAddedAgain(t *testing.T) {
	t.Parallel()
	h := newHouse(t, filepath.Join(t.TempDir(), "recordings"), true, store.Recording{Mode: record.WhyAlways})
	h.until("it is recorded", func() bool { return h.length() > 0 })
	by := h.feeds.By("", "")
	require.NoError(t, by.Remove(feed))
	_, err := by.Add(h.record)
	require.NoError(t, err)
	again := time.Now()
	h.until("the new one is recorded", func() bool {
		files := h.files()
		return len(files) > 0 && files[len(files)-1].Begins.After(again.Add(-time.Second)) && files[len(files)-1].Ends.After(again.Add(2*time.Second))
	})
	_, err = by.Edit(feed, "shorter files", func(r *store.Feed) error { r.Recording.Minutes = 1; return nil })
	require.NoError(t, err)
	n := len(h.files())
	h.until("another file is begun", func() bool { return len(h.files()) > n })
	assert.True(t, h.library.State(feed).Recording)
	require.NoError(t, by.Remove(feed))
	h.until("nothing is recorded any more", func() bool { return !h.library.State(feed).Recording })
	assert.Positive(t, h.length(), "what was recorded outlives its feed")
}

// TestADiskThatIsFull is told, the live picture goes on, and recording goes on with the first
// room.
func TestADiskThatIsFull(t *testing.T) {
	folder := t.TempDir()
	if err := unix.Mount("none", folder, "tmpfs", 0, "size=1m"); err != nil {
		t.Skip("a small disk cannot be mounted here: ", err)
	}
	t.Cleanup(func() { _ = unix.Unmount(folder, unix.MNT_DETACH) })
	h := newHouse(t, folder, false, store.Recording{Mode: record.WhyAlways})
	h.until("something is recorded", func() bool { return h.length() > 0 })
	filling := filepath.Join(folder, "filling")
	f, err := os.Create(filling)
	require.NoError(t, err)
	for err == nil {
		_, err = f.Write(make([]byte, 4096))
	}
	require.NoError(t, f.Close())
	h.until("it is told", func() bool {
		p := h.library.State(feed).Problem
		return p != nil && p.Kind.Code == fault.DiskFull
	})
	live, err := h.feeds.Get(feed)
	require.NoError(t, err)
	assert.Equal(t, station.StateLive, live.Condition().State)
	for _, f := range h.files() { // what was recorded is whole
		_, err := h.library.Export(feed, f.Begins, f.Ends, recording.AtKeyframes)
		assert.NoError(t, err)
	}
	before := len(h.files())
	require.NoError(t, os.Remove(filling))
	h.until("it goes on", func() bool { return h.library.State(feed).Problem == nil && len(h.files()) > before })
}

// TestADiskThatIsGone is not taken for an empty folder, and nothing is forgotten.
func TestADiskThatIsGone(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "disk")
	h := newHouse(t, folder, false, store.Recording{Mode: record.WhyAlways})
	h.until("something is recorded", func() bool { return h.length() > 0 })
	h.stop()
	count := len(h.files())
	require.NoError(t, os.Rename(folder, folder+"-away"))
	require.NoError(t, os.Mkdir(folder, 0o700)) // the mount point alone
	h.open()
	h.until("it is told", func() bool {
		p := h.library.State(feed).Problem
		return p != nil && p.Kind.Code == fault.RecordingFolder
	})
	assert.Len(t, h.files(), count, "nothing is forgotten")
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Empty(t, entries, "nothing is written beneath it")
	require.NoError(t, os.Remove(folder))
	require.NoError(t, os.Rename(folder+"-away", folder))
	h.until("it goes on", func() bool { return h.library.State(feed).Problem == nil && len(h.files()) > count })
}

func TestAFolderOfSomebodyElses(t *testing.T) {
	folder := t.TempDir()
	photo := filepath.Join(folder, "holiday.jpg")
	require.NoError(t, os.WriteFile(photo, []byte("sea"), 0o600))
	h := newHouse(t, folder, false, store.Recording{Mode: record.WhyAlways})
	h.until("it is told", func() bool {
		p := h.library.State(feed).Problem
		return p != nil && strings.Contains(p.Error(), "holiday.jpg")
	})
	require.NoError(t, os.WriteFile(filepath.Join(folder, ".webostrum-recordings"), nil, 0o600)) // it is meant
	h.until("it is taken", func() bool { return h.length() > 0 })
	assert.FileExists(t, photo)
}

// TestAThousandShortFiles are listed, played, exported and removed as one long one is.
func TestAThousandShortFiles(t *testing.T) {
	h := newHouse(t, t.TempDir(), true, store.Recording{})
	h.library.Begin(feed, 0)
	h.until("something is recorded", func() bool { return h.length() > 2*time.Second })
	h.library.Stop(feed)
	h.until("it is finished", func() bool { return !h.files()[0].Open })
	h.stop()
	one := h.files()[0]
	body, err := os.ReadFile(filepath.Join(h.folder, filepath.FromSlash(one.Path)))
	require.NoError(t, err)
	begin := one.Begins.Add(-24 * time.Hour)
	for i := range 1000 {
		name := recording.Name(feed, begin.Add(time.Duration(i)*time.Second), 0, i%100 == 0)
		full := filepath.Join(h.folder, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(full), 0o700))
		require.NoError(t, os.WriteFile(full, body, 0o600))
	}
	h.open()
	h.until("all are found", func() bool { return len(h.files()) == 1001 })
	text, _, err := h.library.Playlist(feed, one.Begins.Add(-time.Second), one.Ends.Add(time.Second), func(id int64) string { return fmt.Sprint(id) })
	require.NoError(t, err)
	assert.GreaterOrEqual(t, strings.Count(text, "#EXTINF"), 1001)
	e, err := h.library.Export(feed, one.Begins.Add(-time.Second), one.Ends.Add(time.Second), recording.AtKeyframes)
	require.NoError(t, err)
	e.Close()
	n, _, err := h.library.Remove(feed, one.Begins.Add(-time.Hour), one.Ends.Add(time.Hour))
	require.NoError(t, err)
	assert.Equal(t, 991, n, "what is marked stays")
	room, err := h.library.Room()
	require.NoError(t, err)
	assert.Equal(t, 10, room.Files)
}

// TestWhatIsNotThere is answered by faults that say so.
func TestWhatIsNotThere(t *testing.T) {
	h := newHouse(t, t.TempDir(), true, store.Recording{})
	now := time.Now()
	_, _, err := h.library.Playlist(feed, now.Add(-time.Hour), now, func(int64) string { return "" })
	assert.Equal(t, fault.RecordingNone, fault.As(err).Kind.Code)
	_, err = h.library.Export(feed, now.Add(-time.Hour), now, recording.Exactly)
	assert.Equal(t, fault.RecordingNone, fault.As(err).Kind.Code)
	_, _, err = h.library.Open(feed, 99)
	assert.Equal(t, fault.RecordingNone, fault.As(err).Kind.Code)
	_, err = h.library.Keyframe(feed, now)
	assert.Equal(t, fault.RecordingNone, fault.As(err).Kind.Code)
	_, err = h.library.Keep(feed, now.Add(-time.Hour), now, true)
	assert.Equal(t, fault.RecordingNone, fault.As(err).Kind.Code)
}
