package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/client"
	"webostrum/testkit"
)

// add adds a feed of the camera that films.
func (w *world) add(in apitypes.NewFeed) {
	w.t.Helper()
	in.Camera.User, in.Camera.Password, in.Delivery.SegmentSeconds = user, password, 1
	_, err := w.client().AddFeed(context.Background(), in)
	require.NoError(w.t, err)
}

// picture is the size of the pictures that a feed gets.
func (w *world) picture(name string, wide int) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	var last apitypes.Feed
	err := testkit.Eventually(ctx, func() bool {
		f, err := w.client().Feed(ctx, name)
		last = f
		return err == nil && f.State == "live" && f.Width == wide
	})
	require.NoError(w.t, err, "%s is %s, %d pixels wide: %s", name, last.State, last.Width, last.Reason)
}

// fresh asks how old the picture on show is, by the clock in its pixels.
func fresh(t *testing.T, page *browser.Page, atMost float64) {
	t.Helper()
	readClocks(t, page)
	require.NoError(t, page.Until(behind+" > 0", patience))
	delay, err := page.Number(behind)
	require.NoError(t, err)
	assert.Less(t, delay, atMost, "milliseconds")
}

// TestMotionJPEGCameraPlaysByHLS watches a camera that sends nothing but Motion
// JPEG in a browser that plays HLS; nobody asked for the transcoding.
func TestMotionJPEGCameraPlaysByHLS(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--kind", "motion-jpeg", "--name", "winch-room", "--size", "640x360", "--rate", "10")
	w.add(newFeed("winch-room", "http://"+w.camera+"/video", everybody))
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/winch-room")))
	require.NoError(t, page.Until(playing, patience))
	fresh(t, page, 30_000)
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	var f apitypes.Feed
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		now, err := w.client().Feed(ctx, "winch-room")
		f = now
		return err == nil && f.Transcoding.Memory > 0 // it is measured now and then
	}))
	require.Len(t, f.Renditions, 1)
	assert.True(t, f.Renditions[0].Automatic)
	assert.True(t, f.Renditions[0].Running)
	assert.True(t, f.Transcoding.Running)
	out, _ := w.cli("events", "--feed", "winch-room")
	assert.Contains(t, out, "transcoding began: the camera sends JPEG")
}

// TestCameraForgetsItsSettings reboots a camera that comes back as it left the
// factory: its settings are sent again without anybody doing anything.
func TestCameraForgetsItsSettings(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--kind", "motion-jpeg", "--name", "winch-room", "--size", "480x270", "--rate", "5")
	w.add(newFeed("winch-room", "http://"+w.camera+"/video", nil))
	w.picture("winch-room", 480)
	out, code := w.cli("camera-request", "add", "winch-room", "bigger", "/settings?size=640x360")
	require.Zero(t, code, out)
	out, code = w.cli("camera-request", "run", "winch-room", "bigger")
	require.Zero(t, code, out)
	assert.Contains(t, out, "answered 200")
	w.picture("winch-room", 640)

	w.tell("--camera", "winch-room", "reboot", "--off", "1s")
	w.picture("winch-room", 480) // it has forgotten

	out, code = w.cli("camera-request", "remove", "winch-room", "bigger")
	require.Zero(t, code, out)
	out, code = w.cli("camera-request", "add", "--at-connection", "winch-room", "bigger", "/settings?size=640x360")
	require.Zero(t, code, out)
	w.tell("--camera", "winch-room", "reboot", "--off", "1s")
	w.picture("winch-room", 640)
	out, _ = w.cli("events", "--feed", "winch-room", "--limit", "4")
	assert.Contains(t, out, `camera request "bigger" (GET /settings): answered 200`)
}

const seenImage = `document.querySelector("#seen")`

// show puts a picture of the service on a page that is one of its own.
func show(t *testing.T, page *browser.Page, src string) {
	t.Helper()
	require.NoError(t, page.Run(`
		document.body.innerHTML = "<img id=seen>";
		`+seenImage+`.src = "`+src+`";`))
	require.NoError(t, page.Until(seenImage+".naturalWidth > 0", patience))
}

// taken is the capture time that stands in the image's pixels, or 0.
const taken = "window.clockIn(" + seenImage + ")"

// later is true once what is read has become more than it was at first.
func later(name, read string) string {
	return "(" + name + " ||= " + read + ") && " + read + " > " + name
}

// TestVideoInAnImage shows an H.264 camera in an <img>: for somebody whose browser
// has signed in, and for nobody else.
func TestVideoInAnImage(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--rate", "15")
	w.add(newFeed(feed, w.cameraURL(), nil))
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/")))
	require.NoError(t, page.Run(`
		const img = Object.assign(new Image(), { src: "/media/`+feed+`/mjpeg" });
		img.onerror = () => { window.refused = true; };`))
	require.NoError(t, page.Until("window.refused === true", patience), "a stranger")
	signIn(t, w, page)
	show(t, page, "/media/"+feed+"/mjpeg")
	readClocks(t, page)
	require.NoError(t, page.Until(taken+" > 0", patience))
	require.NoError(t, page.Until(later("window.first", taken), patience), "it moves")
	age, err := page.Number("window.behind(" + seenImage + ")")
	require.NoError(t, err)
	assert.Less(t, age, 5000.0, "milliseconds")

	show(t, page, "/media/"+feed+"/still.jpg?size=320x")
	wide, err := page.Number(seenImage + ".naturalWidth")
	require.NoError(t, err)
	assert.Equal(t, 320.0, wide)
}

// TestStillsBecomeVideo watches a camera that has one picture at a time, by HLS
// and in an <img>.
func TestStillsBecomeVideo(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--kind", "stills", "--name", "summit-mast", "--size", "640x360", "--rate", "0.5")
	w.add(newFeed("summit-mast", "http://"+w.camera+"/picture.jpg", func(s *apitypes.FeedSettings) { s.Audience.Who, s.Camera.PollSeconds = "everyone", 0.5 }))
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/summit-mast")))
	require.NoError(t, page.Until(playing, patience))
	fresh(t, page, 30_000)
	require.NoError(t, page.Until(later("window.first", onShow), patience), "a newer picture comes")

	show(t, page, "/media/summit-mast/mjpeg")
	readClocks(t, page)
	require.NoError(t, page.Until(taken+" > 0", patience))
	require.NoError(t, page.Until(later("window.begun", taken), patience), "it moves")
	f, err := w.client().Feed(context.Background(), "summit-mast")
	require.NoError(t, err)
	assert.Equal(t, "poll", f.Session.Transport)
	assert.Positive(t, f.Session.Unchanged)
}

// TestRenditionFromTheConsole adds a rendition in the console, sees what is made
// of it, and plays it beside the original.
func TestRenditionFromTheConsole(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--rate", "15")
	w.add(newFeed(feed, w.cameraURL(), func(s *apitypes.FeedSettings) { s.Title = "Lower station" }))
	w.picture(feed, 640)
	page := openPage(t)
	signIn(t, w, page)
	require.NoError(t, page.Until(`document.querySelector("img[src*='still.jpg']")?.naturalWidth > 0`, patience), "a thumbnail")
	require.NoError(t, page.Open(w.url("/feeds/"+feed)))
	require.NoError(t, page.Press("Add a rendition"))
	require.NoError(t, page.Until(`document.querySelector("[role=dialog] input")`, patience))
	fields := `[...document.querySelectorAll("[role=dialog] input:not([aria-hidden])")]`
	require.NoError(t, page.Run(fields+`[0].focus()`))
	require.NoError(t, page.Keys("small"))
	require.NoError(t, page.Run(fields+`[1].focus()`))
	require.NoError(t, page.Keys("333x188"))
	require.NoError(t, page.Press("Add"))
	require.NoError(t, page.Until(`document.body.textContent.includes("333x188 asked")`, patience), "what is made, and why")
	require.NoError(t, page.Run(`document.querySelector("[aria-label='Preview small']").click()`))
	preview := `document.querySelector("webostrum-player[rendition=small]")`
	require.NoError(t, page.Until(preview+`?.dataset.status === "playing" && `+preview+`.shadowRoot.querySelector("video").videoWidth <= 334`, patience))
	require.NoError(t, page.Until(`/running · [0-9.]+ % of a core/.test(document.body.textContent)`, patience), "its cost")
}

// TestStillCommand saves a picture by the command line.
func TestStillCommand(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--rate", "10")
	w.add(newFeed(feed, w.cameraURL(), nil))
	w.picture(feed, 320)
	file := filepath.Join(t.TempDir(), "gate.jpg")
	out, code := w.cli("feed", "still", "--size", "160x", "--to", file, feed)
	require.Zero(t, code, out)
	assert.Contains(t, out, "160x120")
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Positive(t, info.Size())
	out, code = w.cli("feed", "still", "nowhere")
	assert.Equal(t, 3, code, out)
	out, code = w.cli("link", "add", feed, "panel")
	require.Zero(t, code, out)
	assert.Equal(t, 6, strings.Count(out, "/link/"), "two pages and four media")
	_, _, err = client.New(w.url(""), "forged").Still(context.Background(), feed, nil)
	assert.Error(t, err)
}
