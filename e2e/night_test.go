package e2e

import (
	"context"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/night"
)

// nightWorld is a service that comes up in the morning of a night that never was.
func nightWorld(t *testing.T, feeds int) *world {
	t.Helper()
	ports, err := testkit.FreePorts(3)
	require.NoError(t, err)
	w := &world{t: t, data: t.TempDir(), listen: ports[0], camera: ports[1], control: ports[2]}
	w.film("--size", "160x90", "--rate", "5", "--keyframes", "1s")
	records, err := store.Open(w.data)
	require.NoError(t, err)
	require.NoError(t, night.Write(records, night.Config{
		Feeds: feeds, Until: time.Now(), Seed: 7, User: user, Pass: password, Broken: "rtsp://127.0.0.1:1/none", Good: func(string) string { return w.cameraURL() },
	}))
	require.NoError(t, records.Close())
	w.serveToTheEnd()
	return w
}

// TestTheMorningAfter reads the note, the strips and the list as an engineer does.
func TestTheMorningAfter(t *testing.T) {
	t.Parallel()
	w := nightWorld(t, 40)
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		m, err := w.client().Morning(ctx, time.Now().Add(-13*time.Hour))
		return err == nil && strings.HasPrefix(m.Headline, "2 of 40 feeds are down.")
	}))
	out, code := w.cli("morning", "--since", "13h")
	require.Zero(t, code, out)
	text := strings.Join(strings.Fields(out), " ")
	assert.Contains(t, text, "went down 12 times between")
	assert.Contains(t, text, "went down together at")
	assert.Contains(t, text, "depot-bay-1, depot-bay-2")
	assert.Contains(t, text, "car-cabin-1 has been down since")
	assert.Contains(t, text, "summit-view-1 had poor pictures for 2 h 06 min")
	assert.Contains(t, text, "the service started")
	assert.Less(t, strings.Index(text, "Still wrong"), strings.Index(text, "Was wrong"), "what is wrong now comes first")

	out, code = w.cli("feed", "list", "--state", "broken")
	require.Zero(t, code, out)
	assert.Contains(t, out, "2 of 40 feeds.")
	out, code = w.cli("feed", "availability", "car-cabin-1")
	require.Zero(t, code, out)
	assert.Contains(t, out, "goes on")
	assert.Contains(t, out, "░")

	page := openPage(t)
	local := w.client()
	require.NoError(t, page.SignIn(local.Token()))
	require.NoError(t, page.Open(w.url("/morning")))
	require.NoError(t, page.Until(`document.body.innerText.includes("went down together at")`, patience))
	require.NoError(t, page.Open(w.url("/")))
	require.NoError(t, page.Until(`document.querySelectorAll("a[href^='/feeds/']").length === 40`, patience))
	first, err := page.Text(`document.querySelector("a[href^='/feeds/']").innerText`)
	require.NoError(t, err)
	assert.Contains(t, first, "retrying", "what is broken comes first")
	require.NoError(t, page.Open(w.url("/?tag=depot&grouped=1")))
	require.NoError(t, page.Until(`document.querySelectorAll("a[href^='/feeds/']").length === 7 || document.querySelectorAll("a[href^='/feeds/']").length === 6`, patience))
	require.NoError(t, page.Open(w.url("/events?kind=state")))
	require.NoError(t, page.Until(`document.body.innerText.includes("times between")`, patience))
	if picture := os.Getenv("WEBOSTRUM_NIGHT_PICTURES"); picture != "" {
		for path, file := range map[string]string{"/morning": "morning.png", "/": "feeds.png", "/events": "events.png", "/feeds/line-km-1": "feed.png", "/?as=tiles": "tiles.png"} {
			require.NoError(t, page.Open(w.url(path)))
			require.NoError(t, page.Until(`document.querySelectorAll("main, h1").length > 0 && !document.querySelector("[class*=Skeleton]")`, patience))
			png, err := page.Picture()
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(picture+"/"+file, png, 0o600))
		}
	}
}
