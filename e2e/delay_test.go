package e2e

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestDelayCommand measures a feed's deliveries from the command line.
func TestDelayCommand(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--rate", "15", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	out, code := w.cli("delay", "--for", "1s", feed)
	require.Zero(t, code, out)
	for _, want := range []string{`(?m)^webrtc +\d+ ms .* pixels `, `(?m)^motion-jpeg +\d+ ms .* pixels `, `(?m)^fragments +\d+ ms .* pixels `, `(?m)^hls +(\d\.\d+ s|\d+ ms) .* pixels +1\.\d+ s`, `400 ms part in the making`, `player's store`, `picture on show`} {
		assert.Regexp(t, want, out)
	}
	out, code = w.cli("delay", "--no-browser", "--output", "json", feed)
	require.Zero(t, code, out)
	var list []struct {
		Delivery string
		Seconds  float64
		Measured any
		Parts    []struct{ Name, Why string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &list))
	require.Len(t, list, 4)
	assert.Equal(t, "hls", list[2].Delivery)
	assert.Greater(t, list[2].Seconds, list[0].Seconds)
	assert.Nil(t, list[0].Measured)
	_, code = w.cli("delay", "no-such-feed")
	assert.Equal(t, 3, code)
}

// TestClock reads the page that is held before a camera as a camera's pixels would be.
func TestClock(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/clock")))
	require.NoError(t, page.Until(`/good to \d+ ms/.test(document.querySelector("#check").textContent)`, patience))
	readClocks(t, page)
	require.NoError(t, page.Until(`Math.abs(window.clockIn(document.querySelector("#code"), 1) - Date.now()) < 1000`, patience), "the time stands in the code")

	// A device whose clock is off shows the service's time all the same.
	require.NoError(t, page.Before(`const now = Date.now; Date.now = () => now() + 3_600_000;`))
	require.NoError(t, page.Open(w.url("/clock")))
	require.NoError(t, page.Until(`/3\d{6} ms ahead of the service/.test(document.querySelector("#check").textContent)`, patience))
}
