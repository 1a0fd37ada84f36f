package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/client"
	"webostrum/sim/device"
)

// withDevice has the simulated camera found and asked by ONVIF.
func (w *world) withDevice(name string) *device.Device {
	w.t.Helper()
	d, err := device.New(device.Config{
		Listen: "127.0.0.1:0", On: "lo", ID: "urn:uuid:" + name, Name: name, Hardware: "PL 2", User: user, Password: password,
		Quirks: device.Quirks{Relative: true},
		OnVideo: func(s device.Stream) {
			w.tell("reboot", "--size", fmt.Sprintf("%dx%d", s.Width, s.Height), "--off", "500ms")
		},
		Streams: []device.Stream{
			{Token: "1", Name: "main", Codec: "H264", Width: 640, Height: 360, FrameRate: 25, Kilobits: 2000, Group: 25, URL: w.cameraURL()},
			{Token: "2", Name: "new", Codec: "H265", Width: 1280, Height: 720, FrameRate: 25, Kilobits: 900, Group: 50, URL: w.cameraURL()},
		},
	})
	require.NoError(w.t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- d.Run(ctx) }()
	w.t.Cleanup(func() { cancel(); assert.NoError(w.t, <-done) })
	return d
}

// TestSearchInTheConsole: from an empty install by search, sign-in, choice, preview and
// name to pictures.
func TestSearchInTheConsole(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--keyframes", "1s")
	w.withDevice("yard-console")
	page := openPage(t)
	signIn(t, w, page)
	require.NoError(t, page.Press("Search for cameras"))
	require.NoError(t, page.Press("Search now"))
	found := `document.querySelector('[data-found="yard-console"] button')`
	require.NoError(t, page.Until(found, patience))
	require.NoError(t, page.Run(found+`.click()`))
	require.NoError(t, page.Type(`[role=dialog] input[autocomplete="off"]`, user))
	require.NoError(t, page.Type(`[role=dialog] input[autocomplete="new-password"]`, password))
	require.NoError(t, page.Press("Sign in"))
	require.NoError(t, page.Until(has("Best to watch"), patience))
	require.NoError(t, page.Until(has("Passes through to browsers that decode H.265"), patience), "each says what it means")
	require.NoError(t, page.Run(`document.querySelector('[data-stream="main"] button').click()`))
	require.NoError(t, page.Press("Look into the camera"))
	require.NoError(t, page.Until(has("It works"), patience))
	require.NoError(t, page.Press("Add this feed"))
	require.NoError(t, page.Until(`location.pathname === "/feeds/lower-station"`, patience))
	require.NoError(t, page.Until(playing, patience))
}

// TestSearchByCommand does the same in three commands.
func TestSearchByCommand(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--keyframes", "1s")
	d := w.withDevice("yard-command")
	out, code := w.cli("discover", "--seconds", "2")
	require.Zero(t, code, out)
	assert.Contains(t, out, "yard-command")
	assert.Contains(t, out, d.URL())
	out, code = w.cli("streams", d.URL(), "--user", user, "--password", "wrong")
	assert.NotZero(t, code)
	assert.Contains(t, out, "camera-sign-in-refused")
	out, code = w.cli("streams", d.URL(), "--user", user, "--password", password)
	require.Zero(t, code, out)
	assert.Contains(t, out, "best to watch")
	out, code = w.cli("streams", d.URL(), "--user", user, "--password", password, "--add", feed)
	require.Zero(t, code, out)
	assert.Contains(t, out, "/watch/"+feed)
	w.state("live")
	out, code = w.cli("discover", "--sweep", "203.0.113.0/24")
	assert.NotZero(t, code)
	assert.Contains(t, out, "only private networks are swept")
	out, code = w.cli("streams", strings.TrimPrefix(w.url(""), "http://"))
	assert.NotZero(t, code)
	assert.Contains(t, out, "camera-")
}

// TestTheCameraBehindAFeed sets and moves a feed's camera by ONVIF, from the console and by
// command; and a feed whose stream is gone finds it again.
func TestTheCameraBehindAFeed(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--keyframes", "1s")
	d := w.withDevice("yard-behind")
	f := newFeed(feed, w.cameraURL()+"-before", everybody)
	f.Camera.Device, f.Camera.DeviceProfile, f.Camera.User, f.Camera.Password = d.URL(), "1", user, password
	_, err := w.client().AddFeed(context.Background(), f)
	require.NoError(t, err)
	w.event("the camera says by ONVIF that its stream is at " + w.cameraURL())
	w.state("live")

	page := openPage(t)
	signIn(t, w, page)
	require.NoError(t, page.Open(w.url("/feeds/"+feed)))
	require.NoError(t, page.Until(`document.querySelector("[data-camera=H264]")`, patience))
	require.NoError(t, page.Press("Upper points"))
	require.Eventually(t, func() bool { return d.State().Pan == 0.5 }, patience, 20*time.Millisecond)
	require.NoError(t, page.Press("Nearer"))
	require.Eventually(t, func() bool { return d.State().Zoom == 0.1 }, patience, 20*time.Millisecond)

	require.NoError(t, page.Until(playing, patience))
	out, code := w.cli("camera", "set", feed, "--size", "320x180", "--keyframes", "1")
	require.Zero(t, code, out)
	assert.Contains(t, out, "H.264 Main, 320x180")
	require.NoError(t, page.Until(width+" === 320", patience), "the camera sends what it was set to, and the player follows")
	out, code = w.cli("camera", "set", feed, "--size", "321x180")
	assert.NotZero(t, code)
	assert.Contains(t, out, "camera-setting-unfit")
	out, code = w.cli("camera", "move", feed, "--preset", "Loop")
	require.Zero(t, code, out)
	assert.Zero(t, d.State().Pan)
	out, code = w.cli("camera", "keyframe", feed)
	require.Zero(t, code, out)
	assert.Equal(t, 1, d.State().Keyframes)
	w.tell("lose", "0.1")
	require.Eventually(t, func() bool { return d.State().Keyframes > 1 }, patience, 20*time.Millisecond, "pictures are missing")
}

// TestAFeedFollowsItsCamera to where it is found: when somebody says so, and by itself where
// it may.
func TestAFeedFollowsItsCamera(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--keyframes", "1s")
	d := w.withDevice("yard-follows")
	old := strings.Replace(w.cameraURL(), "127.0.0.1", "127.0.0.9", 1)
	f := newFeed(feed, old, everybody)
	f.Camera.User, f.Camera.Password = user, password
	f.Camera.Device, f.Camera.DeviceProfile, f.Camera.DeviceID = strings.Replace(d.URL(), "127.0.0.1", "127.0.0.9", 1), "1", "urn:uuid:yard-follows"
	_, err := w.client().AddFeed(context.Background(), f)
	require.NoError(t, err)
	w.reason("nothing listens on that port")

	out, code := w.cli("discover", "--seconds", "2")
	require.Zero(t, code, out)
	assert.Contains(t, out, feed+" (moved)")
	page := openPage(t)
	signIn(t, w, page)
	require.NoError(t, page.Open(w.url("/search")))
	require.NoError(t, page.Press("Search now"))
	require.NoError(t, page.Until(`document.querySelector("[data-moved]")`, patience))
	require.NoError(t, page.Press("Set "+feed+" to it"))
	w.event("the camera was found at 127.0.0.1")
	w.state("live")

	_, err = w.client().EditFeed(context.Background(), feed, client.Patch{"camera": client.Patch{"url": old, "user": user, "password": password,
		"device": strings.Replace(d.URL(), "127.0.0.1", "127.0.0.9", 1), "deviceProfile": "1", "deviceId": "urn:uuid:yard-follows", "follow": true}})
	require.NoError(t, err)
	w.state("live")
	out, code = w.cli("feed", "show", feed)
	require.Zero(t, code, out)
	assert.Contains(t, out, w.cameraURL(), "by itself")
	out, code = w.cli("camera", "follow", feed)
	require.Zero(t, code, out)
	assert.Contains(t, out, w.cameraURL(), "it is where it was")
	out, code = w.cli("feed", "edit", "--device-user", user, "--device-password", "wrong", feed)
	require.Zero(t, code, out)
	out, code = w.cli("camera", "show", feed)
	assert.NotZero(t, code)
	assert.Contains(t, out, "camera-sign-in-refused", "the device has a user and a password of its own")
	w.state("live")
}
