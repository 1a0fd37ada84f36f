package mjpeg_test

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"image/color"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/hub"
	"webostrum/core/jpeg"
	"webostrum/core/media"
	"webostrum/deliver/mjpeg"
	"webostrum/testkit"
	"webostrum/testkit/pictures"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// stage is a hub of pictures, served until the test ends.
type stage struct {
	t     *testing.T
	hub   *hub.Hub
	epoch *media.Epoch
	n     int64
	url   string
	ended chan struct{} // gets a value when an answer ends
}

func newStage(t *testing.T, rate float64) *stage {
	t.Helper()
	s := &stage{t: t, hub: hub.New(hub.Config{}), epoch: &media.Epoch{Tracks: []*media.Track{pictures.JPEGTrack(64, 48)}}, ended: make(chan struct{}, 100)}
	ctx, cancel := context.WithCancel(context.Background())
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mjpeg.Serve(ctx, w, r, mjpeg.Stream{Hub: s.hub, Rate: rate})
		s.ended <- struct{}{}
	}))
	s.url = server.URL
	t.Cleanup(func() { cancel(); server.Close(); s.hub.Close() })
	return s
}

func (s *stage) publish(data []byte) {
	s.n++
	s.hub.Publish(&media.Sample{
		Epoch: s.epoch, Track: s.epoch.Tracks[0], DTS: s.n, PTS: s.n, Captured: time.Unix(1000, 0).Add(time.Duration(s.n) * 100 * time.Millisecond), Key: true, Data: data,
	})
}

func jpg(n int) []byte { return pictures.JPEG(64, 48, color.RGBA{R: uint8(12 * n), G: 80}) }

// watch opens the stream and returns its body.
func (s *stage) watch() io.ReadCloser {
	s.t.Helper()
	res, err := http.Get(s.url)
	require.NoError(s.t, err)
	require.Equal(s.t, 200, res.StatusCode)
	assert.Equal(s.t, "multipart/x-mixed-replace; boundary=webostrum-picture", res.Header.Get("Content-Type"))
	s.t.Cleanup(func() { _ = res.Body.Close() })
	return res.Body
}

// TestEachPictureIsClosedAtOnce checks the framing byte for byte: behind each
// picture stands all that browsers need to show it, with nothing more to come.
func TestEachPictureIsClosedAtOnce(t *testing.T) {
	s := newStage(t, 0)
	const next = "--webostrum-picture\r\nContent-Type: image/jpeg\r\n\r\n"
	body := s.watch()
	expect := func(want string) {
		got := make([]byte, len(want))
		_, err := io.ReadFull(body, got)
		require.NoError(t, err)
		assert.Equal(t, want, string(got))
	}
	expect(next)
	for n := range 3 {
		s.publish(jpg(n))
		expect(string(jpg(n)) + "\r\n" + next)
	}
}

// TestOverHTTP2 is what a service with HTTPS of its own answers to browsers: there is no
// connection to take over.
func TestOverHTTP2(t *testing.T) {
	h := hub.New(hub.Config{})
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mjpeg.Serve(r.Context(), w, r, mjpeg.Stream{Hub: h})
	}))
	server.EnableHTTP2 = true
	server.StartTLS()
	t.Cleanup(func() { h.Close(); server.Close() })
	s := &stage{t: t, hub: h, epoch: &media.Epoch{Tracks: []*media.Track{pictures.JPEGTrack(64, 48)}}}
	s.publish(jpg(1))
	res, err := server.Client().Get(server.URL)
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	assert.Equal(t, 2, res.ProtoMajor)
	pictures := jpeg.NewScanner(res.Body)
	for n := range 3 {
		data, _, err := pictures.Next()
		require.NoError(t, err)
		assert.Equal(t, jpg(1+n), data)
		s.publish(jpg(2 + n))
	}
}

func TestANewViewerGetsThePictureThatThereIs(t *testing.T) {
	s := newStage(t, 0)
	s.publish(jpg(7))
	data, _, err := jpeg.NewScanner(s.watch()).Next()
	require.NoError(t, err)
	assert.Equal(t, jpg(7), data)
}

func TestFrameRate(t *testing.T) {
	s := newStage(t, 2) // of ten a second
	scanner := jpeg.NewScanner(s.watch())
	require.NoError(t, eventually(func() bool { return s.hub.Readers() == 1 }))
	var got []int
	for n := range 20 {
		s.publish(jpg(n))
		if n%5 == 0 {
			data, _, err := scanner.Next()
			require.NoError(t, err)
			for m := range 20 {
				if bytes.Equal(data, jpg(m)) {
					got = append(got, m)
				}
			}
		}
	}
	assert.Equal(t, []int{0, 5, 10, 15}, got)
}

func eventually(ok func() bool) error {
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	return testkit.Eventually(ctx, ok)
}

// TestASlowViewerGetsTheNewest has a viewer stop reading while many large
// pictures come: it gets a few old ones that were on their way, and then the
// newest, while another gets all.
func TestASlowViewerGetsTheNewest(t *testing.T) {
	s := newStage(t, 0)
	slow, quick := s.watch(), jpeg.NewScanner(s.watch())
	require.NoError(t, eventually(func() bool { return s.hub.Readers() == 2 }))
	const many = 300
	large := bytes.Repeat([]byte{0x55}, 100<<10)
	numbered := func(n int) []byte { // a comment segment holds the number, the scan holds ballast
		data := jpg(1)
		comment := fmt.Appendf(nil, "\xff\xfe\x00\x08%06d", n)
		out := append(append([]byte{}, data[:2]...), comment...)
		out = append(out, data[2:len(data)-2]...)
		return append(append(out, large...), 0xff, 0xd9)
	}
	number := func(data []byte) (n int) {
		_, err := fmt.Sscanf(string(data[6:12]), "%06d", &n)
		require.NoError(t, err)
		return n
	}
	for n := range many {
		s.publish(numbered(n))
		data, _, err := quick.Next()
		require.NoError(t, err)
		assert.Equal(t, n, number(data), "nobody waits for the slow one")
	}
	scanner := jpeg.NewScanner(slow)
	last, got := -1, 0
	for last < many-1 {
		data, _, err := scanner.Next()
		require.NoError(t, err)
		require.Greater(t, number(data), last)
		last = number(data)
		got++
	}
	assert.Less(t, got, many/2, "most were skipped")
}

func TestHeadAndProbes(t *testing.T) {
	s := newStage(t, 0)
	res, err := http.Head(s.url)
	require.NoError(t, err)
	assert.Equal(t, 200, res.StatusCode)
	assert.Contains(t, res.Header.Get("Content-Type"), "multipart/x-mixed-replace")
	require.NoError(t, res.Body.Close())
	<-s.ended
	for range 5 { // hang up right after the header
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
		require.NoError(t, err)
		_, err = conn.Write([]byte("GET / HTTP/1.0\r\n\r\n"))
		require.NoError(t, err)
		line, err := bufio.NewReader(conn).ReadString('\n')
		require.NoError(t, err)
		assert.Equal(t, "HTTP/1.0 200 OK\r\n", line)
		require.NoError(t, conn.Close())
		<-s.ended // without a picture coming
	}
	assert.Zero(t, s.hub.Readers())
}

func TestStill(t *testing.T) {
	sample := &media.Sample{Captured: time.Now().Add(-30 * time.Second), Data: jpg(1)}
	ask := func(headers ...string) *http.Response {
		r := httptest.NewRequest("GET", "/still.jpg", nil)
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		w := httptest.NewRecorder()
		mjpeg.Still(w, r, sample, 10*time.Second, true)
		return w.Result()
	}
	res := ask()
	body, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	assert.Equal(t, jpg(1), body)
	assert.Equal(t, "30", res.Header.Get("Age"))
	assert.Equal(t, "public, max-age=10", res.Header.Get("Cache-Control"))
	assert.Equal(t, sample.Captured.UTC().Format(http.TimeFormat), res.Header.Get("Last-Modified"))
	assert.Equal(t, 304, ask("If-None-Match", res.Header.Get("Etag")).StatusCode)
	assert.Equal(t, 304, ask("If-Modified-Since", res.Header.Get("Last-Modified")).StatusCode)
	assert.Equal(t, 200, ask("If-None-Match", `"other"`).StatusCode)
}
