package rtsp_test

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/deliver/rtsp"
)

// TestHalfOpenTunnels of one client keep nobody else from tunnelling, and their heads are
// bounded.
func TestHalfOpenTunnels(t *testing.T) {
	t.Parallel()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	clients := map[string]string{}
	s := rtsp.NewServer(rtsp.Config{Most: 400, Client: func(address string) string {
		host, _, _ := net.SplitHostPort(address)
		return clients[host]
	}})
	clients["127.0.0.1"], clients["127.0.0.2"] = "flood", "other"
	served := make(chan error, 1)
	go func() { served <- s.Serve(l) }()
	defer func() { s.Close(); assert.NoError(t, <-served) }()
	open := func(from, cookie string) (status int) {
		d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(from)}}
		conn, err := d.DialContext(t.Context(), "tcp", l.Addr().String())
		require.NoError(t, err)
		t.Cleanup(func() { _ = conn.Close() })
		require.NoError(t, conn.SetDeadline(time.Now().Add(30*time.Second)))
		_, err = fmt.Fprintf(conn, "GET / HTTP/1.0\r\nX-Sessioncookie: %s\r\n\r\n", cookie)
		require.NoError(t, err)
		res, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil {
			return 0 // closed
		}
		return res.StatusCode
	}
	opened := 0
	for i := range 40 {
		if open("127.0.0.1", fmt.Sprint("flood", i)) == http.StatusOK {
			opened++
		}
	}
	assert.Equal(t, 8, opened)
	assert.Equal(t, http.StatusOK, open("127.0.0.2", "mine"), "another client's is taken")
	assert.Equal(t, http.StatusBadRequest, open("127.0.0.2", strings.Repeat("c", 200)))

	conn, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer func() { _ = conn.Close() }()
	require.NoError(t, conn.SetDeadline(time.Now().Add(30*time.Second)))
	_, _ = io.WriteString(conn, "GET / HTTP/1.0\r\n")
	for range 64 {
		if _, err = io.WriteString(conn, "X-Filler: "+strings.Repeat("x", 1000)+"\r\n"); err != nil {
			break
		}
	}
	answer, _ := io.ReadAll(conn)
	assert.NotContains(t, string(answer), "200 OK", "a head without an end is not read for ever")
}
