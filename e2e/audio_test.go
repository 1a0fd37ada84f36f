package e2e

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/browser"
	"webostrum/testkit"
)

const (
	video = player + `.shadowRoot.querySelector("video")`
	shown = player + `.shadowRoot.querySelector("img")`
)

// silence is louder than what a browser makes of no audio, and far below the hum.
const silence = 0.005

// lipSync waits until audio is heard and lies beside the pictures; the median of the
// newest five seconds counts, since browsers take a while. A machine that keeps the
// browser waiting all the time tells nothing of that.
func lipSync(t *testing.T, page *browser.Page) {
	t.Helper()
	require.NoError(t, testkit.Listen(page, video))
	require.NoError(t, page.Until("window.heard > "+strconv.FormatFloat(silence, 'f', -1, 64), patience), "audio is heard")
	const offset = "window.offsets.slice(-5).sort((a, b) => a - b)[2]"
	const enoughCalm = 15_000
	err := page.Until("window.offsets.length >= 5 && Math.abs("+offset+") <= 60", patience/2)
	all, _ := page.Text("window.offsets.map(Math.round)")
	calm, calmErr := page.Number("window.calm")
	require.NoError(t, calmErr)
	t.Logf("the click after the flash, ms: %s; %.0f ms of calm", all, calm)
	if err != nil && calm < enoughCalm {
		return
	}
	require.NoError(t, err, "audio and pictures go together")
}

// TestAudioInEveryDelivery plays a camera of each kind of audio by HLS and by WebRTC.
func TestAudioInEveryDelivery(t *testing.T) {
	for _, coding := range []string{"aac", "g711-mu"} {
		w := newWorld(t)
		w.film("--size", "640x360", "--rate", "25", "--keyframes", "1s", "--audio", coding)
		w.addFeed()
		for _, prefer := range []string{"delay", "reach"} {
			t.Run(coding+" "+prefer, func(t *testing.T) {
				page := openPage(t)
				require.NoError(t, page.Open(w.url("/watch/"+feed+"?audio=on&prefer="+prefer)))
				require.NoError(t, page.Until(playing, patience))
				require.NoError(t, page.Until(player+`.dataset.audio === "there"`, patience))
				lipSync(t, page)
			})
		}
	}
}

// TestAudioIsAskedForWhenItIsToBeHeard begins muted, as browsers want it.
func TestAudioIsAskedForWhenItIsToBeHeard(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--rate", "15", "--audio", "g711-a")
	w.addFeed()
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/"+feed+"?prefer=delay")))
	require.NoError(t, page.Until(playing, patience))
	tracks := video + `.srcObject?.getAudioTracks().length`
	muted, err := page.Text(video + ".muted + ' ' + " + tracks)
	require.NoError(t, err)
	assert.Equal(t, "true 0", muted)
	require.NoError(t, page.Run(player+`.shadowRoot.querySelector("[aria-label='Sound on']").click()`))
	require.NoError(t, page.Until(tracks+" === 1 && !"+video+".muted && "+playing, patience))
	require.NoError(t, page.Until(`!`+player+`.shadowRoot.querySelector(".volume").hidden`, patience))

	// The choice is kept, and a browser that lets nothing start with audio gets it
	// without until something is pressed.
	refusing := `const play = HTMLMediaElement.prototype.play;
		HTMLMediaElement.prototype.play = function () { return this.muted || window.pressed ? play.call(this) : Promise.reject(new DOMException("no", "NotAllowedError")) };`
	require.NoError(t, page.Before(refusing))
	require.NoError(t, page.Open(w.url("/watch/"+feed+"?prefer=delay")))
	require.NoError(t, page.Until(playing+" && "+video+".muted", patience))
	require.NoError(t, page.Until(`[...`+player+`.shadowRoot.querySelectorAll("button")].some(b => b.ariaLabel === "Press for sound")`, patience))
	require.NoError(t, page.Run(`window.pressed = true; `+player+`.shadowRoot.querySelector(".player").dispatchEvent(new PointerEvent("pointerup", { bubbles: true, composed: true }))`))
	require.NoError(t, page.Until(playing+" && !"+video+".muted && "+tracks+" === 1", patience))
}

// TestSimplePlaysMotionJPEG shows pictures in an image, and goes on over a reboot.
func TestSimplePlaysMotionJPEG(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--rate", "15", "--keyframes", "1s", "--audio", "aac-8khz")
	w.addFeed()
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/"+feed+"?prefer=simple")))
	showing := func(w string) string {
		return player + `.dataset.status === "playing" && ` + player + `.dataset.method === "Motion JPEG" && ` + shown + `.naturalWidth === ` + w
	}
	require.NoError(t, page.Until(showing("320"), patience))
	disabled, err := page.Text(player + `.shadowRoot.querySelector("[aria-label='Motion JPEG has no sound']").disabled`)
	require.NoError(t, err)
	assert.Equal(t, "true", disabled)
	w.tell("reboot", "--size", "160x120", "--off", "1s")
	require.NoError(t, page.Until(showing("160"), patience))
}

// TestFallingBack takes one way after the other away from the browser.
func TestFallingBack(t *testing.T) {
	t.Parallel()
	w := newWorld(t, "--webrtc-listen", "")
	w.film("--size", "320x240", "--rate", "15", "--keyframes", "1s")
	w.addFeed()
	const noSource = `delete window.MediaSource; delete window.ManagedMediaSource; delete window.WebKitMediaSource;`
	const noHLS = `HTMLMediaElement.prototype.canPlayType = () => "";`
	for _, tt := range []struct{ name, before, query, method, why string }{
		{"WebRTC is off", "", "prefer=delay", "Live fragments", "this feed is not given by WebRTC"},
		{"no MediaSource", noSource, "", "HLS, by the browser", "HLS keeps within the 2 s asked for"},
		{"no HLS at all", noSource + noHLS, "", "Motion JPEG", "this browser plays no HLS"},
		{"no WebRTC in the browser", `delete window.RTCPeerConnection;`, "within=0.3", "Live fragments", "this browser has no WebRTC"},
		{"a delay that HLS keeps", "", "within=10", "HLS, by script", "HLS keeps within the 10 s asked for"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			page := openPage(t)
			require.NoError(t, page.Before(tt.before))
			require.NoError(t, page.Open(w.url("/watch/"+feed+"?"+tt.query)))
			err := page.Until(player+`?.dataset.status === "playing" && `+player+`.dataset.method === "`+tt.method+`" && `+player+`.dataset.why.includes("`+tt.why+`")`, patience)
			found, _ := page.Text(player + `.dataset.method + ": " + ` + player + `.dataset.why`)
			require.NoError(t, err, found)
		})
	}
}
