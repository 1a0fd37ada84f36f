package still_test

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"webostrum/testkit"
	"webostrum/testkit/webcam"
)

// TestACameraThatNowAndThenSaysNo goes on: 404 while it writes the next picture, 429 and
// 503 when it is busy, and an answer that is empty.
func TestACameraThatNowAndThenSaysNo(t *testing.T) {
	var n atomic.Int32
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		i := n.Add(1)
		if status := []int{404, 429, 503, 200}[i%4]; i%3 == 0 {
			webcam.Say(conn, fmt.Sprintf("HTTP/1.1 %d No\r\nContent-Length: 0\r\nConnection: close\r\n\r\n", status))
			return
		}
		picture := jpg(64, int(i))
		webcam.Say(conn, fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Type: image/jpeg\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s", len(picture), picture))
	})
	p := poll(t, c.URL)
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool { _, pictures, _ := p.facts(); return pictures >= 20 }))
	p.mu.Lock()
	defer p.mu.Unlock()
	require.NoError(t, p.err)
}

// TestOneWithoutItsEndExcusesNothing: what fails after it counts as ever.
func TestOneWithoutItsEndExcusesNothing(t *testing.T) {
	var n atomic.Int32
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		picture := jpg(64, 1)
		if n.Add(1) > 1 {
			webcam.Say(conn, "HTTP/1.1 403 Forbidden\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
			return
		}
		webcam.Say(conn, fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Type: image/jpeg\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s", len(picture)-2, picture[:len(picture)-2]))
	})
	p := poll(t, c.URL)
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool { p.mu.Lock(); defer p.mu.Unlock(); return p.err != nil }), "the poll ends")
}

// TestPicturesWithoutTheirEnd are taken once they are the camera's habit, and left out
// while they are not.
func TestPicturesWithoutTheirEnd(t *testing.T) {
	for name, without := range map[string]func(n int32) bool{
		"a habit":  func(int32) bool { return true },
		"at times": func(n int32) bool { return n%2 == 0 },
	} {
		t.Run(name, func(t *testing.T) {
			var n atomic.Int32
			c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
				i := n.Add(1)
				picture := jpg(64, int(i))
				if without(i) {
					picture = picture[:len(picture)-2]
				}
				webcam.Say(conn, fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Type: image/jpeg\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s", len(picture), picture))
			})
			p := poll(t, c.URL)
			ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
			defer cancel()
			require.NoError(t, testkit.Eventually(ctx, func() bool { _, pictures, _ := p.facts(); return pictures >= 6 }))
		})
	}
}
