package e2e

import (
	"fmt"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
)

// TestLiveFragments play a frame behind, with audio when somebody wants to hear it, follow
// a reboot of the camera with another size, and end when the delivery is switched off.
func TestLiveFragments(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--rate", "25", "--keyframes", "1s", "--audio", "aac")
	w.addFeed()
	w.state("live")
	tab := openPage(t)
	require.NoError(t, tab.Open(w.url("/watch/"+feed+"?by=fragments")))
	const by = player + `?.dataset.status === "playing" && ` + player + `.dataset.method === "Live fragments"`
	require.NoError(t, tab.Until(by, patience))
	require.NoError(t, tab.Until(`Number(`+player+`.dataset.delay) > 0 && Number(`+player+`.dataset.delay) < 1000`, patience))
	w.watchedBy("fragments", 1)
	require.NoError(t, tab.Until(player+`.dataset.audio === "there"`, patience))
	require.NoError(t, tab.Run(player+`.shadowRoot.querySelector('[aria-label="Sound on"]').click()`))
	require.NoError(t, tab.Until(by+` && `+player+`.shadowRoot.querySelector("video").webkitAudioDecodedByteCount > 0`, patience), "it is asked for again, with audio")

	require.NoError(t, tab.Run(`window.from = `+player+`.shadowRoot.querySelector("video").videoWidth`))
	w.tell("reboot", "--size", "480x270")
	require.NoError(t, tab.Until(by+` && `+width+` === 480`, patience), "another coding is another answer")

	_, err := w.client().EditFeed(t.Context(), feed, client.Patch{"delivery": client.Patch{"off": []string{"fragments"}}})
	require.NoError(t, err)
	require.NoError(t, tab.Until(player+`.dataset.status !== "playing"`, patience))
}

// TestADelayIsAWish: what is played and how it is cut follow from how far behind the
// picture may be.
func TestADelayIsAWish(t *testing.T) { // alone: other tests' load would lengthen what it measures
	w := onAir(t)
	out, code := w.cli("feed", "edit", "--within", "0.5", feed)
	require.Zero(t, code, out)
	w.state("live")
	tab := openPage(t)
	require.NoError(t, tab.Open(w.url("/watch/"+feed)))
	const delay = `Number(` + player + `.dataset.delay)`
	require.NoError(t, tab.Until(player+`?.dataset.method === "HLS, by script" && `+delay+` > 0 && `+delay+` < 2500`, patience), "low latency; without it HLS is three segments of 2 s behind")
	require.NoError(t, tab.Until(player+`.dataset.why.includes("0.5 s asked for")`, patience))
	out, code = w.cli("feed", "edit", "--within", "10", feed)
	require.Zero(t, code, out)
	w.state("live")
	require.NoError(t, tab.Until(player+`.dataset.status === "playing" && `+player+`.dataset.why.includes("10 s asked for")`, patience), "the player follows")
}

// TestSwitchingGoesOn: ten times to another rendition and back, without a jump back, and
// without the picture standing still.
func TestSwitchingGoesOn(t *testing.T) {
	t.Parallel()
	w := ladder(t)
	tab := openPage(t)
	require.NoError(t, tab.Open(w.url("/watch/"+feed)))
	require.NoError(t, tab.Until(player+`?.dataset.status === "playing"`, patience))
	require.NoError(t, tab.Until(player+`.shadowRoot.querySelector("select").options.length === 3`, patience), "automatic, the original, small")
	require.NoError(t, tab.Run(`
		const v = `+player+`.shadowRoot.querySelector("video");
		window.watch = { back: 0, longest: 0, at: v.currentTime, moved: performance.now() };
		setInterval(() => {
			const w = window.watch, now = performance.now();
			if (v.currentTime < w.at - 0.01) w.back++;
			if (v.currentTime > w.at) w.moved = now;
			w.longest = Math.max(w.longest, now - w.moved);
			w.at = v.currentTime;
		}, 50);`))
	for i := range 10 {
		name, lines := "small", 180
		if i%2 == 1 {
			name, lines = "original", 360
		}
		require.NoError(t, tab.Run(fmt.Sprintf(`%s.rendition = %q`, player, name)))
		require.NoError(t, tab.Until(fmt.Sprintf(`%s.shadowRoot.querySelector("video").videoHeight === %d`, player, lines), patience), name)
	}
	back, err := tab.Number(`window.watch.back`)
	require.NoError(t, err)
	assert.Zero(t, back)
	longest, err := tab.Number(`window.watch.longest`)
	require.NoError(t, err)
	t.Logf("the picture stood still for %.0f ms at most", longest)
	assert.Less(t, longest, 8000.0, "no session was begun anew")
	require.NoError(t, tab.Run(player+`.rendition = null`))
	require.NoError(t, tab.Until(player+`.shadowRoot.querySelector("select").value === ""`, patience))
}

// TestARenditionThatDies while a player is on it: it goes on with what is left.
func TestARenditionThatDies(t *testing.T) {
	t.Parallel()
	w := ladder(t)
	tab := openPage(t)
	require.NoError(t, tab.Open(w.url("/watch/"+feed+"?rendition=small")))
	require.NoError(t, tab.Until(player+`?.dataset.status === "playing" && `+player+`.shadowRoot.querySelector("video").videoHeight === 180`, patience))
	require.NoError(t, w.client().RemoveRendition(t.Context(), feed, "small"))
	require.NoError(t, tab.Until(player+`.dataset.status === "playing" && `+player+`.shadowRoot.querySelector("video").videoHeight === 360`, patience))
}

// TestPlans reads like advice, of a feed and of a camera.
func TestPlans(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "1280x720", "--rate", "10", "--keyframes", "5s")
	w.addFeed()
	w.state("live")
	const want = `(?s)The camera sends H\.264, 1280x720 .*For 50 at a time.*Use HLS: .*Live fragments.*lines-480 .*Let no more than \d+ watch`
	require.Eventually(t, func() bool {
		out, code := w.cli("plan", "--viewers", "50", "--uplink", "2M", feed)
		return code == 0 && regexp.MustCompile(want).MatchString(out)
	}, patience, 100*time.Millisecond)
	out, code := w.cli("plan", "--user", user, "--password", password, "--within", "10", w.cameraURL())
	require.Zero(t, code, out)
	assert.Regexp(t, `Set the camera's keyframe interval to 1 s`, out)
	for _, wrong := range [][]string{{"plan"}, {"plan", "--uplink", "fast", feed}, {"plan", "--viewers", "0", feed}} {
		_, code := w.cli(wrong...)
		assert.Equal(t, 2, code, wrong)
	}
	list, err := w.client().AddLadder(t.Context(), feed)
	require.NoError(t, err)
	require.Len(t, list, 2)
	again, err := w.client().AddLadder(t.Context(), feed)
	require.NoError(t, err)
	assert.ElementsMatch(t, names(list), names(again), "those that are there stay")
}

func names(list []apitypes.Rendition) (n []string) {
	for _, r := range list {
		n = append(n, r.Name)
	}
	return n
}

// TestAPlayerReports how it plays, where the feed wants to know, and the plan says so: what
// came, and the method that the browser would not play.
func TestAPlayerReports(t *testing.T) {
	t.Parallel()
	w := onAir(t)
	out, code := w.cli("feed", "edit", "--reports", feed)
	require.Zero(t, code, out)
	tab := openPage(t)
	require.NoError(t, tab.Before(`window.RTCPeerConnection = class { constructor() { throw new Error("switched off here"); } };`))
	require.NoError(t, tab.Open(w.url("/watch/"+feed+"?prefer=delay")))
	require.NoError(t, tab.Until(player+`?.dataset.status === "playing"`, patience))
	require.NoError(t, tab.Until(player+`.dataset.why.includes("switched off here")`, patience))
	reported := func() (r map[string]*apitypes.PlanReported) {
		p, err := w.client().Plan(t.Context(), feed, client.PlanQuery{})
		require.NoError(t, err)
		r = map[string]*apitypes.PlanReported{}
		for _, d := range p.Deliveries {
			r[d.Delivery] = d.Players[0].Reported
		}
		return r
	}
	require.Eventually(t, func() bool { r := reported(); return r["webrtc"] != nil && r["fragments"] != nil }, patience, 200*time.Millisecond)
	r := reported()
	assert.Equal(t, 1, r["webrtc"].Failures)
	assert.Contains(t, r["webrtc"].Reason, "switched off here")
	assert.Equal(t, 1, r["fragments"].Plays)
	require.NoError(t, tab.Until(player+`.shadowRoot.querySelector("video").getVideoPlaybackQuality().totalVideoFrames > 100`, patience))
	require.NoError(t, tab.Open(w.url("/clock"))) // what was counted is told as the page goes
	require.Eventually(t, func() bool { return reported()["fragments"].Hours > 0 }, patience, 200*time.Millisecond)
	out, code = w.cli("plan", feed)
	require.Zero(t, code, out)
	assert.Contains(t, out, "viewers: 1 played, 0 could not")
}
