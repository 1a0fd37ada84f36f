package e2e

import (
	"io"
	"net"
	"net/http"
	"regexp"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/browser"
)

// nearLive waits until the clock in the pixels is not far behind, and returns
// by how much it is.
func nearLive(t *testing.T, page *browser.Page) time.Duration {
	t.Helper()
	readClocks(t, page)
	require.NoError(t, page.Until("(window.seen = "+behind+") > 100 && window.seen < 15000", patience), "no QR clock in the pixels, or far behind")
	ms, err := page.Number("window.seen")
	require.NoError(t, err)
	return time.Duration(ms) * time.Millisecond
}

// TestWatchPage opens the page before the camera is up, and then has the camera
// reboot, the service die, and the network break.
func TestWatchPage(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.addFeed()
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/"+feed)))
	reason := player + `.shadowRoot.querySelector(".reason").textContent`
	require.NoError(t, page.Until(reason+`.includes("The camera is not there at the moment")`, patience), "strangers are told no more than that")

	w.film("--keyframes", "1s")
	require.NoError(t, page.Until(playing, patience), "starts by itself")
	t.Logf("delay of HLS with segments of 1 s, from the pixels: %v", nearLive(t, page))
	agrees := "Math.abs(" + player + ".dataset.delay - " + behind + ") < 700"
	require.NoError(t, page.Until(agrees, patience), "the details line agrees with the pixels")
	muted, err := page.Text(player + `.shadowRoot.querySelector("video").muted`)
	require.NoError(t, err)
	assert.Equal(t, "true", muted)

	t.Run("the camera reboots with another size", func(t *testing.T) {
		w.tell("reboot", "--size", "640x360", "--off", "2s")
		require.NoError(t, page.Until(width+" === 640", patience))
		require.NoError(t, page.Until(playing, patience))
		nearLive(t, page)
	})

	t.Run("the service is killed and comes back", func(t *testing.T) {
		old := segmentOf(t, w)
		w.service.Kill()
		w.serve()
		w.state("live")
		res, err := http.Get(w.url("/media/" + feed + "/hls/original/" + old))
		require.NoError(t, err)
		_ = res.Body.Close()
		assert.Equal(t, 404, res.StatusCode, "nothing of the run before is served")
		at, err := page.Number("Date.now()")
		require.NoError(t, err)
		readClocks(t, page)
		require.NoError(t, page.Until(onShow+" > "+formatFloat(at), patience), "the page shows pictures taken after the restart")
	})
}

// segmentOf returns the name of a segment that is listed now.
func segmentOf(t *testing.T, w *world) string {
	t.Helper()
	res, err := http.Get(w.url("/media/" + feed + "/hls/original/list.m3u8"))
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	name := regexp.MustCompile(`(?m)^\S+\.m4s$`).FindString(string(text))
	require.NotEmpty(t, name, string(text))
	return name
}

// gate is a TCP proxy that can be shut, as a network that breaks.
type gate struct {
	mu    sync.Mutex
	shut  bool
	conns map[net.Conn]struct{}
}

func openGate(t *testing.T, target string) (*gate, string) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	g := &gate{conns: make(map[net.Conn]struct{})}
	var wg sync.WaitGroup
	wg.Go(func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			wg.Go(func() { g.carry(in, target) })
		}
	})
	t.Cleanup(func() { _ = l.Close(); g.set(true); wg.Wait() })
	return g, l.Addr().String()
}

func (g *gate) carry(in net.Conn, target string) {
	out, err := net.Dial("tcp", target)
	if err != nil || !g.keep(in, out) {
		_ = in.Close()
		return
	}
	var wg sync.WaitGroup
	for _, pair := range [][2]net.Conn{{in, out}, {out, in}} {
		wg.Go(func() {
			_, _ = io.Copy(pair[0], pair[1])
			_ = pair[0].Close()
			_ = pair[1].Close()
		})
	}
	wg.Wait()
}

func (g *gate) keep(conns ...net.Conn) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, c := range conns {
		if g.shut {
			_ = c.Close()
		} else {
			g.conns[c] = struct{}{}
		}
	}
	return !g.shut
}

func (g *gate) set(shut bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.shut = shut
	for c := range g.conns {
		_ = c.Close()
	}
	clear(g.conns)
}

func TestNetworkGapBetweenViewerAndService(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--keyframes", "1s", "--size", "640x360")
	w.addFeed()
	g, through := openGate(t, w.listen)
	page := openPage(t)
	require.NoError(t, page.Open("http://"+through+"/watch/"+feed))
	require.NoError(t, page.Until(playing, patience))
	g.set(true)
	require.NoError(t, page.Until(player+`.dataset.status === "waiting"`, patience), "says that it waits")
	reason, err := page.Text(player + `.shadowRoot.querySelector(".reason").textContent`)
	require.NoError(t, err)
	assert.NotEmpty(t, reason)
	g.set(false)
	require.NoError(t, page.Until(playing, patience), "goes on by itself")
	nearLive(t, page)
}

// TestEngineThatPlaysHLSItself makes the page believe that it is in Apple's
// engine; Chromium's own HLS then plays in its place.
func TestEngineThatPlaysHLSItself(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--keyframes", "1s", "--size", "640x360")
	w.addFeed()
	page := openPage(t)
	require.NoError(t, page.Before(`Object.defineProperty(navigator, "vendor", { get: () => "Apple Computer, Inc." }); Object.defineProperty(navigator, "platform", { get: () => "MacIntel" })`))
	require.NoError(t, page.Open(w.url("/watch/"+feed)))
	require.NoError(t, page.Until(playing, patience))
	require.NoError(t, page.Until(player+`.shadowRoot.querySelector(".details").textContent.includes("by the browser")`, patience))
	w.tell("drop")
	w.state("live")
	at, err := page.Number("Date.now()")
	require.NoError(t, err)
	readClocks(t, page)
	require.NoError(t, page.Until(onShow+" > "+formatFloat(at), patience), "goes on after the camera's connection broke")
}

// TestKeyframesFarApart watches a camera whose keyframes are five seconds apart,
// so that segments are as long, whatever was wanted.
func TestKeyframesFarApart(t *testing.T) {
	t.Parallel()
	_, page := watching(t, "--keyframes", "5s", "--size", "320x240")
	video := player + `.shadowRoot.querySelector("video")`
	require.NoError(t, page.Run(`window.starts = 0; `+video+`.addEventListener("emptied", () => window.starts++)`))
	require.NoError(t, page.Until(video+".currentTime > 12", patience))
	starts, err := page.Number("window.starts")
	require.NoError(t, err)
	assert.Zero(t, starts, "never started over")
}

// TestManyPagesAtOnce opens more players than a browser has connections to one
// host.
func TestManyPagesAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--keyframes", "1s", "--size", "320x240")
	w.addFeed()
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/"+feed)))
	require.NoError(t, page.Run(`document.querySelector("main").innerHTML = ("<webostrum-player feed=lower-station></webostrum-player>").repeat(9)`))
	require.NoError(t, page.Until(`[...document.querySelectorAll("webostrum-player")].filter(p => p.dataset.status === "playing").length === 9`, patience))
}

func TestKeyboardAndScreenReader(t *testing.T) {
	t.Parallel()
	_, page := watching(t, "--keyframes", "1s", "--size", "640x360", "--audio", "aac")
	video := player + `.shadowRoot.querySelector("video")`
	require.NoError(t, page.Run(player+`.shadowRoot.querySelector(".player").focus()`))
	require.NoError(t, page.Keys("m"))
	require.NoError(t, page.Until("!"+video+".muted", patience))
	require.NoError(t, page.Keys("d"))
	require.NoError(t, page.Until(player+`.shadowRoot.querySelector(".details").textContent.includes("640×360")`, patience))
	require.NoError(t, page.Keys(" "))
	require.NoError(t, page.Until(video+".paused", patience))
	require.NoError(t, page.Keys(" "))
	require.NoError(t, page.Until("!"+video+".paused", patience))
	unlabelled, err := page.Number(`[...` + player + `.shadowRoot.querySelectorAll("button")].filter(b => !b.getAttribute("aria-label")).length`)
	require.NoError(t, err)
	assert.Zero(t, unlabelled)
	label, err := page.Text(player + `.shadowRoot.querySelector("section").getAttribute("aria-label")`)
	require.NoError(t, err)
	assert.Equal(t, "Lower station", label)
}
