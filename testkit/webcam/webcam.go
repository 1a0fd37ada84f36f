// Package webcam is an HTTP camera for tests that sends exactly what it is told
// to, byte for byte.
package webcam

import (
	"bufio"
	"fmt"
	"net"
	"net/http"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Answer writes one answer to a request; returning ends the connection.
type Answer func(conn net.Conn, r *http.Request)

// Camera counts what it is asked.
type Camera struct {
	URL string

	mu       sync.Mutex
	requests []*http.Request // guarded by mu
}

// Requests returns what was asked so far.
func (c *Camera) Requests() []*http.Request {
	c.mu.Lock()
	defer c.mu.Unlock()
	return append([]*http.Request(nil), c.requests...)
}

// Serve answers each connection's one request until the test ends.
func Serve(t *testing.T, answer Answer) *Camera {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	c := &Camera{URL: "http://" + l.Addr().String() + "/video"}
	var parts sync.WaitGroup
	var mu sync.Mutex
	open := make(map[net.Conn]bool)
	parts.Go(func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			mu.Lock()
			open[conn] = true
			mu.Unlock()
			parts.Go(func() {
				defer func() { _ = conn.Close() }()
				r, err := http.ReadRequest(bufio.NewReader(conn))
				if err != nil {
					return
				}
				c.mu.Lock()
				c.requests = append(c.requests, r)
				c.mu.Unlock()
				answer(conn, r)
			})
		}
	})
	t.Cleanup(func() {
		_ = l.Close()
		mu.Lock()
		for conn := range open {
			_ = conn.Close()
		}
		mu.Unlock()
		parts.Wait()
	})
	return c
}

// Say writes a text; tests do not care whether it arrives.
func Say(conn net.Conn, parts ...string) {
	for _, p := range parts {
		if _, err := conn.Write([]byte(p)); err != nil {
			return
		}
	}
}

// Film sends pictures as Motion JPEG, one after the other at a pace, until the
// other side hangs up.
func Film(conn net.Conn, pace time.Duration, pictures ...[]byte) {
	FilmOf(conn, pace, func(n int) []byte { return pictures[n%len(pictures)] })
}

// FilmOf is Film with pictures that are made when they are sent.
func FilmOf(conn net.Conn, pace time.Duration, picture func(n int) []byte) {
	Say(conn, "HTTP/1.1 200 OK\r\nContent-Type: multipart/x-mixed-replace; boundary=cut\r\n\r\n")
	for n := 0; ; n++ {
		p := picture(n)
		if _, err := fmt.Fprintf(conn, "--cut\r\nContent-Type: image/jpeg\r\nContent-Length: %d\r\n\r\n%s\r\n", len(p), p); err != nil {
			return
		}
		time.Sleep(pace)
	}
}

// Linger waits until the other side hangs up.
func Linger(conn net.Conn) {
	_, _ = conn.Read(make([]byte, 1))
}
