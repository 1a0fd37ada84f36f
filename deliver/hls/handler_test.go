package hls_test

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/media"
	deliver "webostrum/deliver/hls"
	"webostrum/deliver/memfile"
	"webostrum/testkit/cutting"
	"webostrum/testkit/pictures"
)

type feed struct {
	g *cutting.Cutter
}

func (f *feed) Made(name string) *hls.Track {
	if name != hls.Original {
		return nil
	}
	return f.g.Track
}

func (f *feed) Multivariant(ctx context.Context, rendition string) (*hls.Text, time.Duration, error) {
	t, err := f.Track(ctx, cmp.Or(rendition, hls.Original))
	if err != nil {
		return nil, 0, err
	}
	v, _ := t.Measured()
	return hls.Multivariant([]hls.Variant{v}, nil), t.Target(), nil
}

func (f *feed) DASH(context.Context, string) ([]byte, time.Duration, error) {
	return []byte("<MPD/>"), time.Second, nil
}

func (f *feed) Track(ctx context.Context, name string) (*hls.Track, error) {
	switch {
	case name != hls.Original:
		return nil, fault.New(fault.RenditionUnknown, nil, "")
	case f.g == nil:
		return nil, fault.New(fault.FeedOff, nil, "")
	}
	select {
	case <-f.g.Ready():
		return f.g.Track, nil
	case <-ctx.Done():
		return nil, fault.New(fault.FeedNotReady, nil, "The camera is being opened.")
	}
}

// keepers are the two ways of keeping segments.
var keepers = map[string]func([][]byte) hls.Body{"memory": hls.NewBody, "file": memfile.Keep}

func newFeed(t *testing.T, keep ...func([][]byte) hls.Body) *feed {
	t.Helper()
	cfg := hls.Config{Run: "run", Start: time.Unix(0, 0), Wanted: time.Second, Listed: 3}
	if len(keep) > 0 {
		cfg.Keep = keep[0]
	}
	g, err := cutting.New(cfg)
	require.NoError(t, err)
	return &feed{g: g}
}

func (f *feed) fill(t *testing.T) {
	t.Helper()
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	for n := range int64(51) {
		data := pictures.Data(pictures.P(20000, byte(n)))
		if n%25 == 0 {
			data = pictures.Data(pictures.IDR(20000, byte(n)))
		}
		require.NoError(t, f.g.Write(&media.Sample{Epoch: epoch, Track: track, DTS: n * 3600, PTS: n * 3600, Captured: time.Now(), Key: n%25 == 0, Data: data}))
	}
}

func ask(t *testing.T, h *deliver.Handler, f *feed, method, name string, headers ...string) *http.Response {
	t.Helper()
	query := ""
	if n := len(headers); n%2 == 1 { // the last is the query
		query = headers[n-1]
	}
	r := httptest.NewRequest(method, "/media/gate/hls/"+name+query, nil)
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	w := httptest.NewRecorder()
	h.ServeFile(w, r, f, name)
	return w.Result()
}

func handlerOf(h *deliver.Handler, f *feed) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { h.ServeFile(w, r, f, r.URL.Path[1:]) })
}

func body(t *testing.T, r *http.Response) []byte {
	t.Helper()
	b, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return b
}

func TestPlaylists(t *testing.T) {
	f := newFeed(t)
	f.fill(t)
	h := &deliver.Handler{Shared: true}
	for _, name := range []string{"index.m3u8", "original/list.m3u8"} {
		res := ask(t, h, f, "GET", name)
		assert.Equal(t, 200, res.StatusCode)
		assert.Equal(t, "application/vnd.apple.mpegurl", res.Header.Get("Content-Type"))
		assert.Equal(t, "public, max-age=1", res.Header.Get("Cache-Control"))
		plain := body(t, res)
		assert.True(t, bytes.HasPrefix(plain, []byte("#EXTM3U\n")))

		res = ask(t, h, f, "GET", name, "Accept-Encoding", "br, gzip;q=0.5")
		assert.Equal(t, "gzip", res.Header.Get("Content-Encoding"))
		assert.Equal(t, "Accept-Encoding", res.Header.Get("Vary"))
		z, err := gzip.NewReader(res.Body)
		require.NoError(t, err)
		unpacked, err := io.ReadAll(z)
		require.NoError(t, err)
		assert.Equal(t, plain, unpacked)

		res = ask(t, h, f, "GET", name, "Accept-Encoding", "gzip;q=0")
		assert.Empty(t, res.Header.Get("Content-Encoding"))
	}
}

func TestSegments(t *testing.T) {
	for name, keep := range keepers {
		t.Run(name, func(t *testing.T) { testSegments(t, newFeed(t, keep)) })
	}
}

func testSegments(t *testing.T, f *feed) {
	f.fill(t)
	h := &deliver.Handler{Shared: true}
	res := ask(t, h, f, "GET", "original/run-0.m4s")
	require.Equal(t, 200, res.StatusCode)
	whole := body(t, res)
	assert.Equal(t, "video/mp4", res.Header.Get("Content-Type"))
	assert.Equal(t, "public, max-age=86400, immutable", res.Header.Get("Cache-Control"))
	assert.Equal(t, int64(len(whole)), res.ContentLength)
	assert.Greater(t, len(whole), 400_000, "larger than what is written at once")
	kept, ok := f.g.Find(t.Context(), "run-0.m4s")
	require.True(t, ok)
	want, err := cutting.Read(kept)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(want, whole))

	res = ask(t, h, f, "HEAD", "original/run-0.m4s")
	assert.Equal(t, int64(len(whole)), res.ContentLength)
	assert.Empty(t, body(t, res))

	res = ask(t, h, f, "GET", "original/run-0.m4s", "Range", "bytes=19990-40030")
	assert.Equal(t, 206, res.StatusCode)
	assert.Equal(t, whole[19990:40031], body(t, res), "over the edge of a part")

	res = ask(t, h, f, "GET", "original/run-0.m4s", "Range", "bytes=0-")
	assert.Equal(t, whole, body(t, res), "as Chromium asks")

	res = ask(t, h, f, "GET", "original/run-0.m4s", "If-None-Match", `"run-0.m4s"`)
	assert.Equal(t, 304, res.StatusCode)

	res = ask(t, h, f, "GET", "original/run-init0.mp4")
	assert.Equal(t, 200, res.StatusCode)
}

func TestWhatIsNotThere(t *testing.T) {
	f := newFeed(t)
	f.fill(t)
	h := &deliver.Handler{Shared: true}
	for _, name := range []string{"original/earlier-0.m4s", "original/run-99.m4s", "nothing", "original/../../secret"} {
		res := ask(t, h, f, "GET", name)
		assert.Equal(t, 404, res.StatusCode, name)
		assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
		assert.Equal(t, "no-store", res.Header.Get("Cache-Control"))
	}
	res := ask(t, h, f, "POST", "index.m3u8")
	assert.Equal(t, 405, res.StatusCode)
}

func TestPrivateFeedsAreNotShared(t *testing.T) {
	f := newFeed(t)
	f.fill(t)
	res := ask(t, &deliver.Handler{}, f, "GET", "original/run-0.m4s")
	assert.True(t, strings.HasPrefix(res.Header.Get("Cache-Control"), "private,"))
}

func TestPlaylistIsWaitedFor(t *testing.T) {
	f := newFeed(t)
	res := ask(t, &deliver.Handler{Wait: time.Millisecond}, f, "GET", "index.m3u8")
	assert.Equal(t, 503, res.StatusCode)
	assert.Equal(t, "2", res.Header.Get("Retry-After"))
	assert.Contains(t, string(body(t, res)), "The camera is being opened.")

	answered := make(chan int)
	go func() { answered <- ask(t, &deliver.Handler{Wait: time.Minute}, f, "GET", "index.m3u8").StatusCode }()
	f.fill(t)
	assert.Equal(t, 200, <-answered)

	off := &feed{}
	res = ask(t, &deliver.Handler{Shared: true}, off, "GET", "index.m3u8")
	assert.Equal(t, 503, res.StatusCode, "a feed that is off is not waited for")
}
