package convert_test

import (
	"bytes"
	"os"
	"path/filepath"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/convert"
	core "webostrum/core/convert"
	"webostrum/testkit"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

var order = core.EncodeOrder{Width: 64, Height: 48, FrameRate: 25, BitRate: 100_000, KeyEvery: 10}

func picture() []byte { return bytes.Repeat([]byte{100}, order.PictureSize()) }

func worker(t *testing.T) string {
	t.Helper()
	path, err := testkit.Program(convert.Program)
	require.NoError(t, err)
	return path
}

// until encodes pictures until ok, and fails the test when that takes too long.
func until(t *testing.T, ok func() bool) {
	t.Helper()
	require.NoError(t, testkit.Eventually(t.Context(), ok))
}

func TestEncoder(t *testing.T) {
	var coded atomic.Int64
	e, err := convert.StartEncoder(worker(t), order, func(core.Stamp, []byte) { coded.Add(1) })
	require.NoError(t, err)
	defer e.Close()
	for i := range int64(20) {
		require.NoError(t, e.Encode(core.Stamp{PTS: i, Captured: i + 1}, picture()))
	}
	until(t, func() bool { return coded.Load() == 20 })
	e.Close()
	e.Close() // twice does no harm
}

func TestWorkerThatDies(t *testing.T) {
	e, err := convert.StartEncoder(worker(t), order, func(core.Stamp, []byte) {})
	require.NoError(t, err)
	defer e.Close()
	require.NoError(t, e.Encode(core.Stamp{Captured: 1}, picture()))
	require.NoError(t, syscall.Kill(e.PID(), syscall.SIGSEGV))
	until(t, func() bool { return e.Encode(core.Stamp{Captured: 2}, picture()) != nil })
}

func TestWorkerThatRefuses(t *testing.T) {
	e, err := convert.StartEncoder(worker(t), order, func(core.Stamp, []byte) {})
	require.NoError(t, err)
	defer e.Close()
	var last error
	until(t, func() bool {
		last = e.Encode(core.Stamp{Captured: 1}, []byte("far too short"))
		return last != nil && bytes.Contains([]byte(last.Error()), []byte("picture of 13 bytes"))
	})
}

func TestWorkerThatHangs(t *testing.T) {
	script := filepath.Join(t.TempDir(), "hangs")
	require.NoError(t, os.WriteFile(script, []byte("#!/bin/sh\nexec sleep 600\n"), 0o700))
	e, err := convert.StartEncoder(script, order, func(core.Stamp, []byte) {})
	require.NoError(t, err)
	large := make([]byte, 1<<20)
	begun := time.Now()
	until(t, func() bool { return e.Encode(core.Stamp{}, large) != nil })
	e.Close()
	t.Logf("given up after %v", time.Since(begun).Round(time.Millisecond))
}

func TestWorkerThatIsMissing(t *testing.T) {
	_, err := convert.Find(filepath.Join(t.TempDir(), "none"))
	assert.ErrorIs(t, err, convert.ErrNoWorker)
	assert.ErrorContains(t, err, "make build")
	_, err = convert.StartEncoder("/nowhere/at/all", order, nil)
	assert.Error(t, err)
	odd := order
	odd.Width = 65
	_, err = convert.StartEncoder(worker(t), odd, nil)
	assert.ErrorContains(t, err, "even")
	found, err := convert.Find(worker(t))
	require.NoError(t, err)
	assert.Equal(t, worker(t), found)
}
