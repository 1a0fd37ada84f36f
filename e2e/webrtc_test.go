package e2e

import (
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/browser"
)

// method is how the player plays, by its details line.
const method = player + `.shadowRoot.textContent`

// watchByWebRTC opens a feed's page that asks for the least delay.
func watchByWebRTC(t *testing.T, w *world, name string, before ...string) *browser.Page {
	t.Helper()
	page := openPage(t)
	for _, script := range before {
		require.NoError(t, page.Before(script))
	}
	require.NoError(t, page.Open(w.url("/watch/"+name+"?prefer=delay")))
	require.NoError(t, page.Until(playing, patience))
	require.NoError(t, page.Run(player+`.shadowRoot.querySelector("[aria-label=Details]").click()`))
	return page
}

// delays reads the clock in the pixels so many times and returns the median.
func delays(t *testing.T, page *browser.Page, n int) float64 {
	t.Helper()
	readClocks(t, page)
	require.NoError(t, page.Run(`
		window.all = [];
		const step = () => { const d = `+behind+`; if (d > 0) window.all.push(d); if (window.all.length < `+number(n)+`) setTimeout(step, 50); };
		step();`))
	require.NoError(t, page.Until("window.all.length >= "+number(n), patience))
	median, err := page.Number("window.all.sort((a, b) => a - b)[Math.floor(window.all.length / 2)]")
	require.NoError(t, err)
	return median
}

func number(n int) string { return strconv.Itoa(n) }

func TestWebRTC(t *testing.T) {
	w := newWorld(t)
	w.film("--size", "640x360", "--rate", "25", "--keyframes", "4s")
	w.addFeed()
	page := watchByWebRTC(t, w, feed)
	require.NoError(t, page.Until(method+`.includes("WebRTC")`, patience))
	median := delays(t, page, 40)
	t.Logf("delay of WebRTC, from the pixels: %.0f ms", median)
	assert.Less(t, median, 1500.0, "less than any segment is long")
	require.NoError(t, page.Until(`Number(`+player+`.dataset.delay) > 0`, patience), "the player knows it, too")

	// The camera reboots with another size; the player goes on.
	w.tell("reboot", "--size", "320x240", "--off", "1s")
	require.NoError(t, page.Until(width+" === 320", patience))
	require.NoError(t, page.Until(method+`.includes("WebRTC")`, patience))
}

// TestWebRTCOverTCP leaves the browser no address over UDP.
func TestWebRTCOverTCP(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--rate", "15")
	w.addFeed()
	page := watchByWebRTC(t, w, feed, `
		const set = RTCPeerConnection.prototype.setRemoteDescription;
		RTCPeerConnection.prototype.setRemoteDescription = function (d) {
			const sdp = d.sdp.split("\r\n").filter((l) => !(l.startsWith("a=candidate") && / udp /i.test(l))).join("\r\n");
			window.offered = sdp;
			return set.call(this, { type: d.type, sdp });
		};`)
	require.NoError(t, page.Until(method+`.includes("WebRTC")`, patience))
	sdp, err := page.Text("window.offered")
	require.NoError(t, err)
	assert.Contains(t, sdp, " tcp ")
}

// TestFallsBackFromWebRTC plays by HLS where WebRTC cannot be had.
func TestFallsBackFromWebRTC(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--rate", "15")
	w.addFeed()
	page := watchByWebRTC(t, w, feed, `delete window.RTCPeerConnection;`)
	require.NoError(t, page.Until(method+`.includes("Live fragments")`, patience))
	page = watchByWebRTC(t, w, feed, `
		const real = window.realFetch = window.fetch;
		window.fetch = (url, init) => String(url).includes("/whep") ? Promise.resolve(new Response("{}", { status: 503 })) : real(url, init);`)
	require.NoError(t, page.Until(method+`.includes("Live fragments")`, patience))
	require.NoError(t, page.Run(`window.fetch = window.realFetch;`))
	require.NoError(t, page.Until(method+`.includes("WebRTC")`, patience), "it comes back when it works again")
}

// TestWebRTCOfAJPEGCamera has the camera's pictures transcoded.
func TestWebRTCOfAJPEGCamera(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--kind", "motion-jpeg", "--name", "winch-room", "--size", "320x240", "--rate", "10")
	w.add(newFeed("winch-room", "http://"+w.camera+"/video", everybody))
	page := watchByWebRTC(t, w, "winch-room")
	require.NoError(t, page.Until(method+`.includes("WebRTC")`, patience))
	require.NoError(t, page.Until(width+" === 320", patience))
}

// TestOffersThatCannotBe are answered with a reason each.
func TestOffersThatCannotBe(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--rate", "15")
	w.addFeed()
	w.state("live")
	post := func(kind, body string) (int, string) {
		res, err := http.Post(w.url("/media/"+feed+"/whep"), kind, strings.NewReader(body))
		require.NoError(t, err)
		defer func() { _ = res.Body.Close() }()
		text, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(text)
	}
	const head = "v=0\r\no=- 1 1 IN IP4 127.0.0.1\r\ns=-\r\nt=0 0\r\na=group:BUNDLE 0\r\na=fingerprint:sha-256 " +
		"00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00\r\na=setup:actpass\r\na=ice-ufrag:abcd\r\na=ice-pwd:abcdefghijklmnopqrstuvwx\r\n"
	for name, tt := range map[string]struct {
		kind, body string
		want       int
		code       string
	}{
		"not an offer":  {"application/json", "{}", 415, "offer-type"},
		"empty":         {"application/sdp", "", 400, "offer-broken"},
		"noise":         {"application/sdp", "hello", 400, "offer-broken"},
		"too large":     {"application/sdp", strings.Repeat("a", 70<<10), 413, "offer-too-large"},
		"no media":      {"application/sdp", head, 406, "offer-unfit"},
		"only data":     {"application/sdp", head + "m=application 9 UDP/DTLS/SCTP webrtc-datachannel\r\nc=IN IP4 0.0.0.0\r\na=mid:0\r\na=sctp-port:5000\r\n", 406, "offer-unfit"},
		"another codec": {"application/sdp", head + "m=video 9 UDP/TLS/RTP/SAVPF 96\r\nc=IN IP4 0.0.0.0\r\na=mid:0\r\na=recvonly\r\na=rtcp-mux\r\na=rtpmap:96 VP8/90000\r\n", 406, "offer-unfit"},
	} {
		status, body := post(tt.kind, tt.body)
		assert.Equal(t, tt.want, status, "%s: %s", name, body)
		assert.Contains(t, body, tt.code, name)
	}
	var statuses []int
	for range 60 {
		status, _ := post("application/sdp", "x")
		statuses = append(statuses, status)
	}
	assert.True(t, slices.Contains(statuses, 429), "an address that offers all the time is slowed down")
}

// TestViewersAreListedAndEnded ends a WebRTC viewer from the console.
func TestViewersAreListedAndEnded(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--rate", "15")
	w.addFeed()
	watching := watchByWebRTC(t, w, feed)
	require.NoError(t, watching.Until(method+`.includes("WebRTC")`, patience))
	out, code := w.cli("viewer", "list")
	require.Zero(t, code, out)
	assert.Regexp(t, `lower-station\s+webrtc\s+127\.0\.0\.1`, out)

	console := openPage(t)
	signIn(t, w, console)
	require.NoError(t, console.Run(`history.pushState({}, "", "/feeds/`+feed+`"); dispatchEvent(new PopStateEvent("popstate"))`))
	end := `document.querySelector("[aria-label='End the viewer at 127.0.0.1 by WebRTC']")`
	require.NoError(t, console.Until(end, patience))
	require.NoError(t, watching.Run(`window.before = document.querySelector("webostrum-player").shadowRoot.querySelector("video").srcObject.id`))
	require.NoError(t, console.Run(end+".click()"))
	require.NoError(t, watching.Until(`document.querySelector("webostrum-player").shadowRoot.querySelector("video").srcObject?.id !== window.before`, patience), "its connection ends")
	require.NoError(t, watching.Until(method+`.includes("An engineer has ended this viewer")`, patience), "and its page says so")
	out, _ = w.cli("events")
	assert.Contains(t, out, "a viewer at 127.0.0.1 was ended")
	_, code = w.cli("viewer", "end", "nobody")
	assert.Equal(t, 3, code)
}

// TestViewersOverTheLimit are told so.
func TestViewersOverTheLimit(t *testing.T) {
	t.Parallel()
	w := newWorld(t, "--most-viewers-a-feed", "1")
	w.film("--size", "320x240", "--rate", "15")
	w.addFeed()
	watchByWebRTC(t, w, feed)
	second := openPage(t)
	require.NoError(t, second.Open(w.url("/watch/"+feed+"?prefer=delay")))
	require.NoError(t, second.Until(method+`.includes("As many viewers watch this feed as it may have")`, patience))
}

// TestComparePage measures the three deliveries of a feed side by side.
func TestComparePage(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--rate", "15", "--keyframes", "1s")
	w.addFeed()
	page := openPage(t)
	signIn(t, w, page)
	require.NoError(t, page.Open(w.url("/feeds/"+feed+"/compare")))
	tile := func(way string) string { return `document.querySelector("[data-way=` + way + `]").textContent` }
	for _, way := range []string{"webrtc", "motion-jpeg", "hls"} {
		require.NoError(t, page.Until(tile(way)+`.includes("from the pixels")`, patience), way)
		require.NoError(t, page.Until(`/(kB|MB) a second/.test(`+tile(way)+`)`, patience), way)
	}
	require.NoError(t, page.Until(`/\d ms.*95th/.test(`+tile("webrtc")+`)`, patience))
	require.NoError(t, page.Press("Record a minute"))
	require.NoError(t, page.Until(`document.body.textContent.includes("Download as CSV")`, patience))
}

// TestICEIsRestartedByABrowser speaks WHEP from a page's script, as other players do:
// it reads the servers that it is told of, and restarts ICE in the middle.
func TestICEIsRestartedByABrowser(t *testing.T) {
	t.Parallel()
	w := newWorld(t, "--ice-server", "turn:crag:secret@127.0.0.1:9", "--ice-server", "stun:127.0.0.1:9")
	w.film("--size", "320x240", "--rate", "15", "--keyframes", "1s", "--audio", "g711-mu")
	w.addFeed()
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/clock")))
	require.NoError(t, page.Run(`
		window.told = "";
		const credentials = (sdp) => sdp.split("\r\n").filter((l) => /^a=ice-(ufrag|pwd):/.test(l)).slice(0, 2).join("\r\n") + "\r\n";
		const renew = (sdp, fragment) => {
			for (const name of ["ufrag", "pwd"]) {
				const line = fragment.match(new RegExp("a=ice-" + name + ":\\S+"))[0];
				sdp = sdp.replace(new RegExp("a=ice-" + name + ":\\S+", "g"), line);
			}
			return sdp;
		};
		const arrived = async (pc) => [...(await pc.getStats()).values()].filter((s) => s.type === "inbound-rtp").map((s) => s.kind + ":" + (s.bytesReceived > 0)).sort().join(" ");
		void (async () => {
			const url = "/media/`+feed+`/whep";
			window.link = (await fetch(url, { method: "OPTIONS" })).headers.get("Link");
			const pc = new RTCPeerConnection();
			for (const kind of ["video", "audio"]) pc.addTransceiver(kind, { direction: "recvonly" });
			await pc.setLocalDescription(await pc.createOffer());
			const headers = { "Content-Type": "application/sdp" };
			const answer = await fetch(url, { method: "POST", headers, body: pc.localDescription.sdp });
			const session = answer.headers.get("Location");
			await pc.setRemoteDescription({ type: "answer", sdp: await answer.text() });
			while (pc.connectionState !== "connected") await new Promise((r) => setTimeout(r, 50));
			while (!/audio:true video:true/.test(await arrived(pc))) await new Promise((r) => setTimeout(r, 50));
			await pc.setLocalDescription(await pc.createOffer({ iceRestart: true }));
			const patch = { method: "PATCH", headers: { "Content-Type": "application/trickle-ice-sdpfrag", "If-Match": '"*"' }, body: credentials(pc.localDescription.sdp) };
			const renewed = await fetch(session, patch);
			const fragment = await renewed.text();
			await pc.setRemoteDescription({ type: "answer", sdp: renew(pc.remoteDescription.sdp, fragment) });
			const before = [...(await pc.getStats()).values()].find((s) => s.kind === "video" && s.type === "inbound-rtp").bytesReceived;
			const now = async () => [...(await pc.getStats()).values()].find((s) => s.kind === "video" && s.type === "inbound-rtp").bytesReceived;
			while (pc.iceConnectionState === "checking" || (await now()) < before + 100_000) await new Promise((r) => setTimeout(r, 50));
			const trickled = await fetch(session, { ...patch, headers: { "Content-Type": "application/trickle-ice-sdpfrag" } });
			const empty = await fetch(session, { ...patch, body: "a=mid:0" });
			const since = async (tag) => (await fetch(session, { ...patch, headers: { ...patch.headers, "If-Match": tag } })).status;
			const tags = [await since(answer.headers.get("Etag")), await since(renewed.headers.get("Etag"))];
			window.told = [renewed.status, pc.iceConnectionState, trickled.status, empty.status, ...tags].join(" ");
		})();`))
	require.NoError(t, page.Until(`window.told !== ""`, patience))
	told, err := page.Text("window.told")
	require.NoError(t, err)
	assert.Equal(t, "200 connected 204 422 412 204", told)
	link, err := page.Text("window.link")
	require.NoError(t, err)
	assert.Contains(t, link, `<turn:127.0.0.1:9>; rel="ice-server"; username="crag"; credential="secret"`)
	assert.Contains(t, link, `<stun:127.0.0.1:9>; rel="ice-server"`)

	// Our own player is told, too, and plays though nobody answers there.
	require.NoError(t, page.Open(w.url("/watch/"+feed+"?prefer=delay")))
	require.NoError(t, page.Until(playing+` && `+player+`.dataset.method === "WebRTC"`, patience))
}

// TestAFrozenCameraByWebRTC: the page says within two seconds that nothing comes and why
// as soon as that is known, keeps the last frame, and goes on with the same session within
// a second of the camera.
func TestAFrozenCameraByWebRTC(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.addFeed()
	w.film("--size", "640x360", "--rate", "25", "--keyframes", "1s")
	w.state("live")
	page := watchByWebRTC(t, w, feed)
	require.NoError(t, page.Until(method+`.includes("WebRTC")`, patience))
	const waits = player + `.shadowRoot.querySelector(".waiting:not([hidden]) .reason")`
	require.NoError(t, page.Run(`window.sessions = 0; const open = window.fetch; window.fetch = (u, o) => { if (o?.method === "POST") window.sessions++; return open(u, o); }`))
	for range 2 {
		require.NoError(t, page.Until(video+`.readyState >= 2 && `+video+`.currentTime > 0`, patience), "a frame is on show")
		w.tell("freeze", "on")
		begun := time.Now()
		require.NoError(t, page.Until(waits+` !== null`, patience))
		t.Logf("it says so after %v", time.Since(begun))
		shows, err := page.Text("String(" + video + `.readyState >= 2 && ` + video + `.srcObject !== null)`)
		require.NoError(t, err)
		detail, _ := page.Text("JSON.stringify([" + video + ".readyState, " + video + ".srcObject !== null, " + player + ".method, " + video + ".videoWidth, window.sessions])")
		assert.Equal(t, "true", shows, "the last frame stays: "+detail)
		require.NoError(t, page.Until(waits+`.textContent.includes("not there")`, patience))
		w.tell("freeze", "off")
		w.state("live")
		begun = time.Now()
		require.NoError(t, page.Until(waits+` === null`, patience))
		t.Logf("it goes on after %v", time.Since(begun))
	}
	opened, err := page.Text("String(window.sessions)")
	require.NoError(t, err)
	assert.Equal(t, "0", opened, "the session is the same")
}
