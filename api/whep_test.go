package api_test

import (
	"context"
	"encoding/json"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/pion/webrtc/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/api"
	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/testkit"
	"webostrum/testkit/peer"
)

const (
	sdp      = "application/sdp"
	fragment = "application/trickle-ice-sdpfrag"
)

// startWebRTC starts a service that has WebRTC and a public feed.
func startWebRTC(t *testing.T, limits viewers.Config) *world {
	t.Helper()
	server, err := whep.New(whep.Config{Listen: "127.0.0.1:0"})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, server.Close()) }) // after the API's streams have ended
	w := startWith(t, func(c *api.Config) {
		c.WebRTC, c.Viewers = server, limits
		c.ICEServers = []whep.ICEServer{{URL: "turn:turn.example:3478", Username: "crag", Credential: "secret"}}
	})
	w.addFeed("gate", true)
	return w
}

// program is a WebRTC viewer without a browser.
type program struct {
	pc      *webrtc.PeerConnection
	packets atomic.Int64
}

func newProgram(t *testing.T) *program {
	t.Helper()
	var settings webrtc.SettingEngine
	settings.SetIncludeLoopbackCandidate(true)
	pc, err := webrtc.NewAPI(webrtc.WithSettingEngine(settings)).NewPeerConnection(webrtc.Configuration{})
	require.NoError(t, err)
	t.Cleanup(func() { _ = pc.Close() })
	p := &program{pc: pc}
	pc.OnTrack(func(remote *webrtc.TrackRemote, _ *webrtc.RTPReceiver) {
		for {
			if _, _, err := remote.ReadRTP(); err != nil {
				return
			}
			p.packets.Add(1)
		}
	})
	_, err = pc.AddTransceiverFromKind(webrtc.RTPCodecTypeVideo, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionRecvonly})
	require.NoError(t, err)
	return p
}

// describe makes an offer that has all addresses in it.
func (p *program) describe(t *testing.T, options *webrtc.OfferOptions) string {
	t.Helper()
	offer, err := peer.Offer(p.pc, options)
	require.NoError(t, err)
	return offer
}

// join opens a session, and returns where it is and its tag.
func (w *world) join(p *program, path string) (session, tag string) {
	w.t.Helper()
	res, answer := w.do("POST", path, "", p.describe(w.t, nil), "Content-Type", sdp)
	require.Equal(w.t, 201, res.StatusCode, answer)
	assert.Equal(w.t, sdp, res.Header.Get("Content-Type"))
	assert.Equal(w.t, `<turn:turn.example:3478>; rel="ice-server"; username="crag"; credential="secret"; credential-type="password"`, res.Header.Get("Link"))
	assert.Contains(w.t, res.Header.Get("Access-Control-Expose-Headers"), "Location", "for players on other sites")
	require.NoError(w.t, p.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	w.eventually("pictures come", func() bool { return p.packets.Load() > 0 })
	return res.Header.Get("Location"), res.Header.Get("Etag")
}

func (w *world) eventually(what string, ok func() bool) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	require.NoError(w.t, testkit.Eventually(ctx, ok), what)
}

func TestASessionFromBeginningToEnd(t *testing.T) {
	w := startWebRTC(t, viewers.Config{})
	w.addFeed("bridge", true)
	p := newProgram(t)
	session, tag := w.join(p, "/media/gate/whep")
	require.True(t, strings.HasPrefix(session, "/media/gate/whep/"), session)

	var state apitypes.SessionState
	w.eventually("its state is told", func() bool {
		_, body := w.do("GET", session, "", nil)
		return json.Unmarshal([]byte(body), &state) == nil && state.CapturedAt > 0
	})
	assert.Equal(t, "udp", state.Way)
	assert.InDelta(t, state.Now, state.CapturedAt, 10_000, "milliseconds")

	for name, tt := range map[string]struct {
		method, path, body string
		headers            []string
		want               int
		code               string
	}{
		"another feed's":      {"GET", strings.Replace(session, "gate", "bridge", 1), "", nil, 404, "session-unknown"},
		"nobody's":            {"GET", "/media/gate/whep/abc", "", nil, 404, "session-unknown"},
		"ending nobody's":     {"DELETE", "/media/gate/whep/abc", "", nil, 404, "session-unknown"},
		"changing nobody's":   {"PATCH", "/media/gate/whep/abc", "", nil, 404, "session-unknown"},
		"PUT":                 {"PUT", session, "", nil, 405, "method-not-allowed"},
		"reading the place":   {"GET", "/media/gate/whep", "", nil, 405, "method-not-allowed"},
		"candidates":          {"PATCH", session, "a=mid:0", []string{"Content-Type", fragment, "If-Match", tag}, 204, ""},
		"candidates, no tag":  {"PATCH", session, "a=mid:0", []string{"Content-Type", fragment}, 204, ""},
		"an outdated change":  {"PATCH", session, "a=mid:0", []string{"Content-Type", fragment, "If-Match", `"old"`}, 412, "patch-outdated"},
		"a change in JSON":    {"PATCH", session, "{}", []string{"Content-Type", "application/json"}, 415, "patch-type"},
		"a huge change":       {"PATCH", session, strings.Repeat("a", 65<<10), []string{"Content-Type", fragment, "If-Match", `"*"`}, 413, "offer-too-large"},
		"a change of nothing": {"PATCH", session, "a=mid:0", []string{"Content-Type", fragment, "If-Match", `"*"`}, 422, "restart-refused"},
	} {
		t.Run(name, func(t *testing.T) {
			res, body := w.do(tt.method, tt.path, "", tt.body, tt.headers...)
			assert.Equal(t, tt.want, res.StatusCode, body)
			assert.Contains(t, body, tt.code)
			if tt.want == 405 {
				assert.NotEmpty(t, res.Header.Get("Allow"))
			}
		})
	}

	fresh := p.describe(t, &webrtc.OfferOptions{ICERestart: true})
	res, body := w.do("PATCH", session, "", fresh, "Content-Type", fragment, "If-Match", `"*"`)
	require.Equal(t, 200, res.StatusCode, body)
	assert.Equal(t, fragment, res.Header.Get("Content-Type"))
	assert.NotEqual(t, tag, res.Header.Get("Etag"))
	assert.Contains(t, body, "a=ice-ufrag:")
	res, _ = w.do("PATCH", session, "", "a=mid:0", "Content-Type", fragment, "If-Match", tag)
	assert.Equal(t, 412, res.StatusCode, "the tag of before is no longer good")

	res, _ = w.do("DELETE", session, "", nil)
	assert.Equal(t, 200, res.StatusCode)
	w.eventually("it is gone", func() bool { res, _ := w.do("GET", session, "", nil); return res.StatusCode == 404 })
	w.eventually("so is the viewer", func() bool { return len(w.watching()) == 0 })
}

func (w *world) watching() []apitypes.Viewer {
	w.t.Helper()
	list, err := client.New(w.url, w.engineer).Viewers(context.Background(), "")
	require.NoError(w.t, err)
	return list
}

func TestWebRTCViewersAreBoundedAndEnded(t *testing.T) {
	w := startWebRTC(t, viewers.Config{MostAFeed: 1})
	p := newProgram(t)
	session, _ := w.join(p, "/media/gate/whep")
	w.eventually("it is counted", func() bool { l := w.watching(); return len(l) == 1 && l[0].Bytes > 0 })
	one := w.watching()[0]
	assert.Equal(t, []string{"gate", "webrtc", "127.0.0.1"}, []string{one.Feed, one.Method, one.Address})
	res, body := w.do("POST", "/media/gate/whep", "", newProgram(t).describe(t, nil), "Content-Type", sdp)
	assert.Equal(t, 503, res.StatusCode)
	assert.Contains(t, body, "As many viewers watch this feed as it may have.")

	require.NoError(t, client.New(w.url, w.engineer).EndViewer(context.Background(), one.ID))
	w.eventually("its session has ended", func() bool { res, _ := w.do("GET", session, "", nil); return res.StatusCode == 404 })
	res, body = w.do("POST", "/media/gate/whep", "", newProgram(t).describe(t, nil), "Content-Type", sdp)
	assert.Equal(t, 403, res.StatusCode, "it does not come back at once")
	assert.Contains(t, body, "viewer-ended")
	assert.Error(t, client.New(w.url, w.engineer).EndViewer(context.Background(), one.ID), "nobody ends twice")
}

func TestWhereThereIsNoWebRTC(t *testing.T) {
	w := start(t)
	w.addFeed("gate", true)
	res, body := w.do("POST", "/media/gate/whep", "", "v=0", "Content-Type", sdp)
	assert.Equal(t, 404, res.StatusCode)
	assert.Contains(t, body, "webrtc-off")
	assert.Contains(t, body, "hls/index.m3u8", "what to do instead")
}

func TestWebRTCOfPrivateFeedsAndOtherSites(t *testing.T) {
	w := startWebRTC(t, viewers.Config{})
	w.addFeed("yard", false)
	res, _ := w.do("POST", "/media/yard/whep", "", newProgram(t).describe(t, nil), "Content-Type", sdp)
	assert.Equal(t, 401, res.StatusCode)
	res, _ = w.do("OPTIONS", "/media/gate/whep", "", nil, "Origin", "https://elsewhere.example")
	assert.Equal(t, 204, res.StatusCode)
	assert.Equal(t, "*", res.Header.Get("Access-Control-Allow-Origin"))
	assert.Equal(t, "POST, OPTIONS", res.Header.Get("Access-Control-Allow-Methods"))
	assert.Equal(t, sdp, res.Header.Get("Accept-Post"))
	assert.Contains(t, res.Header.Get("Link"), "turn.example")
	res, _ = w.do("OPTIONS", "/media/gate/whep/abc", "", nil)
	assert.Contains(t, res.Header.Get("Access-Control-Allow-Methods"), "PATCH")
	res, body := w.do("POST", "/media/gate/whep?rendition=none", "", newProgram(t).describe(t, nil), "Content-Type", sdp)
	assert.Equal(t, 404, res.StatusCode, body)
}
