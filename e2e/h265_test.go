package e2e

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/browser/engines"
)

// TestH265InChromium plays a camera's H.265 by every method in an engine that does not
// decode it: H.264 is made for it, and the player says so.
func TestH265InChromium(t *testing.T) {
	t.Parallel()
	w, page := watching(t, "--codec", "h265")
	for _, by := range []string{"hls", "fragments", "webrtc"} {
		require.NoError(t, page.Open(w.url("/watch/"+feed+"?by="+by)))
		require.NoError(t, page.Until(playing+" && "+width+" === 640", patience), by)
		said, err := page.Text(player + ".dataset.why")
		require.NoError(t, err)
		assert.Contains(t, said, "H.264 made from the camera's H.265, which this browser does not decode", by)
	}
	require.NoError(t, page.Open(w.url("/watch/"+feed+"?by=motion-jpeg")))
	require.NoError(t, page.Until(player+`.dataset.status === "playing"`, patience))
	w.event("transcode")
}

// TestJPEGOverRTSP has a camera send Motion JPEG by RTP, and come back with H.264.
func TestJPEGOverRTSP(t *testing.T) {
	t.Parallel()
	_, page := watching(t, "--codec", "jpeg", "--size", "640x360", "--rate", "10")
	require.NoError(t, page.Until(width+" === 640", patience), "HLS has H.264 made of it")
	t.Logf("delay from the pixels: %v", nearLive(t, page))
}

// TestH265InOtherEngines plays it in engines that decode it: as the camera sends it.
func TestH265InOtherEngines(t *testing.T) {
	if os.Getenv("WEBOSTRUM_ENGINES") == "" {
		t.Skip("make engines runs this: it needs Firefox and WebKitGTK")
	}
	for name, start := range map[string]func(context.Context) (engines.Tab, error){"Firefox": engines.Firefox, "WebKitGTK": engines.WebKit} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t)
			w.film("--codec", "h265")
			w.addFeed()
			w.state("live")
			ctx, cancel := context.WithTimeout(context.Background(), 2*patience)
			defer cancel()
			tab, err := start(ctx)
			require.NoError(t, err)
			defer tab.Close()
			for _, by := range []string{"fragments", "hls"} {
				require.NoError(t, tab.Open(ctx, w.url("/watch/"+feed+"?by="+by)))
				require.NoError(t, engines.Until(ctx, tab, player+`?.dataset.status === "playing" && `+player+`.shadowRoot.querySelector("video").currentTime > 1`), by)
				said, err := tab.Text(ctx, player+".dataset.why")
				require.NoError(t, err)
				t.Logf("%s by %s: %s", name, by, said)
				assert.Contains(t, said, "H.265", by)
			}
		})
	}
}
