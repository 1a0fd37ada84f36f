package e2e

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/testkit"
)

// TestCamerasThatRealPeopleHave plays those that the trade knows, by the simulated
// camera. "Comes out" means that pictures change, not only that the feed says live.
func TestCamerasThatRealPeopleHave(t *testing.T) {
	t.Parallel()
	type step struct {
		tell []string
		want string // in the reason of the feed; empty: pictures come out
	}
	const path = "/" + feed
	for name, tt := range map[string]struct {
		kind, path string
		change     func(*apitypes.FeedSettings)
		steps      []step
	}{
		"closes with its challenge":  {kind: "rtsp", path: path, steps: []step{{tell: []string{"hang-up", "on"}}}},
		"the same over HTTP":         {kind: "motion-jpeg", path: "/video", steps: []step{{tell: []string{"hang-up", "on"}}}},
		"describes itself at length": {kind: "rtsp", path: path, steps: []step{{tell: []string{"long-description", "on"}}}},
		"timestamps stand still":     {kind: "rtsp", path: path, steps: []step{{tell: []string{"stand-still", "on"}}}},
		"another SSRC":               {kind: "rtsp", path: path, steps: []step{{tell: []string{"new-ssrc"}}}},
		"packets in another order":   {kind: "rtsp", path: path, change: overTCP, steps: []step{{tell: []string{"reorder", "0.05"}}}},
		"a payload type that nobody announced": {kind: "rtsp", path: path, steps: []step{
			{tell: []string{"payload-type", "120"}, want: "does not announce"}, {tell: []string{"payload-type", "0"}},
		}},
		"answers late":     {kind: "stills", path: "/picture.jpg", change: patient, steps: []step{{tell: []string{"answer-after", "6s"}}}},
		"says no at times": {kind: "stills", path: "/picture.jpg", steps: []step{{tell: []string{"status", "503"}}}},
		"calls it text":    {kind: "stills", path: "/picture.jpg", steps: []step{{tell: []string{"content-type", "text/plain"}}}},
		"calls it octets":  {kind: "stills", path: "/picture.jpg", steps: []step{{tell: []string{"content-type", "application/octet-stream"}}}},
		"no end markers":   {kind: "motion-jpeg", path: "/video", steps: []step{{tell: []string{"no-end-markers", "on"}}}},
		"streams once":     {kind: "motion-jpeg", path: "/video", steps: []step{{tell: []string{"stream-once", "on"}}}},
		"stills of no end": {kind: "stills", path: "/picture.jpg", steps: []step{{tell: []string{"no-end-markers", "on"}}}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t)
			w.film("--kind", tt.kind, "--size", "320x240", "--rate", "10", "--keyframes", "500ms")
			scheme := "http"
			if tt.kind == "rtsp" {
				scheme = "rtsp"
			}
			for i, s := range tt.steps {
				w.tell(s.tell...)
				if i == 0 {
					w.add(newFeed(feed, scheme+"://"+w.camera+tt.path, func(s *apitypes.FeedSettings) {
						s.Audience.Who = "everyone"
						if tt.change != nil {
							tt.change(s)
						}
					}))
				}
				if s.want != "" {
					w.reason(s.want)
					continue
				}
				w.state("live")
				w.comesOut(4)
			}
			f, err := w.client().Feed(context.Background(), feed)
			require.NoError(t, err)
			if tt.kind == "rtsp" && f.Session != nil {
				assert.Zero(t, f.Session.Lost, "nothing was lost")
			}
		})
	}
}

func overTCP(s *apitypes.FeedSettings) { s.Camera.Transport = "tcp" }

// patient gives the camera the time that it takes.
func patient(s *apitypes.FeedSettings) {
	s.Camera.AnswerSeconds, s.Camera.FirstFrameSeconds, s.Camera.StallSeconds = 15, 20, 30
}

// reason waits for the feed to give a reason.
func (w *world) reason(want string) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	var last apitypes.Feed
	err := testkit.Eventually(ctx, func() bool {
		f, err := w.client().Feed(ctx, feed)
		last = f
		return err == nil && strings.Contains(f.Reason, want)
	})
	require.NoError(w.t, err, "the feed is %s: %s", last.State, last.Reason)
}

// event waits for one that says so.
func (w *world) event(want string) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(w.t, testkit.Eventually(ctx, func() bool {
		events, err := w.client().Events(ctx, client.EventQuery{Feed: feed})
		return err == nil && slices.ContainsFunc(events, func(e apitypes.Event) bool { return strings.Contains(e.Text, want) })
	}), want)
}

// comesOut waits until the still picture has changed so often.
func (w *world) comesOut(changes int) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	var last []byte
	seen := -1 // the first is no change
	err := testkit.Eventually(ctx, func() bool {
		data, _, err := w.client().Still(ctx, feed, nil)
		if err == nil && !bytes.Equal(data, last) {
			last = data
			seen++
		}
		return seen >= changes
	})
	require.NoError(w.t, err, "the picture changed %d times", seen)
}
