package sim

import (
	"cmp"
	"context"
	"crypto/rand"
	"fmt"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/core/httpauth"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/wait"
)

// The paths of a camera that speaks HTTP.
const (
	videoPath    = "/video"
	picturePath  = "/picture.jpg"
	settingsPath = "/settings" // ?size=640x360&rate=10&quality=80, until the next reboot
)

const (
	webTimeout      = 10 * time.Second
	streamOnceLasts = 3 * time.Second
	signInPage      = "<!doctype html><html><head><title>Camera</title></head><body><form>User <input name=user> Password <input name=password type=password></form></body></html>\n"
)

// web is a camera's own HTTP server. It is not a good one, as theirs are not:
// one connection for each answer, and a boundary that is quoted in the header
// with its dashes.
type web struct {
	camera    *Camera
	hub       *hub.Hub
	challenge httpauth.Challenge
	http      *http.Server
	ctx       context.Context
	cancel    context.CancelFunc

	answers atomic.Int64 // of single pictures

	mu    sync.Mutex
	conns map[net.Conn]struct{} // guarded by mu
}

func newWeb(c *Camera, h *hub.Hub, challenge httpauth.Challenge) *web {
	w := &web{camera: c, hub: h, challenge: challenge, conns: make(map[net.Conn]struct{})}
	w.challenge.Nonce = rand.Text()
	w.ctx, w.cancel = context.WithCancel(context.Background())
	mux := http.NewServeMux()
	mux.HandleFunc("GET "+videoPath, w.video)
	mux.HandleFunc("GET "+picturePath, w.picture)
	mux.HandleFunc(settingsPath, w.settings)
	w.http = &http.Server{Handler: w.signedIn(mux), ReadHeaderTimeout: webTimeout, ConnState: w.state}
	return w
}

// Serve implements server.
func (w *web) Serve(l net.Listener) error {
	if err := w.http.Serve(l); err != http.ErrServerClosed {
		return err
	}
	return nil
}

// DropAll implements server.
func (w *web) DropAll() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for c := range w.conns {
		_ = c.Close()
	}
}

// Close implements server.
func (w *web) Close() {
	w.cancel()
	_ = w.http.Close()
}

func (w *web) state(c net.Conn, s http.ConnState) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if s == http.StateClosed {
		delete(w.conns, c)
		return
	}
	w.conns[c] = struct{}{}
}

func (w *web) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		cfg := w.camera.cfg
		now := w.camera.Faults.current()
		if !wait.For(r.Context(), now.wait) {
			return
		}
		if cfg.User != "" && (now.refuse || !w.challenge.Check(r.Header.Get("Authorization"), r.Method, cfg.User, cfg.Password)) {
			rw.Header().Set("WWW-Authenticate", w.challenge.Header())
			if now.hangUp {
				rw.Header().Set("Connection", "close")
			}
			http.Error(rw, "sign in", http.StatusUnauthorized)
			return
		}
		if now.page && r.URL.Path != settingsPath {
			rw.Header().Set("Content-Type", "text/html")
			_, _ = rw.Write([]byte(signInPage))
			return
		}
		rw.Header().Set("Server", "mountain-cam/1.4")
		next.ServeHTTP(rw, r)
	})
}

func (w *web) video(rw http.ResponseWriter, r *http.Request) {
	now := w.camera.Faults.current()
	if now.oneStream && now.streamDone {
		w.picture(rw, r)
		return
	}
	ctx, cancel := context.WithCancel(r.Context())
	defer cancel()
	defer context.AfterFunc(w.ctx, cancel)()
	if now.oneStream {
		defer w.camera.Faults.endStream()
		defer time.AfterFunc(streamOnceLasts, cancel).Stop()
	}
	rw.Header().Set("Content-Type", `multipart/x-mixed-replace; boundary="--picture"`)
	rw.Header().Set("Connection", "close")
	reader := w.hub.NewReader()
	defer reader.Close()
	control := http.NewResponseController(rw)
	for {
		s, _, err := reader.Newest(ctx)
		if err != nil {
			return
		}
		data := w.camera.Faults.picture(s.Data)
		if data == nil {
			continue
		}
		_ = control.SetWriteDeadline(time.Now().Add(webTimeout))
		length := len(s.Data) // of the whole picture, even when a part is missing
		if now.endless {
			length = len(data)
		}
		_, err = fmt.Fprintf(rw, "--picture\r\nContent-Type: image/jpeg\r\nContent-Length: %d\r\nX-Timestamp: %d.%06d\r\n\r\n%s\r\n",
			length, s.Captured.Unix(), s.Captured.Nanosecond()/1000, data)
		if err != nil || control.Flush() != nil {
			return
		}
	}
}

func (w *web) picture(rw http.ResponseWriter, r *http.Request) {
	s := w.newest(r.Context())
	if s == nil {
		http.Error(rw, "starting", http.StatusServiceUnavailable)
		return
	}
	now := w.camera.Faults.current()
	if now.status != 0 && w.answers.Add(1)%3 == 0 {
		http.Error(rw, "not now", now.status)
		return
	}
	data := w.camera.Faults.picture(s.Data)
	if data == nil {
		<-r.Context().Done()
		return
	}
	tag := strconv.Quote(strconv.FormatInt(s.Captured.UnixMilli(), 36))
	rw.Header().Set("Etag", tag)
	rw.Header().Set("Last-Modified", s.Captured.UTC().Format(http.TimeFormat))
	if r.Header.Get("If-None-Match") == tag {
		rw.WriteHeader(http.StatusNotModified)
		return
	}
	rw.Header().Set("Content-Type", cmp.Or(now.typeName, "image/jpeg"))
	rw.Header().Set("Content-Length", strconv.Itoa(len(data)))
	_, _ = rw.Write(data)
}

// newest waits for the first picture of this life.
func (w *web) newest(ctx context.Context) *media.Sample {
	if s := w.hub.Latest(); s != nil {
		return s
	}
	ctx, cancel := context.WithTimeout(ctx, webTimeout)
	defer cancel()
	reader := w.hub.NewReader()
	defer reader.Close()
	s, _, err := reader.Newest(ctx)
	if err != nil {
		return nil
	}
	return s
}

// settings changes the pictures until the next reboot.
func (w *web) settings(rw http.ResponseWriter, r *http.Request) {
	s := w.camera.Settings()
	err := r.ParseForm()
	if size := r.Form.Get("size"); err == nil && size != "" {
		a, b, _ := strings.Cut(size, "x")
		if s.Width, err = strconv.Atoi(a); err == nil {
			s.Height, err = strconv.Atoi(b)
		}
	}
	if rate := r.Form.Get("rate"); err == nil && rate != "" {
		s.FrameRate, err = strconv.ParseFloat(rate, 64)
	}
	if quality := r.Form.Get("quality"); err == nil && quality != "" {
		s.Quality, err = strconv.Atoi(quality)
	}
	if err == nil && (s.FrameRate < 0.01 || s.FrameRate > 60) {
		err = fmt.Errorf("rate %g", s.FrameRate)
	}
	if err == nil {
		err = w.camera.Set(s)
	}
	if err != nil {
		http.Error(rw, "bad setting: "+err.Error(), http.StatusBadRequest)
		return
	}
	_, _ = fmt.Fprintf(rw, "size=%dx%d\nrate=%g\nquality=%d\n", s.Width, s.Height, s.FrameRate, s.Quality)
}
