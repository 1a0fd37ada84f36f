//go:build linux

package transcode_test

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/testkit"
	"webostrum/transcode"
)

// TestTheWorkerIsShutIn: it has nothing of the service's environment, few rights, and no
// more files than it needs.
func TestTheWorkerIsShutIn(t *testing.T) {
	t.Setenv("WEBOSTRUM_CAMERA_PASSWORD", "opensesame")
	w, err := transcode.Start(worker(t), transcode.Events{})
	require.NoError(t, err)
	defer w.Close()
	require.NoError(t, w.Ask())
	require.NoError(t, testkit.Eventually(within(t), func() bool { return !w.LastMessage().IsZero() }))
	proc := func(name string) string {
		body, err := os.ReadFile(filepath.Join("/proc", fmt.Sprint(w.PID()), name))
		require.NoError(t, err)
		return string(body)
	}
	assert.Empty(t, proc("environ"))
	assert.Regexp(t, `NoNewPrivs:\s+1`, proc("status"))
	assert.Regexp(t, `Seccomp:\s+2`, proc("status"))
	for _, limit := range []string{`Max core file size\s+0`, `Max file size\s+0`, `Max open files\s+64`} {
		assert.Regexp(t, regexp.MustCompile(limit), proc("limits"))
	}
	open, err := os.ReadDir(filepath.Join("/proc", fmt.Sprint(w.PID()), "fd"))
	require.NoError(t, err)
	assert.Less(t, len(open), 12, "no files of the service's")
}

// TestStill decodes one keyframe.
func TestStill(t *testing.T) {
	c := h264Camera(t, 160, 120)
	defer c.close()
	key := c.hub.Key()
	require.NotNil(t, key)
	data, err := transcode.Still(within(t), worker(t), key, 80)
	require.NoError(t, err)
	assert.Equal(t, [2]int{80, 60}, sizeOf(t, data))
	_, err = transcode.Still(within(t), "", key, 80)
	assert.ErrorIs(t, err, transcode.ErrNoWorker)
	broken := *key
	broken.Data = []byte{0, 0, 0, 1, 0x65}
	ended, cancel := context.WithCancel(within(t))
	cancel()
	_, err = transcode.Still(ended, worker(t), &broken, 80)
	assert.Error(t, err)
	made := transcode.Stills{Program: worker(t)}
	defer made.Close()
	for range 3 {
		data, err = made.Of(within(t), key)
		require.NoError(t, err)
		assert.Equal(t, [2]int{160, 120}, sizeOf(t, data))
	}
	_, err = made.Of(within(t), &broken)
	assert.ErrorIs(t, err, context.DeadlineExceeded, "there is no picture in it")
	_, err = made.Of(within(t), key)
	assert.NoError(t, err, "and the next one is none the worse")
	small := &media.Sample{Track: &media.Track{Codec: media.JPEG, Width: 64, Height: 48}, Data: []byte("as it is")}
	data, err = transcode.Still(within(t), "", small, 80)
	require.NoError(t, err)
	assert.Equal(t, "as it is", string(data))
}

func sizeOf(t *testing.T, data []byte) [2]int {
	t.Helper()
	cfg, err := jpeg.DecodeConfig(bytes.NewReader(data))
	require.NoError(t, err)
	return [2]int{cfg.Width, cfg.Height}
}
