package e2e

import (
	"bytes"
	"io"
	"os/exec"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/nalu"
	"webostrum/sim/reel"
	"webostrum/testkit"
)

// capture writes the passing loop's film in H.265 as a capture program does, at 25 frames a
// second, until it is closed or nobody reads.
func capture(to io.WriteCloser, end <-chan struct{}) {
	defer func() { _ = to.Close() }()
	frames, config := reel.Load()
	ticker := time.NewTicker(40 * time.Millisecond)
	defer ticker.Stop()
	for n := 0; ; n++ {
		f := frames[n%len(frames)]
		var b []byte
		if f.Key {
			for _, set := range config.Sets {
				b = nalu.AppendStart(b, set)
			}
		}
		for u := range nalu.Units(f.Data) {
			b = nalu.AppendStart(b, u)
		}
		if _, err := to.Write(b); err != nil {
			return
		}
		select {
		case <-end:
			return
		case <-ticker.C:
		}
	}
}

// TestPipe sends what a program writes, over a restart of the service in the middle of it,
// and ends with the program.
func TestPipe(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	out, code := w.cli("feed", "add", "--pushed", feed)
	require.Zero(t, code, out)
	program, err := testkit.Program("webostrum")
	require.NoError(t, err)
	cmd := exec.Command(program, "--data", w.data, "pipe", feed)
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	var said bytes.Buffer
	cmd.Stderr = &said
	require.NoError(t, cmd.Start())
	end := make(chan struct{})
	var writing sync.WaitGroup
	writing.Go(func() { capture(in, end) })
	stop := sync.OnceFunc(func() { close(end); writing.Wait() })
	t.Cleanup(func() { stop(); _ = cmd.Process.Kill() })
	w.state("live")
	w.comesOut(3)

	w.service.Kill()
	w.serve()
	w.state("live")
	w.comesOut(3)

	stop()
	require.NoError(t, cmd.Wait(), said.String())
	assert.Contains(t, said.String(), "Trying again in 1s; what is written meanwhile is left out.")
	w.state("waiting")
	w.reason("The publisher ended the connection")
}
