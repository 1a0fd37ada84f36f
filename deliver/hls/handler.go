// Package hls serves playlists and segments over HTTP, for browsers and for
// caches in front: RFC 8216, RFC 9110, RFC 9111.
package hls

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/deliver/problem"
	"webostrum/deliver/socket"
)

// The names under a feed's hls/ path.
const (
	MultivariantName = "index.m3u8"
	playlistSuffix   = ".m3u8"

	playlistType = "application/vnd.apple.mpegurl"
	dashType     = "application/dash+xml"
	segmentType  = "video/mp4"

	// maxStart is how long a playlist that does not exist yet is waited for.
	maxStart = 10 * time.Second

	segmentAge   = 24 * time.Hour
	writeTimeout = 30 * time.Second
	chunk        = 256 << 10

	// Target durations that a list is waited for, and that an answer to which somebody has
	// waited may be kept (draft-pantos-hls-rfc8216bis, 6.2.5.2 and B.1).
	waitTargets = 3
	keepTargets = 6
)

// Feed is what is served. Errors are told as problem.Of says. What waits for the camera
// does so until the context ends.
type Feed interface {
	// Multivariant returns the multivariant playlist, of all renditions or of a named one,
	// once there is something to play, and the target duration.
	Multivariant(ctx context.Context, rendition string) (*hls.Text, time.Duration, error)
	// DASH returns the manifest for DASH players, and the target duration; clock is the
	// address of the service's clock.
	DASH(ctx context.Context, clock string) ([]byte, time.Duration, error)
	// Track returns a track once it has a playlist, and has it made if it is not yet.
	Track(ctx context.Context, name string) (*hls.Track, error)
	// Made returns a track if it is being made at present, or nil.
	Made(name string) *hls.Track
}

// Handler serves any feed.
type Handler struct {
	// Wait is how long to wait for a playlist; 0 means 10 s.
	Wait time.Duration
	// Watched is called at each request of a playlist; an error is the answer then. May be
	// nil.
	Watched func(r *http.Request, rendition string, target time.Duration) error
	// Told turns an error into what the caller may know of it. May be nil.
	Told func(error) error
	// Shared says that caches may keep what was sent, and give it to others who ask for
	// the same address.
	Shared bool
	// SegmentAge is how long they may keep segments; 0 means a day.
	SegmentAge time.Duration
	// Sent is called with the bytes of each segment that was sent. May be nil.
	Sent func(r *http.Request, n int64)
}

// ServeFile answers a request for a name under the feed's hls/ path.
func (h *Handler) ServeFile(w http.ResponseWriter, r *http.Request, f Feed, name string) {
	if !allowed(w, r) {
		return
	}
	folder, file, inFolder := strings.Cut(name, "/")
	switch {
	case inFolder && file == hls.MediaName:
		h.media(w, r, f, folder)
	case inFolder && !strings.Contains(file, "/"):
		h.segment(w, r, f, folder, file)
	case name == MultivariantName:
		h.multivariant(w, r, f, "")
	case !inFolder && strings.HasSuffix(name, playlistSuffix):
		h.multivariant(w, r, f, strings.TrimSuffix(name, playlistSuffix))
	default:
		problem.Write(w, fault.New(fault.SegmentUnknown, nil, ""))
	}
}

// IsAlias says whether a name is of a segment by its number, which is waited for.
func IsAlias(name string) bool { return hls.IsAlias(name) }

// allowed answers what is not GET or HEAD.
func allowed(w http.ResponseWriter, r *http.Request) bool {
	if r.Method == http.MethodGet || r.Method == http.MethodHead {
		return true
	}
	w.Header().Set("Allow", "GET, HEAD, OPTIONS")
	problem.Write(w, fault.New(fault.MethodNotAllowed, nil, ""))
	return false
}

// start is how long what does not exist yet is waited for.
func (h *Handler) start(r *http.Request) (context.Context, context.CancelFunc) {
	wait := h.Wait
	if wait == 0 {
		wait = maxStart
	}
	return context.WithTimeout(r.Context(), wait)
}

func (h *Handler) watched(r *http.Request, rendition string, target time.Duration) error {
	if h.Watched == nil {
		return nil
	}
	return h.Watched(r, rendition, target)
}

func (h *Handler) multivariant(w http.ResponseWriter, r *http.Request, f Feed, rendition string) {
	ctx, cancel := h.start(r)
	defer cancel()
	text, target, err := f.Multivariant(ctx, rendition)
	if err == nil {
		err = h.watched(r, rendition, target)
	}
	if err != nil {
		h.refuse(w, err)
		return
	}
	h.playlist(w, r, playlistType, text, target/2)
}

// ServeDASH answers a request for the feed's manifest for DASH players.
func (h *Handler) ServeDASH(w http.ResponseWriter, r *http.Request, f Feed, clock string) {
	if !allowed(w, r) {
		return
	}
	ctx, cancel := h.start(r)
	defer cancel()
	text, target, err := f.DASH(ctx, clock)
	if err == nil {
		err = h.watched(r, "", target)
	}
	if err != nil {
		h.refuse(w, err)
		return
	}
	h.playlist(w, r, dashType, hls.NewText(string(text)), target/2)
}

// media answers with a track's playlist, once what is asked for stands in it.
func (h *Handler) media(w http.ResponseWriter, r *http.Request, f Feed, name string) {
	want, err := readDirectives(r.URL.Query())
	if err != nil {
		h.refuse(w, err)
		return
	}
	ctx, cancel := h.start(r)
	defer cancel()
	t, err := f.Track(ctx, name)
	if err == nil {
		rendition := name
		if name == hls.Audio {
			rendition = "" // whoever hears it watches a rendition, too
		}
		err = h.watched(r, rendition, t.Target())
	}
	if err == nil {
		err = want.wait(r.Context(), t)
	}
	if err != nil {
		h.refuse(w, err)
		return
	}
	text, ok := t.Media(want.skip)
	if !ok {
		h.refuse(w, fault.New(fault.FeedNotReady, nil, "The playlist has just gone."))
		return
	}
	fresh := t.Target() / 2
	if want.blocking {
		fresh = keepTargets * t.Target()
	}
	h.playlist(w, r, playlistType, text, fresh)
}

// playlist sends a playlist that caches may keep for a while.
func (h *Handler) playlist(w http.ResponseWriter, r *http.Request, kind string, text *hls.Text, fresh time.Duration) {
	header := w.Header()
	header.Set("Content-Type", kind)
	header.Set("Cache-Control", h.fresh(fresh))
	header.Add("Vary", "Accept-Encoding")
	body := text.Plain
	if AcceptsGzip(r) && r.Header.Get("Range") == "" {
		header.Set("Content-Encoding", "gzip")
		body = text.Packed()
	}
	send(w, r, bytes.NewReader(body), int64(len(body)))
}

// fresh says how long caches may keep an answer that changes.
func (h *Handler) fresh(d time.Duration) string {
	if !h.Shared {
		return "private, no-cache" // what is not for everybody is asked for anew each time
	}
	return "public, max-age=" + strconv.Itoa(max(1, int(d/time.Second)))
}

// refuse answers with an error, as far as the caller may know of it.
func (h *Handler) refuse(w http.ResponseWriter, err error) {
	if h.Told != nil {
		err = h.Told(err)
	}
	problem.Write(w, err)
}

func (h *Handler) segment(w http.ResponseWriter, r *http.Request, f Feed, track, name string) {
	t := f.Made(track)
	alias := hls.IsAlias(name)
	if t == nil && alias { // players by DASH ask for segments without having asked for a list
		ctx, cancel := h.start(r)
		defer cancel()
		var err error
		if t, err = f.Track(ctx, track); err != nil {
			h.refuse(w, err)
			return
		}
	}
	if t == nil {
		problem.Write(w, fault.New(fault.SegmentUnknown, nil, "nothing is made of that name at present: the playlist has it made"))
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), waitTargets*t.Target())
	defer cancel()
	piece, ok := t.Find(ctx, name)
	if !ok {
		problem.Write(w, fault.New(fault.SegmentUnknown, nil, ""))
		return
	}
	header := w.Header()
	header.Set("Content-Type", segmentType)
	header.Set("Cache-Control", h.segmentFresh())
	if alias { // a rendition that is made anew has others of the same number
		header.Set("Cache-Control", h.fresh(keepTargets*t.Target()))
	} else {
		header.Set("Etag", strconv.Quote(name))
	}
	var sent int64
	if piece.Growing != nil {
		sent = sendGrowing(ctx, w, r, piece.Growing)
	} else {
		sent = sendBody(w, r, piece)
	}
	if h.Sent != nil && sent > 0 {
		h.Sent(r, sent)
	}
}

func (h *Handler) segmentFresh() string {
	if !h.Shared {
		return "private, no-cache"
	}
	age := h.SegmentAge
	if age == 0 {
		age = segmentAge
	}
	return fmt.Sprintf("public, max-age=%d, immutable", int(age.Seconds()))
}

// sendBody sends what is finished; it returns how many bytes went.
func sendBody(w http.ResponseWriter, r *http.Request, piece hls.Piece) int64 {
	reader, err := piece.Body.Open()
	if err != nil {
		problem.Write(w, fault.New(fault.SegmentUnreadable, err, "%v", err))
		return 0
	}
	defer func() { _ = reader.Close() }()
	if r.Header.Get("Range") != "" || r.Header.Get("If-None-Match") != "" {
		_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(writeTimeout))
		c := &counted{ResponseWriter: w}
		http.ServeContent(c, r, "", time.Time{}, section(reader, piece))
		return c.sent
	}
	if _, err := reader.Seek(piece.Offset, io.SeekStart); err != nil {
		problem.Write(w, fault.New(fault.SegmentUnreadable, err, "%v", err))
		return 0
	}
	w.Header().Set("Accept-Ranges", "bytes")
	return send(w, r, reader, piece.Size)
}

// counted counts the bytes of a body.
type counted struct {
	http.ResponseWriter
	sent int64
}

// Write implements http.ResponseWriter.
func (c *counted) Write(b []byte) (int, error) {
	n, err := c.ResponseWriter.Write(b)
	if err == nil {
		c.sent += int64(n)
	}
	return n, err
}

// Unwrap is for http.ResponseController.
func (c *counted) Unwrap() http.ResponseWriter { return c.ResponseWriter }

// section is a piece of a body as if it were all.
func section(r io.ReadSeeker, piece hls.Piece) io.ReadSeeker {
	if at, ok := r.(io.ReaderAt); ok {
		return io.NewSectionReader(at, piece.Offset, piece.Size)
	}
	return r
}

// sendGrowing sends a part while it is made; it returns how many bytes. One that ends before
// it is whole is broken off, so that nobody takes it for all of it, and no cache keeps it.
func sendGrowing(ctx context.Context, w http.ResponseWriter, r *http.Request, g *hls.Growing) (sent int64) {
	w.WriteHeader(http.StatusOK)
	if r.Method == http.MethodHead {
		return 0
	}
	control := http.NewResponseController(w)
	_ = control.SetWriteDeadline(time.Now().Add(writeTimeout))
	for n := 0; ; {
		pieces, err := g.From(ctx, n)
		if errors.Is(err, io.EOF) {
			return sent
		}
		if err != nil {
			breakOff(control)
			return sent
		}
		for _, p := range pieces {
			k, err := w.Write(p)
			if sent += int64(k); err != nil {
				return sent
			}
		}
		n += len(pieces)
		if err := control.Flush(); err != nil {
			return sent
		}
	}
}

// breakOff has an answer end without its end: the server cannot write that any more, and
// closes the connection, or resets the stream (RFC 9112, 8; RFC 9113, 5.4.2).
func breakOff(control *http.ResponseController) { _ = control.SetWriteDeadline(time.Unix(1, 0)) }

// AcceptsGzip reads a request's Accept-Encoding (RFC 9110, 12.5.3) as far as gzip goes.
func AcceptsGzip(r *http.Request) bool {
	for item := range strings.SplitSeq(r.Header.Get("Accept-Encoding"), ",") {
		name, q, _ := strings.Cut(strings.TrimSpace(item), ";")
		if name == "gzip" || name == "*" {
			value := strings.TrimPrefix(strings.ReplaceAll(q, " ", ""), "q=")
			weight, err := strconv.ParseFloat(value, 64)
			return q == "" || err != nil || weight > 0
		}
	}
	return false
}

// send sends a body that is asked for as a whole. A file goes from the kernel
// to the socket without passing through here. It returns how many bytes went.
func send(w http.ResponseWriter, r *http.Request, body io.Reader, size int64) (sent int64) {
	w.Header().Set("Content-Length", strconv.FormatInt(size, 10))
	w.WriteHeader(http.StatusOK)
	if r.Method == http.MethodHead {
		return 0
	}
	_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(writeTimeout))
	if _, file := body.(*os.File); file {
		if r.ProtoMajor == 1 {
			defer socket.Together(r.Context())()
		}
		sent, _ = io.CopyN(w, body, size) // a viewer that has gone is no error
		return sent
	}
	buf := chunks.Get().(*[]byte)
	defer chunks.Put(buf)
	sent, _ = io.CopyBuffer(onlyWriter{w}, io.LimitReader(body, size), *buf)
	return sent
}

var chunks = sync.Pool{New: func() any { b := make([]byte, chunk); return &b }}

// onlyWriter hides ReadFrom, which would copy in smaller pieces.
type onlyWriter struct{ io.Writer }
