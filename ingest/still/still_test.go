package still_test

import (
	"context"
	"fmt"
	"image/color"
	"net"
	"net/http"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/source"
	"webostrum/ingest/still"
	"webostrum/testkit"
	"webostrum/testkit/pictures"
	"webostrum/testkit/webcam"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

func jpg(w, n int) string {
	return string(pictures.JPEG(w, 48, color.RGBA{R: uint8(n * 20), G: 100, B: 50}))
}

// polling is a camera that is being polled.
type polling struct {
	mu      sync.Mutex
	got     []*media.Sample
	session source.Session
	told    int
	err     error
	done    chan struct{}
}

func (p *polling) facts() (f source.Facts, pictures, told int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.session != nil {
		f = p.session.Facts()
	}
	return f, len(p.got), p.told
}

func poll(t *testing.T, url string) *polling {
	t.Helper()
	p := &polling{done: make(chan struct{})}
	ctx, cancel := context.WithCancel(context.Background())
	go func() {
		defer close(p.done)
		_, err := still.Play(ctx, source.Config{
			URL: url, Poll: 100 * time.Millisecond, AnswerTimeout: time.Second,
			Publish:    func(s *media.Sample) { p.mu.Lock(); p.got = append(p.got, s); p.mu.Unlock() },
			Started:    func(s source.Session) { p.mu.Lock(); p.session = s; p.mu.Unlock() },
			Connecting: func(context.Context) { p.mu.Lock(); p.told++; p.mu.Unlock() },
		})
		p.mu.Lock()
		p.err = err
		p.mu.Unlock()
	}()
	t.Cleanup(func() { cancel(); <-p.done })
	return p
}

func (p *polling) until(t *testing.T, ok func(f source.Facts, pictures, told int) bool) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool { return ok(p.facts()) }))
}

func answer(headers, body string) string {
	return fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Type: image/jpeg\r\nConnection: close\r\n%sContent-Length: %d\r\n\r\n%s", headers, len(body), body)
}

const notModified = "HTTP/1.1 304 Not Modified\r\nConnection: close\r\n\r\n"

func TestEntityTagsAndDates(t *testing.T) {
	t.Parallel()
	for header, sent := range map[string]string{"Etag: \"v1\"\r\n": "If-None-Match", "Last-Modified: Mon, 01 Jun 2026 12:00:00 GMT\r\n": "If-Modified-Since"} {
		c := webcam.Serve(t, func(conn net.Conn, r *http.Request) {
			if r.Header.Get(sent) != "" {
				webcam.Say(conn, notModified)
				return
			}
			webcam.Say(conn, answer(header, jpg(64, 1)))
		})
		p := poll(t, c.URL)
		p.until(t, func(f source.Facts, pictures, _ int) bool { return pictures == 1 && f.Stats.Unchanged >= 3 })
		f, _, _ := p.facts()
		assert.Equal(t, "poll", f.Transport)
	}
}

func TestTheSamePictureAgainIsUnchanged(t *testing.T) {
	t.Parallel()
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) { webcam.Say(conn, answer("", jpg(64, 1))) })
	p := poll(t, c.URL)
	p.until(t, func(f source.Facts, pictures, _ int) bool { return pictures == 1 && f.Stats.Unchanged >= 3 })
}

// TestOneMissedPictureIsNoLoss has every third answer fail.
func TestOneMissedPictureIsNoLoss(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	n := 0
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		mu.Lock()
		n++
		mine := n
		mu.Unlock()
		if mine%3 != 0 {
			webcam.Say(conn, answer("", jpg(64, mine)))
		}
	})
	p := poll(t, c.URL)
	p.until(t, func(f source.Facts, pictures, _ int) bool { return pictures >= 4 && f.Stats.Dropped >= 2 })
}

func TestACameraThatStaysAwayIsLost(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	n := 0
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		if n++; n == 1 {
			webcam.Say(conn, answer("", jpg(64, 1)))
		}
	})
	p := poll(t, c.URL)
	<-p.done
	assert.Equal(t, fault.HungUp, fault.As(p.err).Kind.Code)
}

// TestACameraThatForgetsIsReminded sends another size all the time: the settings
// are sent again, and not at each picture.
func TestACameraThatForgetsIsReminded(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	n := 0
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		n++
		webcam.Say(conn, answer("", jpg(64+16*(n%2), n)))
	})
	p := poll(t, c.URL)
	p.until(t, func(_ source.Facts, pictures, told int) bool { return told == 2 })
	_, pictures, _ := p.facts()
	assert.Greater(t, pictures, 20, "no more than once in ten seconds")
}

func TestReasons(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct {
		say  string
		want fault.Code
	}{
		"a page":        {"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\n\r\n<title>Sign in</title>", fault.PageInstead},
		"empty":         {"HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n", fault.Empty},
		"PNG":           {answer("", "\x89PNG\r\n\x1a\n"), fault.NoPicture},
		"no such path":  {"HTTP/1.1 404 No\r\nContent-Length: 0\r\n\r\n", fault.PathUnknown},
		"cut short":     {answer("", jpg(64, 1)[:500]), fault.HungUp},
		"never its end": {"HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\n" + jpg(64, 1)[:500], fault.SlowAnswer},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
				webcam.Say(conn, tt.say)
				if tt.want == fault.SlowAnswer {
					webcam.Linger(conn)
				}
			})
			p := poll(t, c.URL)
			<-p.done
			assert.Equal(t, tt.want, fault.As(p.err).Kind.Code, "%v", p.err)
		})
	}
}
