package e2e

import (
	"context"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/browser/engines"
	"webostrum/client"
)

// TestPagesInOtherEngines: a page of another site with element, frame, image and video,
// allowed and not, and a link that ends while somebody watches, in Firefox and WebKitGTK.
// "make engines" installs them and runs it.
func TestPagesInOtherEngines(t *testing.T) {
	if os.Getenv("WEBOSTRUM_ENGINES") == "" {
		t.Skip("make engines runs this: it needs Firefox and WebKitGTK")
	}
	t.Parallel()
	for name, start := range map[string]func(context.Context) (engines.Tab, error){"Firefox": engines.Firefox, "WebKitGTK": engines.WebKit} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			ctx, cancel := context.WithTimeout(context.Background(), 4*patience)
			t.Cleanup(cancel)
			tab, err := start(ctx)
			require.NoError(t, err)
			t.Cleanup(tab.Close)
			testPages(ctx, t, tab, name == "WebKitGTK")
		})
	}
}

func testPages(ctx context.Context, t *testing.T, tab engines.Tab, playsHLS bool) {
	w := onAir(t)
	e := w.embedding(nil)
	link, err := w.client().AddLink(ctx, feed, apitypes.NewLink{Name: "page"})
	require.NoError(t, err)
	byLink := w.embedding(map[string][]string{"link": {"page"}})
	s := newSite(t, map[string]string{
		"/element": page(e.Element), "/frame": page(e.Iframe), "/image": page(e.Image), "/video": page(e.Video),
		"/still": page(strings.Replace(e.Image, "/mjpeg", "/still.jpg", 1)), "/link": page(byLink.Element),
		"/simple":    page(w.embedding(map[string][]string{"prefer": {"simple"}}).Element),
		"/fragments": page(strings.Replace(e.Element, "<webostrum-player", `<webostrum-player by="fragments"`, 1)),
	})
	show := func(path, condition string) {
		t.Helper()
		begun := time.Now()
		require.NoError(t, tab.Open(ctx, s.url(path)))
		require.NoError(t, engines.Until(ctx, tab, condition), path)
		t.Logf("%s: as it should be, after %.1f s", path, time.Since(begun).Seconds())
	}
	show("/element", player+`?.state === "playing" && `+player+`.method === "hls"`)
	const steady = ` && ` + player + `.delay > 0 && ` + player + `.delay < 4000`
	show("/element", player+`?.method === "hls"`+steady)
	show("/fragments", player+`?.state === "playing" && `+player+`.method === "fragments"`+steady)
	_, err = tab.Text(ctx, `String(window.from = `+player+`.shadowRoot.querySelector("video").currentTime)`)
	require.NoError(t, err)
	require.NoError(t, engines.Until(ctx, tab, player+`.shadowRoot.querySelector("video").currentTime > window.from + 5`), "it goes on")
	show("/simple", player+`?.state === "playing" && `+player+`.method === "motion-jpeg"`)
	show("/still", imageSeen)
	show("/image", imageSeen)
	if playsHLS {
		show("/video", `document.querySelector("video").currentTime > 0.5`)
	}
	require.NoError(t, tab.Open(ctx, "about:blank"))
	w.watchedBy("hls", 0)
	require.NoError(t, tab.Open(ctx, s.url("/frame")))
	w.watchedBy("hls", 1)

	w.edit(client.Patch{"sites": []string{"elsewhere.example"}})
	show("/element", player+`?.state === "refused"`)
	show("/image", `document.querySelector("img").complete && document.querySelector("img").naturalWidth === 0`)
	w.edit(client.Patch{"sites": []string{s.host}, "audience": client.Patch{"who": "links"}})
	show("/link", player+`?.state === "playing"`)
	require.NoError(t, w.client().RemoveLink(ctx, feed, link.Name))
	require.NoError(t, engines.Until(ctx, tab, player+`.state === "refused" && `+player+`.shadowRoot.textContent.includes("This link has ended.")`))
}

// TestCameraPageInFirefox sends what Firefox encodes: H.264 where it has its plug-in for it,
// or VP8.
func TestCameraPageInFirefox(t *testing.T) {
	if os.Getenv("WEBOSTRUM_ENGINES") == "" {
		t.Skip("make engines runs this: it needs Firefox")
	}
	t.Parallel()
	w := newWorld(t, "--webrtc-listen", "0.0.0.0:0") // Firefox does not reach one of the loopback alone
	out, code := w.cli("feed", "add", "--pushed", "--audience", "everyone", feed)
	require.Zero(t, code, out)
	pass, err := w.client().AddPass(context.Background(), feed, 1)
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(context.Background(), 4*patience)
	defer cancel()
	tab, err := engines.Firefox(ctx)
	require.NoError(t, err)
	t.Cleanup(tab.Close)
	require.NoError(t, tab.Open(ctx, pass.URL))
	_, err = tab.Text(ctx, `String(document.getElementById("begin").click())`)
	require.NoError(t, err)
	require.NoError(t, engines.Until(ctx, tab, sendingState))
	w.comesOut(3)
	f, err := w.client().Feed(ctx, feed)
	require.NoError(t, err)
	t.Logf("Firefox sends %s and %s", f.Codec, f.AudioStatus.Codec)
}
