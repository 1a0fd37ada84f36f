package rtsp

import (
	"bufio"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/ingest/dial"
)

// RTSP through HTTP, as cameras have it for networks that let nothing else through: what the
// camera sends is the endless answer to a GET, and what it is sent, in Base64, the endless
// body of a POST; a header of both says that they belong together.
const (
	tunnelType   = "application/x-rtsp-tunnelled"
	tunnelHeader = "x-sessioncookie"
	tunnelLength = 32767 // that the POST says it will have; nobody counts
	mostHead     = 16 << 10
)

// tunnel is a pair of connections as one.
type tunnel struct {
	net.Conn // of the GET
	answer   *bufio.Reader
	post     net.Conn
}

// openTunnel opens both connections. The error is a *fault.Error.
func openTunnel(u *url.URL, timeout time.Duration, open func() (net.Conn, error)) (net.Conn, error) {
	get, err := open()
	if err != nil {
		return nil, err
	}
	t := &tunnel{Conn: get, answer: bufio.NewReader(get)}
	cookie := rand.Text()[:22]
	if err := t.begin(u, cookie, timeout); err != nil {
		_ = get.Close()
		return nil, err
	}
	if t.post, err = open(); err != nil {
		_ = get.Close()
		return nil, err
	}
	_ = t.post.SetWriteDeadline(time.Now().Add(timeout))
	if _, err := t.post.Write(tunnelHead("POST", u, cookie, "Content-Type: "+tunnelType, "Content-Length: "+strconv.Itoa(tunnelLength))); err != nil {
		_ = t.Close()
		return nil, dial.BrokenOff(err, "POST")
	}
	return t, nil
}

func tunnelHead(method string, u *url.URL, cookie string, more ...string) []byte {
	head := []string{
		method + " " + u.RequestURI() + " HTTP/1.0", "Host: " + u.Host, "User-Agent: " + userAgent, tunnelHeader + ": " + cookie,
		"Accept: " + tunnelType, "Pragma: no-cache", "Cache-Control: no-cache",
	}
	return []byte(strings.Join(append(head, more...), "\r\n") + "\r\n\r\n")
}

// begin sends the GET and reads the head of its answer.
func (t *tunnel) begin(u *url.URL, cookie string, timeout time.Duration) error {
	_ = t.SetDeadline(time.Now().Add(timeout))
	if _, err := t.Conn.Write(tunnelHead("GET", u, cookie)); err != nil {
		return dial.BrokenOff(err, "GET")
	}
	status, err := t.line()
	if err != nil {
		return err
	}
	for n := len(status); ; {
		line, err := t.line()
		if err != nil {
			return err
		}
		if line == "" {
			break
		}
		if n += len(line); n > mostHead {
			return fault.New(fault.NotRTSP, nil, "its answer to GET has a head of more than %d bytes", mostHead)
		}
	}
	if fields := strings.Fields(status); len(fields) < 2 || !strings.HasPrefix(fields[0], "HTTP/") {
		return fault.New(fault.NotRTSP, nil, "it answered GET with %.40q", status)
	} else if fields[1] != "200" {
		return fault.New(fault.TransportNo, nil, "it answered %s when asked for RTSP through HTTP", fields[1])
	}
	return nil
}

func (t *tunnel) line() (string, error) {
	line, err := t.answer.ReadSlice('\n')
	if errors.Is(err, bufio.ErrBufferFull) {
		return "", fault.New(fault.NotRTSP, err, "it answered GET with a line without end")
	}
	if err != nil {
		return "", dial.BrokenOff(err, "GET")
	}
	return strings.TrimRight(string(line), "\r\n"), nil
}

// Read reads what the camera sends.
func (t *tunnel) Read(b []byte) (int, error) { return t.answer.Read(b) }

// Write sends to the camera.
func (t *tunnel) Write(b []byte) (int, error) {
	if _, err := fmt.Fprint(t.post, base64.StdEncoding.EncodeToString(b)); err != nil {
		return 0, err
	}
	return len(b), nil
}

// Close closes both connections.
func (t *tunnel) Close() error {
	if t.post == nil {
		return t.Conn.Close()
	}
	return errors.Join(t.Conn.Close(), t.post.Close())
}

// SetWriteDeadline is for the POST, once there is one.
func (t *tunnel) SetWriteDeadline(at time.Time) error {
	if t.post == nil {
		return t.Conn.SetWriteDeadline(at)
	}
	return t.post.SetWriteDeadline(at)
}
