package e2e

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/testkit"
)

// ladder is a feed that everybody may watch, with one smaller rendition.
func ladder(t *testing.T) *world {
	t.Helper()
	w := newWorld(t)
	w.film("--size", "640x360", "--rate", "25", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	_, err := w.client().AddRendition(t.Context(), feed, apitypes.NewRendition{Name: "small", Codec: "H264", Size: "1/2"})
	require.NoError(t, err)
	return w
}

const (
	seenTo = `document.querySelector("video").currentTime`
	height = `document.querySelector("video").videoHeight`
)

// TestPlayersOfOthers play the low-latency list, the ladder and the DASH manifest, go over
// to another rendition, and follow a camera that reboots.
func TestPlayersOfOthers(t *testing.T) {
	t.Parallel()
	w := ladder(t)
	pages := map[string]string{"/play": page(`<video playsinline muted></video><script src="/shaka.js"></script><script src="/video.js"></script><script src="/others.js"></script>`)}
	for name, path := range map[string]string{
		"/others.js": "testdata/others.js", "/shaka.js": "../web/node_modules/shaka-player/dist/shaka-player.compiled.js", "/video.js": "../web/node_modules/video.js/dist/video.min.js",
	} {
		script, err := os.ReadFile(path)
		require.NoError(t, err)
		pages[name] = string(script)
	}
	s := newSite(t, pages)
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool { // Shaka looks into three segments before it plays
		res, err := http.Get(w.url("/media/" + feed + "/hls/original/list.m3u8"))
		if err != nil {
			return false
		}
		defer func() { _ = res.Body.Close() }()
		list, err := io.ReadAll(res.Body)
		return err == nil && strings.Count(string(list), "#EXTINF") >= 4
	}))
	for _, tt := range []struct{ name, player, path string }{
		{"Shaka, HLS", "shaka", "hls/index.m3u8"}, {"Shaka, DASH", "shaka", "dash.mpd"}, {"Video.js, HLS", "videojs", "hls/index.m3u8"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			tab := openPage(t)
			require.NoError(t, tab.Open(s.url("/play")))
			require.NoError(t, tab.Until(`typeof window.play === "function"`, patience))
			require.NoError(t, tab.Run(fmt.Sprintf(`window.play(%q, %q).catch((e) => { window.failed = String(e?.message ?? e) + JSON.stringify(e?.data ?? "") })`, tt.player, w.url("/media/"+feed+"/"+tt.path))))
			moves := func(why string) {
				t.Helper()
				require.NoError(t, tab.Run(`window.from = `+seenTo))
				err := tab.Until(`(window.others?.nudge?.(), `+seenTo+` > window.from + 1.5)`, patience) // as pages do that want what is live
				failed, _ := tab.Text(`String(window.failed ?? "") + " " + (window.others?.errors ?? []).join("; ")`)
				require.NoError(t, err, "%s: %s", why, failed)
			}
			moves("it plays")
			for _, lines := range []int{180, 360, 180} {
				require.NoError(t, tab.Run(fmt.Sprintf(`window.others.select(%d)`, lines)))
				require.NoError(t, tab.Until(fmt.Sprintf(`%s === %d`, height, lines), patience), "%d lines", lines)
				moves("it goes on")
			}
			w.tell("reboot")
			w.state("live")
			moves("after a reboot of the camera")
			errors, err := tab.Text(`(window.others?.errors ?? []).join("; ")`)
			require.NoError(t, err)
			if tt.path != "dash.mpd" { // by DASH a segment may be asked for that was not made yet
				assert.Empty(t, errors)
			}
		})
	}
}
