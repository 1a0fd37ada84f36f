// Package hls serves playlists and segments over HTTP, for browsers and for
// caches in front: RFC 8216, RFC 9110, RFC 9111.
package hls

import (
	"bytes"
	"context"
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
)

// The names under a feed's hls/ path.
const (
	MultivariantName = "index.m3u8"
	mediaName        = "list.m3u8"
	playlistSuffix   = ".m3u8"

	playlistType = "application/vnd.apple.mpegurl"
	segmentType  = "video/mp4"

	// maxStart is how long a playlist that does not exist yet is waited for.
	maxStart = 10 * time.Second

	segmentAge   = 24 * time.Hour
	writeTimeout = 30 * time.Second
	chunk        = 256 << 10
)

// Feed is what is served. Errors are told as problem.Of says.
type Feed interface {
	// Playlist returns what makes a rendition's segments once there is a playlist, and
	// has it made if it is not yet; the empty name is the rendition that suits the feed.
	// It may wait for the camera until the context ends.
	Playlist(ctx context.Context, rendition string) (*hls.Segmenter, error)
	// Segments returns what makes a rendition's segments at present, or nil.
	Segments(rendition string) *hls.Segmenter
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
	case inFolder && file == mediaName:
		h.playlist(w, r, f, folder, (*hls.Segmenter).Media)
	case inFolder && !strings.Contains(file, "/"):
		h.segment(w, r, f, folder, file)
	case name == MultivariantName:
		h.playlist(w, r, f, "", (*hls.Segmenter).Multivariant)
	case !inFolder && strings.HasSuffix(name, playlistSuffix):
		h.playlist(w, r, f, strings.TrimSuffix(name, playlistSuffix), (*hls.Segmenter).Multivariant)
	default:
		problem.Write(w, fault.New(fault.SegmentUnknown, nil, ""))
	}
}

// allowed answers what is not GET or HEAD.
func allowed(w http.ResponseWriter, r *http.Request) bool {
	if r.Method == http.MethodGet || r.Method == http.MethodHead {
		return true
	}
	w.Header().Set("Allow", "GET, HEAD, OPTIONS")
	problem.Write(w, fault.New(fault.MethodNotAllowed, nil, ""))
	return false
}

func (h *Handler) playlist(w http.ResponseWriter, r *http.Request, f Feed, rendition string, text func(*hls.Segmenter) (hls.Text, bool)) {
	wait := h.Wait
	if wait == 0 {
		wait = maxStart
	}
	ctx, cancel := context.WithTimeout(r.Context(), wait)
	defer cancel()
	g, err := f.Playlist(ctx, rendition)
	if err == nil && h.Watched != nil {
		err = h.Watched(r, rendition, g.Target())
	}
	if err != nil {
		h.refuse(w, err)
		return
	}
	list, ok := text(g)
	if !ok {
		h.refuse(w, fault.New(fault.FeedNotReady, nil, "The playlist has just gone."))
		return
	}
	header := w.Header()
	header.Set("Content-Type", playlistType)
	// Fresh for less than a segment, so that a cache in front never holds a
	// player back by one.
	fresh := "private, no-cache" // what is not for everybody is asked for anew each time
	if h.Shared {
		fresh = "public, max-age=" + strconv.Itoa(max(1, int(g.Target()/time.Second)/2))
	}
	header.Set("Cache-Control", fresh)
	header.Add("Vary", "Accept-Encoding")
	body := list.Plain
	if AcceptsGzip(r) && r.Header.Get("Range") == "" {
		header.Set("Content-Encoding", "gzip")
		body = list.Packed
	}
	send(w, r, bytes.NewReader(body), int64(len(body)))
}

// refuse answers with an error, as far as the caller may know of it.
func (h *Handler) refuse(w http.ResponseWriter, err error) {
	if h.Told != nil {
		err = h.Told(err)
	}
	problem.Write(w, err)
}

func (h *Handler) segment(w http.ResponseWriter, r *http.Request, f Feed, rendition, name string) {
	g := f.Segments(rendition)
	if g == nil {
		problem.Write(w, fault.New(fault.SegmentUnknown, nil, "nothing is made of that name at present: the playlist has it made"))
		return
	}
	body, ok := g.Find(name)
	if !ok {
		problem.Write(w, fault.New(fault.SegmentUnknown, nil, ""))
		return
	}
	reader, err := body.Open()
	if err != nil {
		problem.Write(w, fault.New(fault.SegmentUnreadable, err, "%v", err))
		return
	}
	defer func() { _ = reader.Close() }()
	header := w.Header()
	header.Set("Content-Type", segmentType)
	fresh := "private, no-cache"
	if h.Shared {
		age := h.SegmentAge
		if age == 0 {
			age = segmentAge
		}
		fresh = fmt.Sprintf("public, max-age=%d, immutable", int(age.Seconds()))
	}
	header.Set("Cache-Control", fresh)
	header.Set("Etag", strconv.Quote(name))
	if r.Header.Get("Range") != "" || r.Header.Get("If-None-Match") != "" {
		http.ServeContent(w, r, "", time.Time{}, reader)
		return
	}
	header.Set("Accept-Ranges", "bytes")
	send(w, r, reader, body.Size())
	if h.Sent != nil {
		h.Sent(r, body.Size())
	}
}

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
// to the socket without passing through here.
func send(w http.ResponseWriter, r *http.Request, body io.Reader, size int64) {
	w.Header().Set("Content-Length", strconv.FormatInt(size, 10))
	w.WriteHeader(http.StatusOK)
	if r.Method == http.MethodHead {
		return
	}
	_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(writeTimeout))
	if _, file := body.(*os.File); file {
		_, _ = io.CopyN(w, body, size) // a viewer that has gone is no error
		return
	}
	buf := chunks.Get().(*[]byte)
	defer chunks.Put(buf)
	_, _ = io.CopyBuffer(onlyWriter{w}, io.LimitReader(body, size), *buf)
}

var chunks = sync.Pool{New: func() any { b := make([]byte, chunk); return &b }}

// onlyWriter hides ReadFrom, which would copy in smaller pieces.
type onlyWriter struct{ io.Writer }
