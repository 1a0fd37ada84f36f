// Package mjpeg sends JPEG pictures over HTTP: as an answer that never ends
// (multipart/x-mixed-replace), and as stills.
//
// Browsers show a part of such an answer when they see that it has ended. So the
// boundary and the headers of the next part follow each picture at once, and there
// is no Content-Length, whose presence has some engines wait all the same: each
// picture is on the screen when it is sent, and not when the next one comes.
//
// Limits: a viewer has no more than 128 KiB waiting in the kernel besides the
// picture being sent, and 9 s to take that.
package mjpeg

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"sync/atomic"
	"time"

	"webostrum/core/fault"
	"webostrum/core/hub"
	"webostrum/core/rendition"
	"webostrum/deliver/problem"
	"webostrum/deliver/socket"
)

const (
	boundary     = "webostrum-picture"
	contentType  = "multipart/x-mixed-replace; boundary=" + boundary
	partHead     = "--" + boundary + "\r\nContent-Type: image/jpeg\r\n\r\n"
	writeTimeout = 10 * time.Second
	refreshAfter = time.Second // setting a deadline costs as much as a twentieth of a picture
)

// between is what stands behind a picture: the beginning of the next part.
var between = []byte("\r\n" + partHead)

// Stream is what a viewer gets.
type Stream struct {
	Hub  *hub.Hub       // of JPEG alone
	Rate float64        // frames a second at most; 0 means all
	Sent *atomic.Uint64 // counts bytes; may be nil
}

// Serve sends a stream's pictures until the viewer, the hub or ctx ends. A viewer
// that is slower than the pictures skips some and always gets the newest.
func Serve(ctx context.Context, w http.ResponseWriter, r *http.Request, s Stream) {
	header := w.Header()
	header.Set("Content-Type", contentType)
	header.Set("Cache-Control", "no-store")
	if r.ProtoMajor < 2 {
		header.Set("Connection", "close")
	}
	if r.Method == http.MethodHead {
		w.WriteHeader(http.StatusOK)
		return
	}
	if r.ProtoMajor >= 2 {
		serveFramed(ctx, w, s)
		return
	}
	conn, _, err := http.NewResponseController(w).Hijack()
	if err != nil {
		problem.Write(w, fault.New(fault.HTTPVersion, err, ""))
		return
	}
	socket.KeepConnShort(conn)
	ctx, cancel := context.WithCancel(ctx)
	gone := watch(conn, cancel)
	defer func() {
		_ = conn.Close() // ends watch
		<-gone
	}()
	out := &writer{conn: conn, sent: s.Sent}
	if out.write(head(r, header), []byte(partHead)) {
		send(ctx, out, s)
	}
}

// serveFramed sends over HTTP/2, where answers share a connection and no one of them can
// have it for itself.
func serveFramed(ctx context.Context, w http.ResponseWriter, s Stream) {
	w.WriteHeader(http.StatusOK)
	out := &framed{w: w, rc: http.NewResponseController(w), sent: s.Sent}
	if out.write([]byte(partHead), nil) {
		send(ctx, out, s)
	}
}

// framed writes into an answer that is one of many on its connection.
type framed struct {
	w    http.ResponseWriter
	rc   *http.ResponseController
	sent *atomic.Uint64
}

func (f *framed) write(a, b []byte) bool {
	_ = f.rc.SetWriteDeadline(time.Now().Add(writeTimeout))
	for _, part := range [][]byte{a, b} {
		n, err := f.w.Write(part)
		if f.sent != nil {
			f.sent.Add(uint64(n))
		}
		if err != nil {
			return false
		}
	}
	return f.rc.Flush() == nil
}

// head is the answer's head.
func head(r *http.Request, header http.Header) []byte {
	var b bytes.Buffer
	version := "HTTP/1.1"
	if !r.ProtoAtLeast(1, 1) {
		version = "HTTP/1.0"
	}
	fmt.Fprintf(&b, "%s 200 OK\r\nDate: %s\r\n", version, time.Now().UTC().Format(http.TimeFormat))
	_ = header.Write(&b) // a bytes.Buffer takes everything
	b.WriteString("\r\n")
	return b.Bytes()
}

// watch notices when the viewer hangs up, which otherwise shows at the next
// picture only.
func watch(conn net.Conn, cancel context.CancelFunc) (ended <-chan struct{}) {
	done := make(chan struct{})
	_ = conn.SetReadDeadline(time.Time{})
	go func() { // ends with the connection, which Serve closes and waits for
		defer close(done)
		defer cancel()
		_, _ = io.Copy(io.Discard, conn)
	}()
	return done
}

// send sends pictures, each with what stands behind it.
func send(ctx context.Context, out interface{ write(a, b []byte) bool }, stream Stream) {
	reader := stream.Hub.NewReader()
	defer reader.Close()
	pacer := rendition.Pacer{Rate: stream.Rate}
	begun := time.Now()
	for {
		s, _, err := reader.Newest(ctx)
		if err != nil {
			return
		}
		if pacer.Take(s.Captured.Sub(begun)) && !out.write(s.Data, between) {
			return
		}
	}
}

// writer writes without joining, so that all viewers share one picture, and
// without allocating.
type writer struct {
	conn    net.Conn
	sent    *atomic.Uint64
	parts   [2][]byte
	left    net.Buffers // of parts
	refresh time.Time   // when the deadline is set anew
}

func (w *writer) write(a, b []byte) bool {
	if now := time.Now(); now.After(w.refresh) {
		_ = w.conn.SetWriteDeadline(now.Add(writeTimeout))
		w.refresh = now.Add(refreshAfter)
	}
	w.parts = [2][]byte{a, b}
	w.left = w.parts[:]
	n, err := w.left.WriteTo(w.conn)
	if w.sent != nil {
		w.sent.Add(uint64(n))
	}
	return err == nil
}
