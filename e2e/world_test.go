// Package e2e tests the built programs as their users meet them: the service,
// the command line, the simulated camera, and pages in headless Chromium.
package e2e

import (
	"bytes"
	"context"
	"errors"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/client"
	"webostrum/service"
	"webostrum/testkit"
)

const (
	patience = 90 * time.Second
	user     = "viewer"
	password = "funicular"
	feed     = "lower-station"
)

// world is one service with its data folder, and the addresses of a camera that
// may run or not.
type world struct {
	t       *testing.T
	data    string
	listen  string
	camera  string
	control string
	flags   []string // of the service
	service *testkit.Process
}

func newWorld(t *testing.T, flags ...string) *world {
	t.Helper()
	ports, err := testkit.FreePorts(3)
	require.NoError(t, err)
	w := &world{t: t, data: t.TempDir(), listen: ports[0], camera: ports[1], control: ports[2], flags: flags}
	w.serveToTheEnd()
	return w
}

// serveToTheEnd has the service run until the test ends.
func (w *world) serveToTheEnd() {
	w.t.Helper()
	w.serve()
	w.t.Cleanup(func() {
		w.service.Kill()
		if w.t.Failed() {
			w.t.Log(w.service.Log())
		}
	})
}

func (w *world) serve() {
	w.t.Helper()
	p, err := testkit.Start(append([]string{"--data", w.data, "serve", "--listen", w.listen, "--webrtc-listen", "127.0.0.1:0", "--rtmp-listen", "127.0.0.1:0", "--rtsp-listen", "127.0.0.1:0", "--search-on", "lo"}, w.flags...)...)
	require.NoError(w.t, err)
	w.service = p
	_, err = p.Find(`(Open the console)`, patience)
	require.NoError(w.t, err)
}

// film starts the simulated camera.
func (w *world) film(args ...string) *testkit.Process {
	w.t.Helper()
	p, err := testkit.Start(append([]string{"sim", "--listen", w.camera, "--control", w.control}, args...)...)
	require.NoError(w.t, err)
	w.t.Cleanup(p.Kill)
	_, err = p.Find(`(is on the air)`, patience)
	require.NoError(w.t, err)
	return p
}

// tell makes the camera misbehave.
func (w *world) tell(args ...string) {
	w.t.Helper()
	out, code := w.cli(append([]string{"sim", "--control", w.control, "tell"}, args...)...)
	require.Zero(w.t, code, out)
}

func (w *world) url(path string) string { return "http://" + w.listen + path }

func (w *world) cameraURL() string { return "rtsp://" + w.camera + "/" + feed }

func (w *world) client() *client.Client {
	w.t.Helper()
	local, err := service.ReadLocal(w.data)
	require.NoError(w.t, err)
	return client.New(local.Address, local.Token)
}

func (w *world) addFeed() {
	w.t.Helper()
	w.add(newFeed(feed, w.cameraURL(), func(s *apitypes.FeedSettings) { s.Title, s.Audience.Who = "Lower station", "everyone" }))
}

// newFeed is a feed with usual settings, changed.
func newFeed(name, url string, change func(*apitypes.FeedSettings)) apitypes.NewFeed {
	in := apitypes.NewFeed{Name: name, FeedSettings: apitypes.Defaults(url)}
	if change != nil {
		change(&in.FeedSettings)
	}
	return in
}

func everybody(s *apitypes.FeedSettings) { s.Audience.Who = "everyone" }

// state waits for the feed to be in a state.
func (w *world) state(want string) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	c := w.client()
	var last apitypes.Feed
	err := testkit.Eventually(ctx, func() bool {
		f, err := c.Feed(ctx, feed)
		last = f
		return err == nil && f.State == want
	})
	require.NoError(w.t, err, "the feed is %s: %s", last.State, last.Reason)
}

// cli runs a command and returns what it printed and its exit code.
func (w *world) cli(args ...string) (string, int) {
	w.t.Helper()
	program, err := testkit.Program("webostrum")
	require.NoError(w.t, err)
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.Env = append(os.Environ(), "WEBOSTRUM_DATA="+w.data)
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	err = cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(w.t, err)
	}
	return out.String(), cmd.ProcessState.ExitCode()
}

func openPage(t *testing.T) *browser.Page {
	t.Helper()
	page, stop, err := browser.Open(context.Background(), 1280, 800)
	require.NoError(t, err)
	t.Cleanup(stop)
	return page
}

// watching starts a service, a camera and its feed, and opens the watch page
// until it plays.
func watching(t *testing.T, film ...string) (*world, *browser.Page) {
	t.Helper()
	w := newWorld(t)
	w.film(film...)
	w.addFeed()
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/"+feed)))
	require.NoError(t, page.Until(playing, patience))
	return w, page
}

const player = `document.querySelector("webostrum-player")`

// playing is true when the player shows pictures that move.
const playing = player + `?.dataset.status === "playing" && ` + player + `.shadowRoot.querySelector("video").readyState >= 2`

// width is the width of the picture on show.
const width = player + `.shadowRoot.querySelector("video").videoWidth`

// onShow is the capture time that stands in the pixels of the video on show, or 0, and
// behind how long ago that was, milliseconds. readClocks goes first.
const (
	onShow = "window.clockIn(" + video + ")"
	behind = "window.behind(" + video + ")"
)

func readClocks(t *testing.T, page *browser.Page) {
	t.Helper()
	require.NoError(t, testkit.ReadClocks(page))
}
