package command_test

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/command"
	"webostrum/testkit"
	"webostrum/testkit/desk"
)

const patience = 20 * time.Second

// picture leaves a JPEG file for programs to write.
func picture(t *testing.T) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, image.NewYCbCr(image.Rect(0, 0, 64, 48), image.YCbCrSubsampleRatio420), nil))
	path := filepath.Join(t.TempDir(), "picture.jpg")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	return path
}

// kept keeps a program for a feed until the test ends.
func kept(t *testing.T, awaits func() bool, argv ...string) (d *desk.Desk, end func()) {
	t.Helper()
	d = &desk.Desk{Key: "key"}
	d.Config.StallAfter = patience
	ctx, cancel := context.WithCancel(t.Context())
	var keeping sync.WaitGroup
	keeping.Go(func() {
		cfg := command.Config{Desk: d, Awaits: func(feed string) bool { return feed == "gate" && awaits() }, Log: slog.New(slog.DiscardHandler)}
		command.Keep(ctx, cfg, map[string][]string{"gate": argv})
	})
	end = func() { cancel(); keeping.Wait() }
	t.Cleanup(end)
	return d, end
}

func always() bool { return true }

func until(t *testing.T, what string, yet func() bool) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, yet), what)
}

// TestItIsStartedAgain when it ends, and its last words are told.
func TestItIsStartedAgain(t *testing.T) {
	t.Parallel()
	d, _ := kept(t, always, "sh", "-c", `cat "$0" "$0" "$0"; echo "opening" >&2; echo "the lens is gone" >&2; exit 3`, picture(t))
	until(t, "it runs twice", func() bool { return len(d.Kept().Ended) >= 2 })
	k := d.Kept()
	for _, err := range k.Ended {
		assert.Equal(t, fault.CommandEnded, fault.As(err).Kind.Code)
		assert.Contains(t, err.Error(), "exit status 3, its last words: the lens is gone")
	}
	require.NotEmpty(t, k.Video)
	assert.Equal(t, media.JPEG, k.Video[0].Track.Codec)
	assert.Equal(t, "sh", k.Session.Facts().Server)
}

// TestItEndsWithAllThatItStarted, also what does not listen when it is asked to end.
func TestItEndsWithAllThatItStarted(t *testing.T) {
	t.Parallel()
	pids := filepath.Join(t.TempDir(), "pids")
	d, end := kept(t, always, "sh", "-c", `trap "" TERM; sh -c 'trap "" TERM; while :; do sleep 0.1; done' & echo $$ $! > "$1"; while cat "$0"; do sleep 0.05; done`, picture(t), pids)
	until(t, "pictures come", func() bool { return len(d.Kept().Video) > 5 })
	text, err := os.ReadFile(pids)
	require.NoError(t, err)
	end()
	fields := strings.Fields(string(text))
	require.Len(t, fields, 2)
	for _, field := range fields {
		pid, err := strconv.Atoi(field)
		require.NoError(t, err)
		until(t, "process "+field+" is gone", func() bool { return gone(pid) })
	}
}

// gone says that a process has ended; it may not have been waited for.
func gone(pid int) bool {
	stat, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/stat")
	if err != nil {
		return syscall.Kill(pid, 0) == syscall.ESRCH
	}
	return bytes.Contains(stat, []byte(") Z "))
}

func TestWhatCannotBeStarted(t *testing.T) {
	t.Parallel()
	d, _ := kept(t, always, "/nowhere/capture")
	until(t, "it is tried", func() bool { return len(d.Kept().Ended) >= 1 })
	assert.Equal(t, fault.CommandMissing, fault.As(d.Kept().Ended[0]).Kind.Code)
	assert.Contains(t, d.Kept().Ended[0].Error(), "/nowhere/capture")
}

// TestSilence ends a program that writes nothing.
func TestSilence(t *testing.T) {
	t.Parallel()
	d := &desk.Desk{Key: "key"}
	d.Config.StallAfter = 300 * time.Millisecond
	ctx, cancel := context.WithCancel(t.Context())
	var keeping sync.WaitGroup
	keeping.Go(func() {
		command.Keep(ctx, command.Config{Desk: d, Awaits: func(string) bool { return true }, Log: slog.New(slog.DiscardHandler)}, map[string][]string{"gate": {"sleep", "3600"}})
	})
	t.Cleanup(func() { cancel(); keeping.Wait() })
	until(t, "it is ended", func() bool { return len(d.Kept().Ended) >= 1 })
	assert.Equal(t, fault.PublisherStalled, fault.As(d.Kept().Ended[0]).Kind.Code)
}

// TestItWaitsForTheFeed starts nothing before the feed waits for somebody.
func TestItWaitsForTheFeed(t *testing.T) {
	t.Parallel()
	var asked, waits atomic.Int32
	d, _ := kept(t, func() bool { asked.Add(1); return waits.Load() == 1 }, "sh", "-c", `while cat "$0"; do sleep 0.05; done`, picture(t))
	until(t, "it asks", func() bool { return asked.Load() >= 2 })
	assert.Empty(t, d.Kept().Asked)
	waits.Store(1)
	until(t, "it comes", func() bool { return len(d.Kept().Video) > 0 })
}
