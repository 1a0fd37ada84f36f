package e2e

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"net"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/testkit"
)

// pushedWorld is a service that takes publishers at addresses of its own.
func pushedWorld(t *testing.T) (w *world, rtmp, rtsp string) {
	t.Helper()
	ports, err := testkit.FreePorts(2)
	require.NoError(t, err)
	return newWorld(t, "--rtmp-listen", ports[0], "--rtsp-listen", ports[1]), ports[0], ports[1]
}

// listens says whether somebody takes connections at an address.
func listens(address string) bool {
	c, err := net.Dial("tcp", address)
	if err == nil {
		_ = c.Close()
	}
	return err == nil
}

func (w *world) until(what string, ok func() bool) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(w.t, testkit.Eventually(ctx, ok), what)
}

// TestPublishedFeed goes the way of somebody whose encoder sends by RTMP, by command line and
// pages alone.
func TestPublishedFeed(t *testing.T) {
	t.Parallel()
	w, rtmp, _ := pushedWorld(t)
	assert.False(t, listens(rtmp), "the port is open only while a feed waits")
	out, code := w.cli("feed", "add", "--pushed", "--audience", "everyone", feed)
	require.Zero(t, code, out)
	key := regexp.MustCompile(`key\s+(\S+)`).FindStringSubmatch(out)
	require.NotNil(t, key, out)
	assert.Contains(t, out, "rtmp://"+rtmp+"/"+feed)
	assert.Contains(t, out, "waiting: It waits for somebody to send.")
	w.until("the port opens", func() bool { return listens(rtmp) })
	shown, _ := w.cli("feed", "show", feed)
	assert.NotContains(t, shown, key[1], "the key is shown once")

	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/"+feed)))
	wrong := w.film("--kind", "push-rtmp", "--size", "320x160", "--keyframes", "500ms", "--to", "rtmp://"+rtmp+"/"+feed+"/wrong-key")
	w.event("a publisher came by RTMP with a wrong key")
	wrong.Kill()
	w.film("--kind", "push-rtmp", "--size", "320x160", "--keyframes", "500ms", "--audio", "aac", "--to", "rtmp://"+rtmp+"/"+feed+"/"+key[1])
	w.state("live")
	require.NoError(t, page.Until(playing, patience), "the page that was open plays by itself")
	wide, err := page.Number(width)
	require.NoError(t, err)
	assert.EqualValues(t, 320, wide)
	w.event("a publisher came by RTMP from 127.0.0.1")
	out, code = w.cli("inspect", feed)
	require.Zero(t, code, out)
	assert.Regexp(t, `transport\s+rtmp`, out)
	assert.Contains(t, out, "It works")

	w.tell("freeze", "on")
	w.state("waiting")
	w.reason("stopped sending")
	w.tell("freeze", "off")
	w.state("live")
	w.comesOut(3)

	out, code = w.cli("feed", "key", feed)
	require.Zero(t, code, out)
	w.reason("the feed got another key")
	out, code = w.cli("feed", "remove", feed)
	require.Zero(t, code, out)
	w.until("the port closes", func() bool { return !listens(rtmp) })
}

// TestTransportStreamOverALine loses packets, as the line of a car in a valley does.
func TestTransportStreamOverALine(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	to := "udp://" + w.camera
	w.add(newFeed(feed, to, everybody))
	w.state("waiting")
	w.film("--kind", "push-ts", "--size", "320x240", "--keyframes", "500ms", "--audio", "aac", "--to", to)
	w.state("live")
	w.comesOut(3)
	w.tell("lose", "0.02")
	w.until("losses are counted", func() bool {
		f, err := w.client().Feed(context.Background(), feed)
		return err == nil && f.Session != nil && f.Session.Lost > 3
	})
	w.comesOut(3)
	w.tell("lose", "0")
	w.comesOut(3)
	f, err := w.client().Feed(context.Background(), feed)
	require.NoError(t, err)
	assert.Positive(t, f.Session.Buffer)
	assert.Equal(t, "AAC", f.AudioStatus.Codec)

	w.add(newFeed("second", to, everybody))
	w.until("a second feed on the port is told why not", func() bool {
		s, err := w.client().Feed(context.Background(), "second")
		return err == nil && s.Code == "camera-port-taken" && s.State == "refused"
	})
	w.state("live")
}

// TestNodesInAChain: an origin takes the camera in, and two edges take the feed from it by
// RTSP; whoever may no longer watch there is cut off.
func TestNodesInAChain(t *testing.T) {
	t.Parallel()
	origin, _, rtsp := pushedWorld(t)
	origin.film("--size", "320x240", "--keyframes", "500ms", "--audio", "aac")
	origin.add(newFeed(feed, origin.cameraURL(), func(s *apitypes.FeedSettings) {
		s.Audience.Who, s.Delivery.Off = "signed-in", []string{}
	}))
	origin.state("live")
	origin.until("the port opens", func() bool { return listens(rtsp) })
	c := origin.client()
	_, err := c.AddAccount(context.Background(), apitypes.NewAccount{Name: "edges", Role: "viewer", Password: "correct horse battery"})
	require.NoError(t, err)
	var edges []*world
	for _, transport := range []string{"tcp", "udp"} {
		edge := newWorld(t)
		in := newFeed(feed, "rtsp://"+rtsp+"/"+feed, func(s *apitypes.FeedSettings) {
			s.Audience.Who, s.Camera.Transport = "everyone", transport
			s.Camera.User, s.Camera.Password = "edges", "correct horse battery"
		})
		_, err := edge.client().AddFeed(context.Background(), in)
		require.NoError(t, err)
		edge.state("live")
		edge.comesOut(3)
		f, err := edge.client().Feed(context.Background(), feed)
		require.NoError(t, err)
		assert.Equal(t, []string{"H264", "AAC"}, []string{f.Codec, f.AudioStatus.Codec})
		assert.True(t, f.Session.SenderReports, "capture times come along")
		edges = append(edges, edge)
	}
	origin.watchedBy("rtsp", 2)
	_, err = c.EditFeed(context.Background(), feed, client.Patch{"audience": client.Patch{"who": "named"}})
	require.NoError(t, err)
	for _, edge := range edges {
		edge.until("the edge is cut off", func() bool {
			f, err := edge.client().Feed(context.Background(), feed)
			return err == nil && f.State == "refused"
		})
	}
	origin.watchedBy("rtsp", 0)
}

// TestCommandOfTheSettings sends what a program on the service's machine writes, and says why
// none comes when it ends.
func TestCommandOfTheSettings(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for i, name := range []string{"a.jpg", "b.jpg"} {
		var b bytes.Buffer
		img := image.NewYCbCr(image.Rect(0, 0, 320, 180), image.YCbCrSubsampleRatio420)
		for k := range img.Y {
			img.Y[k] = byte(k*(i+1) + i*90)
		}
		require.NoError(t, jpeg.Encode(&b, img, nil))
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), b.Bytes(), 0o600))
	}
	settings := filepath.Join(folder, "settings.yaml")
	require.NoError(t, os.WriteFile(settings, []byte(`commands:
  `+feed+`: [sh, -c, "cd $0; while [ -e b.jpg ]; do cat a.jpg; sleep 0.1; cat b.jpg; sleep 0.1; done; echo no camera at all >&2", `+folder+`]
`), 0o600))
	w := newWorld(t, "--config", settings)
	out, code := w.cli("feed", "add", "--pushed", feed)
	require.Zero(t, code, out)
	w.state("live")
	w.comesOut(3)
	out, code = w.cli("feed", "publisher", feed)
	require.Zero(t, code, out)
	assert.Contains(t, out, "command")

	require.NoError(t, os.Remove(filepath.Join(folder, "b.jpg")))
	w.until("it is said why nothing comes", func() bool {
		f, err := w.client().Feed(context.Background(), feed)
		return err == nil && f.State == "waiting" && strings.Contains(f.Reason, "no camera at all")
	})
	require.NoError(t, os.WriteFile(filepath.Join(folder, "b.jpg"), nil, 0o600))
	w.state("live")
	out, code = w.cli("feed", "stop", feed)
	require.Zero(t, code, out)
	w.state("off")
}
