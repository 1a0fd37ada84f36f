package mjpeg_test

import (
	"context"
	"fmt"
	"image/color"
	"net"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/core/media"
	"webostrum/ingest/mjpeg"
	"webostrum/ingest/source"
	"webostrum/testkit/pictures"
	"webostrum/testkit/webcam"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

func jpg(n int) string {
	return string(pictures.JPEG(64, 48, color.RGBA{R: uint8(n * 20), G: 100, B: 50}))
}

// play takes in as many pictures as are wanted, or returns why there are no more.
func play(t *testing.T, want int, cfg source.Config) (got []*media.Sample, facts source.Facts, err error) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	var session source.Session
	cfg.Started = func(s source.Session) { session = s }
	cfg.Publish = func(s *media.Sample) {
		if got = append(got, s); len(got) == want {
			cancel()
		}
	}
	_, err = mjpeg.Play(ctx, cfg)
	if session != nil {
		facts = session.Facts()
	}
	return got, facts, err
}

// part writes one part of a multipart answer.
func part(boundary, eol, headers, picture string) string {
	return "--" + boundary + eol + "Content-Type: image/jpeg" + eol + headers + eol + picture + eol
}

// TestFramings takes in what cameras really send.
func TestFramings(t *testing.T) {
	const ok = "HTTP/1.1 200 OK\r\n"
	tests := map[string]struct{ head, boundary, eol, headers string }{
		"as it should be":                 {ok + "Content-Type: multipart/x-mixed-replace; boundary=cut\r\n\r\n", "cut", "\r\n", ""},
		"boundary in quotes":              {ok + "Content-Type: multipart/x-mixed-replace; boundary=\"cut\"\r\n\r\n", "cut", "\r\n", ""},
		"boundary with its dashes":        {ok + "Content-Type: multipart/x-mixed-replace;boundary=--cut\r\n\r\n", "cut", "\r\n", ""},
		"boundary that is another":        {ok + "Content-Type: multipart/x-mixed-replace; boundary=else\r\n\r\n", "cut", "\r\n", ""},
		"no boundary named":               {ok + "Content-Type: multipart/x-mixed-replace\r\n\r\n", "cut", "\r\n", ""},
		"LF alone":                        {"HTTP/1.0 200 OK\nContent-Type: multipart/x-mixed-replace; boundary=cut\n\n", "cut", "\n", ""},
		"a length that lies":              {ok + "Content-Type: multipart/x-mixed-replace; boundary=cut\r\n\r\n", "cut", "\r\n", "Content-Length: 7\r\n"},
		"a length of 2 GB":                {ok + "Content-Type: multipart/x-mixed-replace; boundary=cut\r\n\r\n", "cut", "\r\n", "Content-Length: 2147483648\r\n"},
		"headers of its own":              {ok + "Content-Type: multipart/x-mixed-replace; boundary=cut\r\n\r\n", "cut", "\r\n", "X-Heater: on\r\nX-Motion: 3\r\n"},
		"another content type":            {ok + "Content-Type: application/octet-stream\r\n\r\n", "cut", "\r\n", ""},
		"no content type, no length":      {ok + "\r\n", "cut", "\r\n", ""},
		"a content type that is no token": {ok + "Content-Type: multipart/x-mixed-replace;boundary=a b c;;\r\n\r\n", "cut", "\r\n", ""},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
				webcam.Say(conn, tt.head)
				for n := range 4 {
					webcam.Say(conn, part(tt.boundary, tt.eol, tt.headers, jpg(n)))
				}
				webcam.Linger(conn)
			})
			got, facts, err := play(t, 4, source.Config{URL: c.URL})
			require.ErrorIs(t, err, context.Canceled)
			for n, s := range got {
				assert.Equal(t, jpg(n), string(s.Data), "picture %d", n)
				assert.True(t, s.Key)
			}
			assert.Equal(t, media.JPEG, facts.Codec)
			assert.Equal(t, "stream", facts.Transport)
			assert.Equal(t, []int{64, 48}, []int{facts.Width, facts.Height})
			assert.Zero(t, facts.Stats.Dropped)
		})
	}
}

const head = "HTTP/1.1 200 OK\r\nServer: tin-cam\r\nContent-Type: multipart/x-mixed-replace; boundary=cut\r\n\r\n"

func TestCutPicturesAreNeverShown(t *testing.T) {
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		whole := jpg(1)
		webcam.Say(conn, head)
		for n := range 6 {
			webcam.Say(conn, part("cut", "\r\n", "", jpg(n)), part("cut", "\r\n", "", whole[:len(whole)-10]))
		}
		webcam.Say(conn, part("cut", "\r\n", "", jpg(6)))
		webcam.Linger(conn)
	})
	got, facts, err := play(t, 7, source.Config{URL: c.URL})
	require.ErrorIs(t, err, context.Canceled)
	for n, s := range got {
		assert.Equal(t, jpg(n), string(s.Data))
	}
	assert.EqualValues(t, 6, facts.Stats.Dropped)
	assert.Equal(t, "tin-cam", facts.Server)
}

func TestTimeStampsOfTheCamera(t *testing.T) {
	first := time.Now().Add(-200 * time.Millisecond).Truncate(time.Millisecond)
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.Say(conn, head)
		for n := range 5 {
			at := first.Add(time.Duration(n) * 40 * time.Millisecond)
			webcam.Say(conn, part("cut", "\r\n", fmt.Sprintf("X-Timestamp: %d.%06d\r\n", at.Unix(), at.Nanosecond()/1000), jpg(n)))
		}
		webcam.Linger(conn)
	})
	got, facts, _ := play(t, 5, source.Config{URL: c.URL})
	require.Len(t, got, 5)
	for n, s := range got {
		assert.WithinDuration(t, first.Add(time.Duration(n)*40*time.Millisecond), s.Captured, time.Millisecond)
		assert.EqualValues(t, n*3600, s.PTS-got[0].PTS, "90 kHz")
	}
	assert.True(t, facts.FromCamera)
}

// TestConnectionsThatEnd has a camera hang up every few seconds, as many do: the
// stream goes on in the same epoch, and the camera is told its settings again.
func TestConnectionsThatEnd(t *testing.T) {
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.Say(conn, head)
		for n := range 12 {
			webcam.Say(conn, part("cut", "\r\n", "", jpg(n)))
			time.Sleep(200 * time.Millisecond) // a camera's pace
		}
	})
	var told atomic.Int32
	got, facts, err := play(t, 15, source.Config{URL: c.URL, Connecting: func(context.Context) { told.Add(1) }})
	require.ErrorIs(t, err, context.Canceled)
	assert.Same(t, got[0].Epoch, got[14].Epoch)
	assert.EqualValues(t, 1, facts.Stats.Reopened)
	assert.EqualValues(t, 2, told.Load())
	for i := 1; i < len(got); i++ {
		assert.Greater(t, got[i].PTS, got[i-1].PTS)
	}
}

func TestAnotherSizeBeginsAnEpoch(t *testing.T) {
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.Say(conn, head, part("cut", "\r\n", "", jpg(1)))
		webcam.Say(conn, part("cut", "\r\n", "", string(pictures.JPEG(32, 32, color.RGBA{}))))
		webcam.Linger(conn)
	})
	got, _, _ := play(t, 2, source.Config{URL: c.URL, FirstEpoch: 7})
	require.Len(t, got, 2)
	assert.EqualValues(t, 7, got[0].Epoch.Number)
	assert.EqualValues(t, 8, got[1].Epoch.Number)
	assert.Equal(t, 32, got[1].Track.Width)
}

// process turns a picture into one of another coding process, by its marker.
func process(marker byte) string {
	return strings.Replace(jpg(1), "\xff\xc0", "\xff"+string([]byte{marker}), 1)
}

// sized writes another size into a picture's frame header.
func sized(w, h int) string {
	data := []byte(jpg(1))
	at := strings.Index(string(data), "\xff\xc0") + 5
	copy(data[at:], []byte{byte(h >> 8), byte(h), byte(w >> 8), byte(w)})
	return string(data)
}

func sixteenBit() string {
	data := []byte(jpg(1))
	data[strings.Index(string(data), "\xff\xc0")+4] = 16
	return string(data)
}

func TestReasons(t *testing.T) {
	pictures := func(p string) func(net.Conn, *http.Request) {
		return func(conn net.Conn, _ *http.Request) {
			webcam.Say(conn, head, part("cut", "\r\n", "", p))
			webcam.Linger(conn)
		}
	}
	say := func(text string) func(net.Conn, *http.Request) {
		return func(conn net.Conn, _ *http.Request) { webcam.Say(conn, text) }
	}
	const unauthorized = "HTTP/1.1 401 No\r\nWWW-Authenticate: Basic realm=\"cam\"\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
	tests := map[string]struct {
		answer webcam.Answer
		user   string
		want   fault.Code
		detail string
	}{
		"not JPEG":         {func(conn net.Conn, _ *http.Request) { webcam.Say(conn, head, strings.Repeat("GIF89a", 20000)) }, "", fault.NoPicture, "GIF89a"},
		"PNG":              {say("HTTP/1.1 200 OK\r\nContent-Type: image/png\r\n\r\n\x89PNG"), "", fault.NotJPEG, "it sends image/png"},
		"lossless":         {pictures(process(0xc3)), "", fault.PictureOdd, "coding process"},
		"16 bit":           {pictures(sixteenBit()), "", fault.PictureOdd, "16 bits"},
		"20,000 x 20,000":  {pictures(sized(20000, 20000)), "", fault.PictureOdd, "20000x20000"},
		"sign-in page":     {say("HTTP/1.1 200 OK\r\nContent-Type: text/html\r\n\r\n<html><title>Camera sign-in</title>"), "", fault.PageInstead, "Camera sign-in"},
		"page, but hidden": {func(conn net.Conn, _ *http.Request) { webcam.Say(conn, head, "<html><body>Sign in</body></html>") }, "", fault.NoPicture, "page"},
		"only cut ones": {func(conn net.Conn, _ *http.Request) {
			half := jpg(1)[:len(jpg(1))-10]
			webcam.Say(conn, head, strings.Repeat(fmt.Sprintf("\r\n--cut\r\nContent-Length: %d\r\n\r\n%s", len(jpg(1)), half), 40))
		}, "", fault.NoPicture, "cut short"},
		"no such path":     {say("HTTP/1.1 404 Not Found\r\nContent-Length: 0\r\n\r\n"), "", fault.PathUnknown, "/video"},
		"busy":             {say("HTTP/1.1 503 Busy\r\nContent-Length: 0\r\n\r\n"), "", fault.Busy, "503"},
		"forbidden":        {say("HTTP/1.1 403 No\r\nContent-Length: 0\r\n\r\n"), "u", fault.SignInRefused, "403"},
		"no sign-in given": {say(unauthorized), "", fault.SignInMissing, ""},
		"wrong sign-in":    {say(unauthorized), "u", fault.SignInRefused, "signed in as u"},
		"not HTTP":         {say("RTSP/1.0 400 Bad Request\r\n\r\n"), "", fault.NotHTTP, ""},
		"hangs up at once": {say(head), "", fault.Empty, ""},
		"says nothing":     {func(conn net.Conn, _ *http.Request) { webcam.Linger(conn) }, "", fault.SlowAnswer, ""},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			c := webcam.Serve(t, tt.answer)
			_, _, err := play(t, 0, source.Config{URL: c.URL, User: tt.user, Password: "p", AnswerTimeout: 2 * time.Second})
			f := fault.As(err)
			assert.Equal(t, tt.want, f.Kind.Code, "%v", err)
			assert.Contains(t, f.Error(), tt.detail)
		})
	}
}

func TestStalls(t *testing.T) {
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.Say(conn, head)
		for n := range 5 {
			webcam.Say(conn, part("cut", "\r\n", "", jpg(n)))
		}
		webcam.Linger(conn)
	})
	_, _, err := play(t, 0, source.Config{URL: c.URL, StallAfter: 500 * time.Millisecond})
	assert.Equal(t, fault.Stalled, fault.As(err).Kind.Code)
}

func TestOnePictureIsToldApart(t *testing.T) {
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.Say(conn, "HTTP/1.1 200 OK\r\nContent-Type: image/jpeg\r\n\r\n", jpg(1))
	})
	_, _, err := play(t, 0, source.Config{URL: c.URL})
	require.ErrorIs(t, err, mjpeg.ErrSinglePicture)
	got, _, _ := play(t, 1, source.Config{URL: c.URL, Fetch: source.FetchStream})
	assert.Len(t, got, 1, "somebody insists that it is a stream")
}

// TestSignInAndRedirection goes over a redirection, signs in, and gives the
// password to no other host.
func TestSignInAndRedirection(t *testing.T) {
	for _, ch := range []httpauth.Challenge{
		{Scheme: "basic", Realm: "cam"},
		{Scheme: "digest", Realm: "cam", Nonce: "n", Algorithm: "MD5", QOP: "auth"},
		{Scheme: "digest", Realm: "cam", Nonce: "n"},
	} {
		c := webcam.Serve(t, func(conn net.Conn, r *http.Request) {
			switch {
			case r.URL.Path == "/video":
				webcam.Say(conn, "HTTP/1.1 302 Found\r\nLocation: /cgi/stream?ch=1\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
			case !ch.Check(r.Header.Get("Authorization"), "GET", "u", "p"):
				webcam.Say(conn, "HTTP/1.1 401 No\r\nWWW-Authenticate: "+ch.Header()+"\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
			default:
				webcam.Say(conn, head, part("cut", "\r\n", "", jpg(1)))
				webcam.Linger(conn)
			}
		})
		got, _, err := play(t, 1, source.Config{URL: c.URL, User: "u", Password: "p"})
		require.ErrorIs(t, err, context.Canceled, ch.Scheme)
		assert.Len(t, got, 1)
	}
}

func TestPasswordStaysWithItsHost(t *testing.T) {
	other := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.Say(conn, "HTTP/1.1 401 No\r\nWWW-Authenticate: Basic realm=\"x\"\r\nContent-Length: 0\r\n\r\n")
	})
	elsewhere := strings.Replace(other.URL, "127.0.0.1", "localhost", 1)
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.Say(conn, "HTTP/1.1 302 Found\r\nLocation: "+elsewhere+"\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
	})
	_, _, err := play(t, 0, source.Config{URL: c.URL, User: "u", Password: "p"})
	assert.Equal(t, fault.Elsewhere, fault.As(err).Kind.Code)
	assert.Empty(t, other.Requests(), "nothing is asked there")
}
