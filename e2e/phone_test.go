package e2e

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/testkit"
)

// phone is a browser with a camera, in the size of a phone.
func phone(t *testing.T) *browser.Page {
	t.Helper()
	page, stop, err := browser.Open(context.Background(), 390, 844, browser.FakeCamera...)
	require.NoError(t, err)
	t.Cleanup(stop)
	require.NoError(t, page.Phone())
	return page
}

const sendingState = `document.body.dataset.state === "sending"`

// TestPhoneAsCamera goes the way of somebody who opens the camera page by a pass, and of the
// engineer who asks for the other camera meanwhile.
func TestPhoneAsCamera(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	out, code := w.cli("feed", "add", "--pushed", "--audience", "everyone", feed)
	require.Zero(t, code, out)
	pass, err := w.client().AddPass(context.Background(), feed, 1)
	require.NoError(t, err)
	page := phone(t)
	require.NoError(t, page.Open(w.url("/publish/"+feed)))
	require.NoError(t, page.Press("Start the camera"))
	require.NoError(t, page.Until(`document.body.dataset.state === "trouble" && document.body.innerText.includes("needs a pass")`, patience), "nobody sends without a pass")

	require.NoError(t, page.Open(pass.URL))
	require.NoError(t, page.Run(`location.reload()`)) // only what is behind the # is another
	require.NoError(t, page.Until(`document.body.dataset.state === "idle"`, patience))
	require.NoError(t, page.Press("Start the camera"))
	require.NoError(t, page.Until(sendingState, patience))
	w.state("live")
	require.NoError(t, page.Until(`document.getElementById("arriving").textContent.startsWith("Arriving: ")`, patience), "it shows what arrives")
	f, err := w.client().Feed(context.Background(), feed)
	require.NoError(t, err)
	assert.Equal(t, []string{"H264", "whip", "Opus"}, []string{f.Codec, f.Session.Transport, f.AudioStatus.Codec})
	w.comesOut(3)

	watch := openPage(t)
	require.NoError(t, watch.Open(w.url("/watch/"+feed+"?by=webrtc")))
	require.NoError(t, watch.Until(playing, patience))
	require.NoError(t, watch.Open(w.url("/watch/"+feed+"?by=hls")))
	require.NoError(t, watch.Until(playing, patience))

	var p apitypes.Publisher
	w.until("the page tells of its cameras", func() bool {
		p, err = w.client().Publisher(context.Background(), feed)
		return err == nil && p.Camera != nil && len(p.Camera.Cameras) == 3
	})
	const other = 2
	require.NoError(t, w.client().AskPublisher(context.Background(), feed, apitypes.CameraWish{Camera: new(other)}))
	w.until("the other camera is on", func() bool {
		p, err = w.client().Publisher(context.Background(), feed)
		return err == nil && p.Camera.Camera == other
	})
	w.comesOut(3)

	require.NoError(t, w.client().EndPublisher(context.Background(), feed))
	require.NoError(t, page.Until(`document.body.dataset.state === "lost"`, patience))
	require.NoError(t, page.Until(sendingState, patience), "it comes back by itself")
	w.state("live")

	_, err = w.client().RenewPublishKey(context.Background(), feed)
	require.NoError(t, err)
	require.NoError(t, page.Until(`document.body.dataset.state === "trouble"`, patience), "another key ends all passes")
	require.NoError(t, page.Press("Begin again"))
	require.NoError(t, page.Until(`document.body.innerText.includes("is not taken")`, patience))
	w.state("waiting")
}

// TestPhoneThatGoes leaves its place to a second one, which was refused before.
func TestPhoneThatGoes(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	out, code := w.cli("feed", "add", "--pushed", "--audience", "everyone", feed)
	require.Zero(t, code, out)
	pass, err := w.client().AddPass(context.Background(), feed, 1)
	require.NoError(t, err)
	page := phone(t)
	begin := func(p *browser.Page) {
		require.NoError(t, p.Open(pass.URL))
		require.NoError(t, p.Press("Start the camera"))
	}
	begin(page)
	require.NoError(t, page.Until(sendingState, patience))
	w.state("live")
	second := phone(t)
	begin(second)
	require.NoError(t, second.Until(`document.body.dataset.state === "lost" && document.getElementById("status").textContent.includes("Somebody sends to this feed already")`, patience))
	require.NoError(t, page.Press("Stop"))
	require.NoError(t, second.Until(sendingState, patience), "the second comes in when the first has gone")
	w.state("live")
	require.NoError(t, second.Open("about:blank"))
	w.state("waiting")
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		f, err := w.client().Feed(ctx, feed)
		return err == nil && strings.Contains(f.Reason, "The publisher ended the connection")
	}))
}

// TestPhoneWithoutH264 sends VP8 when its browser does not say that it encodes H.264, or says
// so and does not; browsers that decode VP8 get it as it is, the others by HLS.
func TestPhoneWithoutH264(t *testing.T) {
	t.Parallel()
	const without = `const all = RTCRtpSender.getCapabilities.bind(RTCRtpSender);
		RTCRtpSender.getCapabilities = (kind) => ({ ...all(kind), codecs: all(kind).codecs.filter((c) => c.mimeType !== "video/H264") })`
	const silent = `const say = RTCRtpSender.prototype.getStats;
		RTCRtpSender.prototype.getStats = async function () {
			const h264 = this.getParameters().codecs[0].mimeType === "video/H264";
			return new Map([...(await say.call(this))].filter(([, s]) => !h264 || s.type !== "outbound-rtp"));
		}`
	for name, browserOf := range map[string]string{"says so": without, "does not say so": silent} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t)
			out, code := w.cli("feed", "add", "--pushed", "--audience", "everyone", feed)
			require.Zero(t, code, out)
			pass, err := w.client().AddPass(context.Background(), feed, 1)
			require.NoError(t, err)
			page := phone(t)
			require.NoError(t, page.Open(pass.URL))
			require.NoError(t, page.Run(browserOf))
			require.NoError(t, page.Press("Start the camera"))
			w.until("VP8 comes in", func() bool {
				f, err := w.client().Feed(context.Background(), feed)
				return err == nil && f.State == "live" && f.Codec == "VP8"
			})
			require.NoError(t, page.Until(sendingState, patience))
			w.comesOut(3)
			watch := openPage(t)
			require.NoError(t, watch.Open(w.url("/watch/"+feed+"?by=webrtc")))
			require.NoError(t, watch.Until(playing, patience))
			require.NoError(t, watch.Open(w.url("/watch/"+feed+"?by=hls")))
			require.NoError(t, watch.Until(playing, patience), "H.264 is made of it")
		})
	}
}
