// Package hls serves playlists and segments over HTTP, for browsers and for
// caches in front: RFC 8216, RFC 9110, RFC 9111.
package hls

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"path"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/hls"
	"webostrum/deliver/problem"
)

// The names under a feed's hls/ path.
const (
	MultivariantName = "index.m3u8"
	MediaName        = hls.Original + "/list.m3u8"

	playlistType = "application/vnd.apple.mpegurl"
	segmentType  = "video/mp4"

	// maxStart is how long a playlist that does not exist yet is waited for.
	maxStart = 10 * time.Second

	segmentAge   = 24 * time.Hour
	writeTimeout = 30 * time.Second
	chunk        = 256 << 10
)

// Feed is what is served.
type Feed interface {
	// Segmenter returns the feed's segments; nil when it is off.
	Segmenter() *hls.Segmenter
	// Public says whether everybody may watch.
	Public() bool
	// Waiting says in a sentence why there is nothing to play.
	Waiting() string
}

// Handler serves any feed.
type Handler struct {
	// Wait is how long to wait for a playlist; 0 means 10 s.
	Wait time.Duration
	// Watched is called at each request of a playlist. May be nil.
	Watched func(r *http.Request, target time.Duration)
}

// ServeFile answers a request for a name under the feed's hls/ path.
func (h *Handler) ServeFile(w http.ResponseWriter, r *http.Request, f Feed, name string) {
	if !allowed(w, r, f) {
		return
	}
	switch {
	case name == MultivariantName || name == MediaName:
		h.playlist(w, r, f, name)
	case strings.HasPrefix(name, hls.Original+"/"):
		segment(w, r, f, path.Base(name))
	default:
		notFound(w, "There is no file of that name; a feed's HLS begins at "+MultivariantName+".")
	}
}

// allowed answers what is not GET or HEAD, and sets the headers that let pages
// of other sites read what is public.
func allowed(w http.ResponseWriter, r *http.Request, f Feed) bool {
	const methods = "GET, HEAD, OPTIONS"
	if f.Public() {
		w.Header().Set("Access-Control-Allow-Origin", "*")
		w.Header().Set("Access-Control-Expose-Headers", "Content-Length, Content-Range, Date")
	}
	switch r.Method {
	case http.MethodGet, http.MethodHead:
		return true
	case http.MethodOptions:
		w.Header().Set("Access-Control-Allow-Methods", methods)
		w.Header().Set("Access-Control-Allow-Headers", "Range")
		w.WriteHeader(http.StatusNoContent)
	default:
		w.Header().Set("Allow", methods)
		problem.Write(w, problem.Problem{Status: http.StatusMethodNotAllowed, Code: "method-not-allowed", Detail: "This can only be read."})
	}
	return false
}

func notFound(w http.ResponseWriter, why string) {
	problem.Write(w, problem.Problem{Status: http.StatusNotFound, Code: "segment-unknown", Detail: why})
}

func (h *Handler) playlist(w http.ResponseWriter, r *http.Request, f Feed, name string) {
	g := f.Segmenter()
	if g == nil || !h.ready(r, g) {
		w.Header().Set("Retry-After", "2")
		problem.Write(w, problem.Problem{
			Status: http.StatusServiceUnavailable, Code: "feed-not-ready",
			Detail: f.Waiting(), Remedy: "Ask again in a moment; a player does so by itself.",
		})
		return
	}
	if h.Watched != nil {
		h.Watched(r, g.Target())
	}
	text, ok := g.Media()
	if name == MultivariantName {
		text, ok = g.Multivariant()
	}
	if !ok {
		notFound(w, "The playlist has just gone; ask again.")
		return
	}
	header := w.Header()
	header.Set("Content-Type", playlistType)
	// Fresh for less than a segment, so that a cache in front never holds a
	// player back by one.
	header.Set("Cache-Control", scope(f)+", max-age="+strconv.Itoa(max(1, int(g.Target()/time.Second)/2)))
	header.Set("Vary", "Accept-Encoding")
	body := text.Plain
	if acceptsGzip(r) && r.Header.Get("Range") == "" {
		header.Set("Content-Encoding", "gzip")
		body = text.Packed
	}
	send(w, r, bytes.NewReader(body), int64(len(body)))
}

func (h *Handler) ready(r *http.Request, g *hls.Segmenter) bool {
	wait := h.Wait
	if wait == 0 {
		wait = maxStart
	}
	timer := time.NewTimer(wait)
	defer timer.Stop()
	select {
	case <-g.Ready():
		return true
	case <-timer.C:
	case <-r.Context().Done():
	}
	return false
}

func segment(w http.ResponseWriter, r *http.Request, f Feed, name string) {
	g := f.Segmenter()
	if g == nil {
		notFound(w, f.Waiting())
		return
	}
	body, ok := g.Find(name)
	if !ok {
		notFound(w, "There is no such segment, or no longer: the list says which there are.")
		return
	}
	reader, err := body.Open()
	if err != nil {
		problem.Write(w, problem.Problem{Status: http.StatusServiceUnavailable, Code: "segment-unreadable", Detail: err.Error(), Remedy: "Ask again; if it goes on, raise the service's limit of open files."})
		return
	}
	defer func() { _ = reader.Close() }()
	header := w.Header()
	header.Set("Content-Type", segmentType)
	header.Set("Cache-Control", fmt.Sprintf("%s, max-age=%d, immutable", scope(f), int(segmentAge.Seconds())))
	header.Set("Etag", strconv.Quote(name))
	if r.Header.Get("Range") != "" || r.Header.Get("If-None-Match") != "" {
		http.ServeContent(w, r, "", time.Time{}, reader)
		return
	}
	header.Set("Accept-Ranges", "bytes")
	send(w, r, reader, body.Size())
}

func scope(f Feed) string {
	if f.Public() {
		return "public"
	}
	return "private"
}

// acceptsGzip reads Accept-Encoding (RFC 9110, 12.5.3) as far as gzip goes.
func acceptsGzip(r *http.Request) bool {
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
