package api_test

import (
	"bytes"
	"context"
	"errors"
	"image/jpeg"
	"io"
	"net/http"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
	corejpeg "webostrum/core/jpeg"
	"webostrum/testkit"
)

// live waits until a feed is live.
func (w *world) live(name string) apitypes.Feed {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	var f apitypes.Feed
	require.NoError(w.t, testkit.Eventually(ctx, func() bool {
		var err error
		f, err = client.New(w.url, w.engineer).Feed(ctx, name)
		return err == nil && f.State == "live" && f.Width > 0
	}))
	return f
}

func TestRenditions(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.live("yard")
	c, ctx := client.New(w.url, w.engineer), context.Background()
	r, err := c.AddRendition(ctx, "yard", apitypes.NewRendition{Name: "small", Size: "33x25"})
	require.NoError(t, err)
	assert.Equal(t, []int{32, 24}, []int{r.OutWidth, r.OutHeight}, "of 64x48")
	assert.Contains(t, r.Note, "33x25 asked, 32x24 made")
	assert.Equal(t, "/media/yard/hls/small.m3u8", r.Path)
	r, err = c.AddRendition(ctx, "yard", apitypes.NewRendition{Name: "panel", Codec: "JPEG", Size: "1/2", Text: "{place}"})
	require.NoError(t, err)
	assert.Equal(t, "/media/yard/mjpeg?rendition=panel", r.Path)
	assert.Equal(t, "bottom-left", r.TextCorner)

	rate := 5.0
	r, err = c.EditRendition(ctx, "yard", "small", apitypes.RenditionChange{FrameRate: &rate})
	require.NoError(t, err)
	assert.Equal(t, 5.0, r.FrameRate)
	assert.Equal(t, "33x25", r.Size, "what is not given stays")

	f := w.live("yard")
	var names []string
	for _, r := range f.Renditions {
		names = append(names, r.Name)
	}
	assert.Equal(t, []string{"automatic", "panel", "small"}, names)
	require.NoError(t, c.RemoveRendition(ctx, "yard", "small"))
	assert.Error(t, c.RemoveRendition(ctx, "yard", "small"))
	_, err = c.EditRendition(ctx, "yard", "small", apitypes.RenditionChange{FrameRate: &rate})
	assert.ErrorContains(t, err, "no rendition")
}

func TestRenditionsThatCannotBe(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	c, ctx := client.New(w.url, w.engineer), context.Background()
	for name, tt := range map[string]struct {
		in   apitypes.NewRendition
		want string
	}{
		"reserved":   {apitypes.NewRendition{Name: "automatic"}, "meaning of its own"},
		"size":       {apitypes.NewRendition{Name: "a", Size: "big"}, "write a size like"},
		"no name":    {apitypes.NewRendition{}, "input"},
		"codec":      {apitypes.NewRendition{Name: "a", Codec: "VP8"}, "input"},
		"bit rate":   {apitypes.NewRendition{Name: "a", BitRate: 5}, "bit/s"},
		"keyframes":  {apitypes.NewRendition{Name: "a", KeyframeSeconds: 0.01}, "keyframe"},
		"frame rate": {apitypes.NewRendition{Name: "a", FrameRate: 0.001}, "fps cannot be had"},
		"text size":  {apitypes.NewRendition{Name: "a", Text: "x", TextSize: 0.5}, "height"},
	} {
		_, err := c.AddRendition(ctx, "yard", tt.in)
		assert.ErrorContains(t, err, tt.want, name)
	}
	_, err := c.AddRendition(ctx, "nowhere", apitypes.NewRendition{Name: "a"})
	assert.ErrorContains(t, err, "no feed")
	for range 12 {
		_, err = c.AddRendition(ctx, "yard", apitypes.NewRendition{Name: "r" + string(rune('a'+len(w.live("yard").Renditions)))})
		require.NoError(t, err)
	}
	_, err = c.AddRendition(ctx, "yard", apitypes.NewRendition{Name: "onemore"})
	assert.ErrorContains(t, err, "remove one first")
	_, err = client.New(w.url, w.viewer).AddRendition(ctx, "yard", apitypes.NewRendition{Name: "a"})
	assert.ErrorContains(t, err, "change nothing")
}

// TestWithoutTheWorker passes JPEG through, and says what is lacking for the rest.
func TestWithoutTheWorker(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	f := w.live("yard")
	assert.Contains(t, f.Transcoding.Missing, "webostrum-codecs")
	res, body := w.do("GET", still, w.viewer, nil)
	assert.Equal(t, 200, res.StatusCode)
	_, err := jpeg.DecodeConfig(bytes.NewReader([]byte(body)))
	require.NoError(t, err)
	for _, path := range []string{still + "?size=32x", "/media/yard/mjpeg?quality=20", "/media/yard/hls/index.m3u8"} {
		res, body = w.do("GET", path, w.viewer, nil)
		assert.Equal(t, 503, res.StatusCode, path)
		assert.Contains(t, body, "transcoder-missing", path)
	}
	res, body = w.do("GET", "/media/yard/hls/original/list.m3u8", w.viewer, nil)
	assert.Equal(t, 404, res.StatusCode)
	assert.Contains(t, body, "HLS does not carry")
}

func TestMotionJPEGOut(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.live("yard")
	req, err := http.NewRequest("GET", w.url+"/media/yard/mjpeg", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+w.viewer)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	scanner := corejpeg.NewScanner(res.Body)
	for range 3 {
		_, _, err = scanner.Next()
		require.NoError(t, err)
	}
	assert.Equal(t, 1, w.live("yard").Viewers)
	require.NoError(t, res.Body.Close())
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool { return w.live("yard").Viewers == 0 }))

	for query, want := range map[string]string{
		"size=x": "write a size like", "rate=0": "0.01 to 120", "rate=NaN": "0.01 to 120", "quality=101": "1 to 100", "quality=1.5": "1 to 100",
		"rendition=nope": "no rendition", "size=4000x": "larger than",
	} {
		res, body := w.do("GET", "/media/yard/mjpeg?"+query, w.viewer, nil)
		assert.Contains(t, []int{404, 422}, res.StatusCode, query)
		assert.Contains(t, body, want, query)
	}
	res, body := w.do("GET", still+"?max-age=-1", w.viewer, nil)
	assert.Equal(t, 422, res.StatusCode)
	assert.Contains(t, body, "max-age")
}

// TestStreamsEndWithTheService ends what has no end of its own.
func TestStreamsEndWithTheService(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.live("yard")
	req, err := http.NewRequest("GET", w.url+"/media/yard/mjpeg", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+w.viewer)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	w.api.EndStreams()
	_, err = io.Copy(io.Discard, res.Body)
	assert.True(t, err == nil || errors.Is(err, io.ErrUnexpectedEOF))
	require.NoError(t, res.Body.Close())
}

func TestCameraRequests(t *testing.T) {
	t.Parallel()
	w := start(t)
	camera := w.addMotionJPEG("yard")
	w.live("yard")
	c, ctx := client.New(w.url, w.engineer), context.Background()
	_, err := c.AddRequest(ctx, "yard", apitypes.CameraRequest{Name: "size", Method: "POST", Target: "/settings?secret=1", Body: `{"size":"vga"}`})
	require.NoError(t, err)
	_, err = c.AddRequest(ctx, "yard", apitypes.CameraRequest{Name: "size", Target: "/"})
	assert.ErrorContains(t, err, "already")
	for _, bad := range []string{"http://192.0.2.1/x", "settings", "//192.0.2.1/x", "ftp://127.0.0.1/x", "file:///etc/passwd"} {
		_, err = c.AddRequest(ctx, "yard", apitypes.CameraRequest{Name: "bad", Target: bad})
		assert.ErrorContains(t, err, "own host", bad)
	}
	answer, err := c.RunRequest(ctx, "yard", "size")
	require.NoError(t, err)
	assert.Equal(t, 200, answer.Status)
	assert.Equal(t, "size=ok", answer.Text)
	asked := camera.Requests()
	last := asked[len(asked)-1]
	assert.Equal(t, []string{"POST", "/settings?secret=1", "application/json"}, []string{last.Method, last.URL.String(), last.Header.Get("Content-Type")})
	events, err := c.Events(ctx, client.EventQuery{Feed: "yard"})
	require.NoError(t, err)
	assert.Equal(t, "request", events[0].Kind)
	assert.Contains(t, events[0].Text, `camera request "size" (POST /settings): answered 200`)
	assert.NotContains(t, events[0].Text, "secret")
	_, err = c.RunRequest(ctx, "yard", "nope")
	assert.ErrorContains(t, err, "no camera request")
	require.NoError(t, c.RemoveRequest(ctx, "yard", "size"))
	assert.Error(t, c.RemoveRequest(ctx, "yard", "size"))
}

func TestStillThroughTheClient(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.live("yard")
	c := client.New(w.url, w.viewer)
	data, age, err := c.Still(context.Background(), "yard", url.Values{})
	require.NoError(t, err)
	assert.LessOrEqual(t, age, 5*time.Second)
	h, err := corejpeg.Parse(data)
	require.NoError(t, err)
	assert.Equal(t, 64, h.Width)
	_, _, err = c.Still(context.Background(), "nowhere", url.Values{})
	assert.ErrorContains(t, err, "may not watch")
}
