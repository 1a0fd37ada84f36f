package rtsp

import (
	"bufio"
	"encoding/base64"
	"errors"
	"io"
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
	mostTunnels  = 16
)

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
	reader := bufio.NewReader(conn)
	if head, err := reader.Peek(len("POST ")); err != nil {
		_ = conn.Close()
		return
	} else if text := string(head); text != "POST " && !strings.HasPrefix(text, "GET ") {
		newConnection(s, &peeked{conn, reader}).serve()
		return
	}
	r, err := http.ReadRequest(reader)
	if err != nil || r.Header.Get(tunnelHeader) == "" {
		_, _ = io.WriteString(conn, "HTTP/1.0 400 Bad Request\r\n\r\n")
		_ = conn.Close()
		return
	}
	cookie := r.Header.Get(tunnelHeader)
	if r.Method == http.MethodGet {
		s.openTunnel(conn, cookie)
		return
	}
	s.mu.Lock()
	get := s.tunnels[cookie]
	delete(s.tunnels, cookie)
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
	if len(s.tunnels) >= mostTunnels || s.tunnels[cookie] != nil {
		_ = conn.Close()
		return
	}
	if _, err := io.WriteString(conn, "HTTP/1.0 200 OK\r\nContent-Type: "+tunnelType+"\r\nCache-Control: no-store\r\n\r\n"); err != nil {
		_ = conn.Close()
		return
	}
	s.tunnels[cookie] = conn
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
