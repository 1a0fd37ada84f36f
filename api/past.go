package api

import (
	"context"
	"io"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/record"
	"webostrum/transcode"
)

const (
	pastLongest    = 6 * time.Hour // of a playlist
	pastWatched    = 30 * time.Second
	pastName       = "past"
	thumbnailWidth = 240
	thumbnailWait  = 5 * time.Second
	thumbnailTurns = 2
	mostThumbnails = 256
	pastSendWithin = 5 * time.Minute
)

// goesBack says whether whoever was let in may see what was recorded.
func (m admission) goesBack() bool { return m.reader() || m.feed.Recording().GoBack }

// servePast answers what is under /media/{feed}/past/: a playlist of a time, the files that it
// refers to, and stills.
func (a *API) servePast(w http.ResponseWriter, r *http.Request, name string, m admission, file string) {
	l, err := a.library()
	if err == nil && !m.goesBack() {
		err = fault.New(fault.RecordingOff, nil, "")
	}
	if err != nil {
		problem.Write(w, err)
		return
	}
	switch {
	case file == "list.m3u8":
		a.servePastList(w, r, name, m, l)
	case file == "still.jpg":
		a.servePastStill(w, r, name, l)
	case strings.HasSuffix(file, ".mp4"):
		a.servePastFile(w, r, name, m, l, strings.TrimSuffix(file, ".mp4"))
	default:
		problem.Write(w, fault.New(fault.DeliveryUnknown, nil, ""))
	}
}

func (a *API) servePastList(w http.ResponseWriter, r *http.Request, name string, m admission, l *record.Library) {
	from, to, err := spanOf(r)
	if err == nil && to.Sub(from) > pastLongest {
		err = refusedQuery("to", "a playlist is of 6 hours at most")
	}
	if err == nil {
		err = full(a.viewers.Saw(visitor(r, name, m), pastName, time.Now(), pastWatched))
	}
	if err != nil {
		problem.Write(w, err)
		return
	}
	text, ends, err := l.Playlist(name, from, to, func(id int64) string { return strconv.FormatInt(id, 10) + ".mp4" })
	if err != nil {
		problem.Write(w, err)
		return
	}
	h := w.Header()
	h.Set("Content-Type", "application/vnd.apple.mpegurl")
	h.Set("Cache-Control", "no-store")
	h.Set("Webostrum-Ends", ends.UTC().Format(time.RFC3339Nano))
	h.Add("Access-Control-Expose-Headers", "Webostrum-Ends")
	_, _ = io.WriteString(w, text)
}

func (a *API) servePastFile(w http.ResponseWriter, r *http.Request, name string, m admission, l *record.Library, number string) {
	id, err := strconv.ParseInt(number, 10, 64)
	if err != nil {
		problem.Write(w, fault.New(fault.DeliveryUnknown, nil, ""))
		return
	}
	f, size, err := l.Open(name, id)
	if err != nil {
		problem.Write(w, err)
		return
	}
	defer func() { _ = f.Close() }()
	who := visitor(r, name, m)
	if err := full(a.viewers.Saw(who, pastName, time.Now(), pastWatched)); err != nil {
		problem.Write(w, err)
		return
	}
	w.Header().Set("Content-Type", "video/mp4")
	w.Header().Set("Cache-Control", "private, max-age=60")
	counted := &countingWriter{ResponseWriter: w}
	a.sendFile(counted, r, sentFile{content: io.NewSectionReader(f, 0, size), within: pastSendWithin, until: m.until(), may: func() bool {
		return a.still(m, r) && m.goesBack()
	}})
	a.viewers.Sent(who, counted.sent)
}

// countingWriter counts what is sent.
type countingWriter struct {
	http.ResponseWriter
	sent int64
}

// Unwrap lets deadlines through to what is wrapped.
func (w *countingWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *countingWriter) Write(p []byte) (int, error) {
	n, err := w.ResponseWriter.Write(p)
	w.sent += int64(n)
	return n, err
}

// thumbnails keeps stills of recordings, and bounds how many are made at once.
type thumbnails struct {
	turns chan struct{}

	mu   sync.Mutex
	made map[string][]byte // guarded by mu
}

func (a *API) servePastStill(w http.ResponseWriter, r *http.Request, name string, l *record.Library) {
	at, err := time.Parse(time.RFC3339Nano, r.URL.Query().Get("at"))
	if err != nil {
		problem.Write(w, refusedQuery("at", "at is a time such as 2026-11-26T08:00:00Z"))
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), thumbnailWait)
	defer cancel()
	picture, err := a.thumbnail(ctx, l, name, at)
	if err != nil {
		problem.Write(w, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=3600")
	_, _ = w.Write(picture)
}

// thumbnail is a small picture of the keyframe that was shown at a time.
func (a *API) thumbnail(ctx context.Context, l *record.Library, name string, at time.Time) ([]byte, error) {
	frame, err := l.Keyframe(name, at)
	if err != nil {
		return nil, err
	}
	key := name + frame.Captured.Format(time.RFC3339Nano)
	t := &a.thumbnails
	t.mu.Lock()
	made := t.made[key]
	t.mu.Unlock()
	if made != nil {
		return made, nil
	}
	select {
	case t.turns <- struct{}{}:
		defer func() { <-t.turns }()
	case <-ctx.Done():
		return nil, fault.New(fault.FeedNotReady, ctx.Err(), "Many pictures are being made.")
	}
	picture, err := transcode.Still(ctx, a.cfg.Worker, frame, thumbnailWidth)
	if err != nil {
		return nil, fault.New(fault.TranscoderMissing, err, "%v", err)
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.made == nil || len(t.made) >= mostThumbnails {
		t.made = make(map[string][]byte)
	}
	t.made[key] = picture
	return picture, nil
}
