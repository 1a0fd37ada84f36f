package rtsp

import (
	"bufio"
	"encoding/base64"
	"errors"
	"io"
	"math"
	"net"
	"net/http"
	"strings"
	"time"
)

// RTSP through HTTP: what is sent is the endless answer to a GET, and what comes, in Base64,
// the endless body of a POST with the same header.
const (
	tunnelType   = "application/x-rtsp-tunnelled"
	tunnelHeader = "X-Sessioncookie"

	// A GET waits this long for its POST, and no more of them at a time, from one client
	// and from all.
	tunnelWait       = 10 * time.Second
	mostTunnelsEach  = 8
	mostTunnels      = 256
	longestCookie    = 128      // bytes
	longestTunnelled = 16 << 10 // bytes of the head of a GET or POST
)

// tunnels are the answers to GET that wait for their POST, by their cookies.
type tunnels struct{ waiting map[string]*halfTunnel }

// halfTunnel is one of them.
type halfTunnel struct {
	conn   net.Conn
	client string
	timer  *time.Timer // closes it when no POST comes
}

// room says whether one more may wait.
func (t *tunnels) room(client string) bool {
	n := 0
	for _, h := range t.waiting {
		if h.client == client {
			n++
		}
	}
	return len(t.waiting) < mostTunnels && n < mostTunnelsEach
}

// take takes a waiting one out; nil when there is none.
func (t *tunnels) take(cookie string) net.Conn {
	h := t.waiting[cookie]
	if h == nil {
		return nil
	}
	delete(t.waiting, cookie)
	h.timer.Stop()
	return h.conn
}

// tunnel is a pair of connections as one.
type tunnel struct {
	net.Conn // of the GET
	post     net.Conn
	body     *bufio.Reader
	left     []byte // decoded and not yet read
}

// serveConn serves RTSP, or what it comes through.
func (s *Server) serveConn(conn net.Conn) {
	_ = conn.SetReadDeadline(time.Now().Add(idleTimeout))
	limited := &io.LimitedReader{R: conn, N: longestTunnelled}
	reader := bufio.NewReader(limited)
	if head, err := reader.Peek(len("POST ")); err != nil {
		_ = conn.Close()
		return
	} else if text := string(head); text != "POST " && !strings.HasPrefix(text, "GET ") {
		limited.N = math.MaxInt64
		newConnection(s, &peeked{conn, reader}).serve()
		return
	}
	r, err := http.ReadRequest(reader)
	if err != nil || r.Header.Get(tunnelHeader) == "" || len(r.Header.Get(tunnelHeader)) > longestCookie {
		_, _ = io.WriteString(conn, "HTTP/1.0 400 Bad Request\r\n\r\n")
		_ = conn.Close()
		return
	}
	limited.N = math.MaxInt64
	cookie := strings.Clone(r.Header.Get(tunnelHeader))
	if r.Method == http.MethodGet {
		s.openTunnel(conn, cookie)
		return
	}
	s.mu.Lock()
	get := s.tunnels.take(cookie)
	s.mu.Unlock()
	if get == nil {
		_ = conn.Close()
		return
	}
	newConnection(s, &tunnel{Conn: get, post: conn, body: reader}).serve()
}

// openTunnel answers a GET, and keeps it for its POST.
func (s *Server) openTunnel(conn net.Conn, cookie string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	client := s.client(conn)
	if !s.tunnels.room(client) || s.tunnels.waiting[cookie] != nil || s.ctx.Err() != nil {
		_ = conn.Close()
		return
	}
	_ = conn.SetWriteDeadline(time.Now().Add(writeTimeout))
	if _, err := io.WriteString(conn, "HTTP/1.0 200 OK\r\nContent-Type: "+tunnelType+"\r\nCache-Control: no-store\r\n\r\n"); err != nil {
		_ = conn.Close()
		return
	}
	s.tunnels.waiting[cookie] = &halfTunnel{conn, client, time.AfterFunc(tunnelWait, func() {
		s.mu.Lock()
		waiting := s.tunnels.take(cookie)
		s.mu.Unlock()
		if waiting != nil {
			_ = waiting.Close()
		}
	})}
}

// Read decodes what comes by the POST; each request is encoded by itself.
func (t *tunnel) Read(b []byte) (int, error) {
	if len(t.left) == 0 {
		var quantum [4]byte
		if _, err := io.ReadFull(t.body, quantum[:]); err != nil {
			return 0, err
		}
		decoded, err := base64.StdEncoding.DecodeString(string(quantum[:]))
		if err != nil {
			return 0, err
		}
		t.left = decoded
	}
	n := copy(b, t.left)
	t.left = t.left[n:]
	return n, nil
}

// SetReadDeadline is for the POST.
func (t *tunnel) SetReadDeadline(at time.Time) error { return t.post.SetReadDeadline(at) }

// Close closes both connections.
func (t *tunnel) Close() error { return errors.Join(t.Conn.Close(), t.post.Close()) }

// peeked is a connection of which something was read already.
type peeked struct {
	net.Conn
	reader *bufio.Reader
}

func (p *peeked) Read(b []byte) (int, error) { return p.reader.Read(b) }
