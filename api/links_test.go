package api_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/api"
	"webostrum/apitypes"
	"webostrum/client"
)

// TestLinkSettings are looked at, kept, changed and held to.
func TestLinkSettings(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.live("yard")
	c, ctx := w.engineerClient(), context.Background()
	past := time.Now().Add(-time.Minute)
	for why, s := range map[string]apitypes.LinkSettings{
		"has passed":     {Ends: &past},
		"has a path":     {Sites: []string{"example.org/page"}},
		"one of \\\"hls": {Deliveries: []string{"carrier-pigeon"}},
		"minimum":        {Most: -1},
	} {
		_, err := c.AddLink(ctx, "yard", apitypes.NewLink{Name: "hall", LinkSettings: s})
		var p *apitypes.Problem
		require.ErrorAs(t, err, &p, why)
		assert.Equal(t, 422, p.Status)
	}
	l, err := c.AddLink(ctx, "yard", apitypes.NewLink{Name: "hall", LinkSettings: apitypes.LinkSettings{Deliveries: []string{"motion-jpeg"}, Most: 1}})
	require.NoError(t, err)
	res, text := w.do("GET", l.Media+"still.jpg", "", nil)
	assert.Equal(t, 403, res.StatusCode)
	assert.Contains(t, text, "This link does not open still.jpg.")
	first := w.goes(t, l.Media+"mjpeg")
	res, text = w.do("GET", l.Media+"mjpeg", "", nil, "User-Agent", "another")
	assert.Equal(t, 503, res.StatusCode)
	assert.Contains(t, text, "as it lets in")
	w.eventually("the link's viewer is counted", func() bool {
		list, err := c.Links(ctx, "yard")
		return err == nil && list[0].Viewers == 1 && list[0].Used != nil
	})
	_, err = c.EditLink(ctx, "yard", "hall", apitypes.LinkSettings{Deliveries: []string{"still"}})
	require.NoError(t, err)
	assertOver(t, "a delivery that the link opens no longer", first)
	res, _ = w.do("GET", l.Media+"still.jpg", "", nil)
	assert.Equal(t, 200, res.StatusCode, "its address has stayed")

	list, err := c.Links(ctx, "yard")
	require.NoError(t, err)
	assert.Equal(t, []string{"still"}, list[0].Deliveries)
	require.NoError(t, c.RemoveFeed(ctx, "yard"))
	res, _ = w.do("GET", l.Media+"still.jpg", "", nil)
	assert.Equal(t, 410, res.StatusCode, "a feed that is removed ends its links")
	w.addMotionJPEG("yard")
	res, _ = w.do("GET", l.Media+"still.jpg", "", nil)
	assert.Equal(t, 410, res.StatusCode, "and another of its name does not bring them back")
}

// TestLinkKeys: another key signs from then on; the others' links stay or end.
func TestLinkKeys(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.live("yard")
	c, ctx := w.engineerClient(), context.Background()
	before, err := c.AddLink(ctx, "yard", apitypes.NewLink{Name: "before"})
	require.NoError(t, err)
	k, err := c.RenewLinkKey(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, apitypes.LinkKey{Key: 2}, k)
	stream := w.goes(t, before.Media+"mjpeg")
	after, err := c.AddLink(ctx, "yard", apitypes.NewLink{Name: "after"})
	require.NoError(t, err)
	again := w.again(t)
	for _, l := range []apitypes.Link{before, after} {
		res, _ := again.do("GET", l.Media+"time", "", nil)
		assert.Equal(t, 200, res.StatusCode, "also after a restart: %s", l.Name)
	}
	k, err = c.RenewLinkKey(ctx, true)
	require.NoError(t, err)
	assert.Equal(t, apitypes.LinkKey{Key: 3, Ended: 2}, k)
	assertOver(t, "ending the links of earlier keys", stream)
	again = w.again(t)
	res, _ := again.do("GET", after.Media+"time", "", nil)
	assert.Equal(t, 404, res.StatusCode, "its key is gone")
	list, err := c.Links(ctx, "yard")
	require.NoError(t, err)
	assert.Empty(t, list)
}

// again is another API over the same records, as after a restart.
func (w *world) again(t *testing.T) *world {
	t.Helper()
	return w.serveAgain(func(*api.Config) {})
}

// TestManyLinks: a thousand of one feed are kept, listed and found.
func TestManyLinks(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", false)
	c, ctx := w.engineerClient(), context.Background()
	first, err := c.AddLink(ctx, "gate", apitypes.NewLink{Name: "first"})
	require.NoError(t, err)
	record, err := w.records.Link("gate", "first")
	require.NoError(t, err)
	for i := range 1000 {
		l := record
		l.ID, l.Name = 0, fmt.Sprintf("copy-%d", i)
		require.NoError(t, w.records.AddLink("gate", &l))
	}
	again := w.again(t)
	list, err := client.New(again.url, w.engineer).Links(ctx, "gate")
	require.NoError(t, err)
	require.Len(t, list, 1001)
	seen := map[string]bool{}
	for i, l := range list {
		seen[l.Text] = true
		if i%100 == 0 {
			res, _ := again.do("GET", l.Media+"time", "", nil)
			assert.Equal(t, 200, res.StatusCode, l.Name)
		}
	}
	assert.Len(t, seen, len(list))
	assert.True(t, seen[first.Text])
}

// TestSitesAgree in what frames, scripts and images are told.
func TestSitesAgree(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.live("yard")
	c, ctx := w.engineerClient(), context.Background()
	_, err := c.EditFeed(ctx, "yard", client.Patch{"audience": client.Patch{"who": "everyone"}, "sites": []string{"example.org", "*.parks.example"}})
	require.NoError(t, err)
	l, err := c.AddLink(ctx, "yard", apitypes.NewLink{Name: "own", LinkSettings: apitypes.LinkSettings{Sites: []string{"https://only.example:8443"}}})
	require.NoError(t, err)
	for _, tt := range []struct {
		path, origin string
		feed, link   bool
	}{
		{origin: "https://example.org", feed: true},
		{origin: "http://a.parks.example", feed: true},
		{origin: "https://only.example:8443", link: true},
		{origin: "https://evil.example"},
		{origin: "https://parks.example"},
	} {
		for media, want := range map[string]bool{"/media/yard/": tt.feed, l.Media: tt.link} {
			res, _ := w.do("GET", media+"still.jpg", "", nil, "Origin", tt.origin, "Sec-Fetch-Site", "cross-site")
			assert.Equal(t, want, res.StatusCode == 200, "%s from %s by script", media, tt.origin)
			if want {
				assert.Equal(t, tt.origin, res.Header.Get("Access-Control-Allow-Origin"))
				assert.Contains(t, res.Header.Values("Vary"), "Origin")
			}
			res, text := w.do("GET", media+"still.jpg", "", nil, "Referer", tt.origin+"/page", "Sec-Fetch-Site", "cross-site", "Sec-Fetch-Dest", "image")
			assert.Equal(t, want, res.StatusCode == 200, "%s from %s by an image", media, tt.origin)
			if !want {
				assert.Contains(t, text, "This camera may not be shown on this site.")
			}
		}
		for page, want := range map[string]bool{"/embed/yard": tt.feed, l.Embed: tt.link} {
			res, _ := w.do("GET", page, "", nil, "Referer", tt.origin+"/page", "Sec-Fetch-Dest", "iframe", "Sec-Fetch-Site", "cross-site")
			assert.Equal(t, want, res.StatusCode == 200, "%s from %s", page, tt.origin)
		}
	}
	res, _ := w.do("GET", "/embed/yard", "", nil)
	assert.Contains(t, res.Header.Get("Content-Security-Policy"), "frame-ancestors 'self' http://example.org https://example.org http://*.parks.example https://*.parks.example")
	res, _ = w.do("GET", "/watch/yard", "", nil)
	assert.Contains(t, res.Header.Get("Content-Security-Policy"), "frame-ancestors 'self'")
	res, _ = w.do("OPTIONS", "/media/yard/hls/index.m3u8", "", nil, "Origin", "https://evil.example")
	assert.Equal(t, 204, res.StatusCode, "what is sent afterwards is judged")
	stream := w.goes(t, "/media/yard/mjpeg", "Referer", "https://example.org/")
	_, err = c.EditFeed(ctx, "yard", client.Patch{"sites": []string{"another.example"}})
	require.NoError(t, err)
	assertOver(t, "a site that is named no longer", stream)
}

// TestDeliveriesThatAreOff cost nothing and say so.
func TestDeliveriesThatAreOff(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.addFeed("gate", true)
	w.live("yard")
	c, ctx := w.engineerClient(), context.Background()
	stream := w.goes(t, "/media/yard/mjpeg", "Authorization", "Bearer "+w.viewer)
	off := func(feed string, list ...string) apitypes.Feed {
		f, err := c.EditFeed(ctx, feed, client.Patch{"delivery": client.Patch{"off": list}})
		require.NoError(t, err)
		return f
	}
	f := off("yard", "motion-jpeg", "still")
	assert.Equal(t, []string{"hls", "fragments", "webrtc", "rtsp"}, f.Deliveries)
	assertOver(t, "a delivery that is switched off", stream)
	for path, name := range map[string]string{"mjpeg": "Motion JPEG", "still.jpg": "still.jpg"} {
		res, text := w.do("GET", "/media/yard/"+path, w.engineer, nil)
		assert.Equal(t, 403, res.StatusCode)
		assert.Contains(t, text, name+" is switched off for this feed.")
	}
	res, _ := w.do("GET", "/media/yard/mjpeg", "", nil)
	assert.Equal(t, 401, res.StatusCode, "strangers are not told")
	off("gate", "hls", "webrtc")
	res, text := w.do("GET", "/media/gate/hls/index.m3u8", "", nil)
	assert.Equal(t, 403, res.StatusCode)
	assert.Contains(t, text, "HLS is switched off for this feed.")
	res, text = w.do("POST", "/media/gate/whep", "", "v=0", "Content-Type", "application/sdp")
	assert.Equal(t, 403, res.StatusCode)
	assert.Contains(t, text, "WebRTC is switched off for this feed.")
	feed, err := w.station.Get("gate")
	require.NoError(t, err)
	assert.Nil(t, feed.Made("original"), "no segments are made")
	_, err = c.EditFeed(ctx, "gate", client.Patch{"delivery": client.Patch{"off": []string{"smoke-signals"}}})
	require.Error(t, err)
	off("gate")
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	w.eventually("segments are made again", func() bool {
		res, _ := w.do("GET", "/media/gate/hls/index.m3u8", "", nil)
		return res.StatusCode == 200 || ctx.Err() != nil
	})
}

// TestBehindALinkCachesMayKeep what was sent, for a minute: the address is the secret.
func TestBehindALinkCachesMayKeep(t *testing.T) {
	t.Parallel()
	w := startWith(t, func(c *api.Config) { c.PlaylistWait = 10 * time.Second })
	w.addFeed("gate", false)
	c, ctx := w.engineerClient(), context.Background()
	l, err := c.AddLink(ctx, "gate", apitypes.NewLink{Name: "cdn"})
	require.NoError(t, err)
	res, text := w.do("GET", l.Media+"hls/index.m3u8", "", nil)
	require.Equal(t, 200, res.StatusCode, text)
	assert.Contains(t, res.Header.Get("Cache-Control"), "public, max-age=")
	res, text = w.do("GET", l.Media+"hls/original/list.m3u8", "", nil)
	require.Equal(t, 200, res.StatusCode)
	segment := ""
	for line := range strings.Lines(text) {
		if strings.HasSuffix(strings.TrimSpace(line), ".m4s") {
			segment = strings.TrimSpace(line)
		}
	}
	require.NotEmpty(t, segment)
	res, _ = w.do("GET", l.Media+"hls/original/"+segment, "", nil)
	assert.Equal(t, "public, max-age=60, immutable", res.Header.Get("Cache-Control"))
	res, _ = w.do("GET", "/media/gate/hls/original/"+segment, w.viewer, nil)
	assert.Contains(t, res.Header.Get("Cache-Control"), "private")
	res, _ = w.do("GET", "/media/gate/hls/original/"+segment, "", nil)
	assert.Equal(t, 401, res.StatusCode, "the same segment without the link")
}

// TestEmbeddings: what is made of odd input.
func TestEmbeddings(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.add(apitypes.NewFeed{Name: "gate", FeedSettings: settings("rtsp://127.0.0.1:1/a", func(s *apitypes.FeedSettings) { s.Title = `"><script>alert(1)</script>` })})
	ask := func(query, token string) (int, apitypes.Embedding, string) {
		res, text := w.do("GET", "/api/v1/feeds/gate/embed?"+query, token, nil)
		var e apitypes.Embedding
		if res.StatusCode == 200 {
			require.NoError(t, json.Unmarshal([]byte(text), &e))
		}
		return res.StatusCode, e, text
	}
	status, e, _ := ask("address=https://cams.example.org/base/&width=640&height=360&within=2.5&audio=true", w.engineer)
	require.Equal(t, 200, status)
	assert.Equal(t, "https://cams.example.org/base/embed/gate?audio=on&within=2.5", e.Address)
	assert.Equal(t, "outside", e.Reach)
	for _, snippet := range []string{e.Iframe, e.Element, e.Image, e.Video} {
		assert.NotContains(t, snippet, "<script>alert", "a title is no markup")
		assert.Contains(t, snippet, "width:640px;height:360px")
	}
	assert.Contains(t, strings.Join(e.Notes, "\n"), "nobody is signed in here")
	for _, bad := range []string{"address=cams.example.org", "address=javascript:alert(1)", "address=http://u:p@h", "address=http://h/?x", "prefer=guess", "width=-1", "within=x"} {
		status, _, text := ask(bad, w.engineer)
		assert.Equal(t, 422, status, "%s: %s", bad, text)
	}
	status, _, _ = ask("link=none", w.engineer)
	assert.Equal(t, 404, status)
	_, err := w.engineerClient().AddLink(context.Background(), "gate", apitypes.NewLink{Name: "hall"})
	require.NoError(t, err)
	status, _, _ = ask("link=hall", w.viewer)
	assert.Equal(t, 403, status, "viewers are not told links")
	res, page := w.do("GET", "/watch/gate?title="+strings.Repeat("x", 500), w.engineer, nil)
	assert.Equal(t, 200, res.StatusCode)
	assert.NotContains(t, page, "<script>alert")
	for reach, hosts := range map[string][]string{
		"machine": {"localhost", "127.0.0.9", "[::1]", "a.localhost"},
		"network": {"10.1.2.3", "192.168.1.9", "172.20.0.1", "100.64.3.2", "169.254.1.1", "[fd00::1]", "cams", "cams.local", "[fe80::1]"},
		"outside": {"cams.example.org", "192.0.2.7", "[2001:db8::1]"},
	} {
		for _, host := range hosts {
			_, e, text := ask("address=http://"+host+":7600", w.engineer)
			assert.Equal(t, reach, e.Reach, "%s %s", host, text)
		}
	}
}

// TestOEmbed answers for pages that need no sign-in.
func TestOEmbed(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", true)
	for query, want := range map[string]int{
		"url=" + w.url + "/watch/gate":              200,
		"url=" + w.url + "/embed/gate?prefer=delay": 200,
		"url=" + w.url + "/watch/gate&format=xml":   501,
		"url=" + w.url + "/watch/none":              401,
		"url=" + w.url + "/feeds/gate":              404,
		"url=" + w.url + "/watch/gate/more":         404,
		"url=" + w.url + "/watch/gate/link/forged":  404,
		"url=http://elsewhere.example/watch/gate":   404,
		"url=%00": 404,
		"":        404,
		"url=" + w.url + "/watch/gate&maxwidth=zero": 200,
		"url=" + w.url + "/watch/gate&maxheight=1":   200,
	} {
		res, text := w.do("GET", "/oembed?"+query, "", nil)
		assert.Equal(t, want, res.StatusCode, "%s: %s", query, text)
		assert.Equal(t, "*", res.Header.Get("Access-Control-Allow-Origin"))
	}
}

// goes begins a response that has no end, and returns what is closed when it ends.
func (w *world) goes(t *testing.T, path string, header ...string) (ended <-chan struct{}) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(cancel)
	req, err := http.NewRequestWithContext(ctx, "GET", w.url+path, nil)
	require.NoError(t, err)
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	require.Equal(t, 200, res.StatusCode, path)
	first := make([]byte, 1)
	_, err = res.Body.Read(first)
	require.NoError(t, err)
	done := make(chan struct{})
	go func() {
		defer close(done)
		defer func() { _ = res.Body.Close() }()
		buf := make([]byte, 1<<15)
		for err == nil {
			_, err = res.Body.Read(buf)
		}
	}()
	return done
}

func assertOver(t *testing.T, what string, streams ...<-chan struct{}) {
	t.Helper()
	for _, s := range streams {
		select {
		case <-s:
		case <-time.After(10 * time.Second):
			t.Fatalf("%s does not end what goes on", what)
		}
	}
}
