// Package mjpeg takes in cameras that send Motion JPEG over HTTP: one answer that
// never ends, of JPEG pictures one after the other. By name that is
// multipart/x-mixed-replace; what cameras really send has boundaries that do not
// fit, lengths that lie and ends of line of all kinds, so pictures are found by
// their own markers and the headers between them are read for a time stamp alone.
//
// Limits: those of core/jpeg, one connection and one goroutine a camera.
package mjpeg

import (
	"context"
	"errors"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/jpeg"
	"webostrum/ingest/camhttp"
	"webostrum/ingest/dial"
	"webostrum/ingest/picture"
	"webostrum/ingest/source"
)

// ErrSinglePicture is returned, where the way to fetch is left to us, when the
// camera answers with one picture instead of a stream.
var ErrSinglePicture = errors.New("mjpeg: the answer is one picture")

// ErrTransportStream is returned when the camera answers with an MPEG transport stream.
var ErrTransportStream = errors.New("mjpeg: the answer is a transport stream")

const (
	// A stream may be slow; nothing is known of its pace before a few pictures.
	unknownPace = 15 * time.Second
	longestGap  = 2 * time.Minute
	knownAfter  = 3 // pictures

	// Many cameras end the answer every few minutes. One that has lasted so long
	// is asked again at once, and the stream goes on.
	lasted = 2 * time.Second
)

// Play opens the camera and publishes its pictures until ctx ends or the camera
// fails. The error is a *fault.Error unless it is the context's,
// ErrSinglePicture or ErrTransportStream. next is the number for the first epoch of the session that
// comes after.
func Play(ctx context.Context, cfg source.Config) (next uint64, err error) {
	u, err := cfg.Validate("http", "https")
	if err != nil {
		return cfg.FirstEpoch, err
	}
	cam := camhttp.New(camhttp.Config{
		URL: u, User: cfg.User, Password: cfg.Password, DigestOnly: cfg.DigestOnly, Fingerprint: cfg.Fingerprint, AnswerTimeout: cfg.AnswerTimeout,
	})
	defer cam.Close()
	s := &stream{cfg: cfg, cam: cam, out: picture.New(cfg, string(source.FetchStream))}
	for {
		again, err := s.connection(ctx)
		if !again {
			return s.out.NextEpoch(), err
		}
		s.out.Count(func(f *source.Facts) { f.Stats.Reopened++ })
	}
}

// stream is one camera's pictures, over one connection after the other.
type stream struct {
	cfg source.Config
	cam *camhttp.Camera
	out *picture.Publisher
	cut uint64 // counted already, of the present connection

	pictures int
	gap      time.Duration // the longest between two pictures
}

// connection plays until the answer ends. again says that this was only the
// camera's habit.
func (s *stream) connection(ctx context.Context) (again bool, err error) {
	s.cfg.Connecting(ctx)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	resp, err := s.cam.Get(ctx, nil)
	if err != nil {
		return false, err
	}
	defer func() { _ = resp.Body.Close() }()
	if err := s.kind(resp); err != nil {
		return false, err
	}
	s.out.Count(func(f *source.Facts) { f.Server = s.cam.Server() })
	begun, before := time.Now(), s.pictures
	body := &watched{r: resp.Body}
	err = s.read(ctx, cancel, body)
	if cause := context.Cause(ctx); cause != nil {
		return false, cause
	}
	ended := errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)
	switch came := s.pictures - before; {
	case ended && came > 0 && time.Since(begun) >= lasted:
		return true, nil
	case ended && came == 1 && s.pictures == 1 && s.cfg.Fetch == source.FetchAuto:
		return false, ErrSinglePicture // without a length, but one picture all the same
	case ended && came == 0 && !body.any:
		return false, picture.Empty()
	}
	return false, readFault(err)
}

// kind looks at what the answer says that it is.
func (s *stream) kind(resp *http.Response) error {
	contentType := resp.Header.Get("Content-Type")
	kind, _, _ := mime.ParseMediaType(contentType)
	switch err := picture.Kind(contentType, resp.Body); {
	case strings.EqualFold(kind, "video/mp2t"):
		return ErrTransportStream
	case err != nil:
		return err
	case s.cfg.Fetch != source.FetchAuto:
		return nil
	case strings.HasPrefix(kind, "image/"):
		return ErrSinglePicture
	case resp.ContentLength > 0 && !strings.HasPrefix(kind, "multipart/"):
		return ErrSinglePicture // whatever it is called: a stream has no length
	}
	return nil
}

// read takes pictures until the answer ends or the camera falls silent.
func (s *stream) read(ctx context.Context, cancel context.CancelCauseFunc, body *watched) error {
	watchdog := time.AfterFunc(s.patience(), func() { cancel(s.silence()) })
	defer watchdog.Stop()
	body.seen = func() { watchdog.Reset(s.patience()) }
	scanner := jpeg.NewScanner(body)
	s.cut = 0
	var last time.Time
	for ctx.Err() == nil {
		data, between, err := scanner.Next()
		s.count(scanner.Cut())
		if err != nil {
			return err
		}
		now := time.Now()
		if !last.IsZero() {
			s.gap = max(s.gap, now.Sub(last))
		}
		last = now
		if _, err := s.out.Take(data, now, picture.Stamp(between)); err != nil {
			return err
		}
		s.pictures++
		watchdog.Reset(s.patience())
	}
	return ctx.Err()
}

func (s *stream) count(cut uint64) {
	if n := cut - s.cut; n > 0 {
		s.cut = cut
		s.out.Count(func(f *source.Facts) { f.Stats.Dropped += n })
	}
}

// patience is how long nothing may come.
func (s *stream) patience() time.Duration {
	switch {
	case s.pictures == 0:
		return max(unknownPace, s.cfg.FirstTimeout)
	case s.pictures < knownAfter:
		return max(unknownPace, s.cfg.StallAfter)
	}
	return max(s.cfg.StallAfter, min(4*s.gap, longestGap))
}

func (s *stream) silence() error {
	if !s.out.Began() {
		return fault.New(fault.Silent, nil, "nothing in %v", s.patience())
	}
	return fault.New(fault.Stalled, nil, "nothing for %v", s.patience())
}

func readFault(err error) error {
	var f *fault.Error
	switch {
	case errors.As(err, &f):
		return f
	case errors.Is(err, jpeg.ErrNoPicture):
		return picture.None(err)
	}
	return dial.BrokenOff(err, "sending pictures")
}

// watched tells when something comes.
type watched struct {
	r    io.Reader
	seen func()
	any  bool
}

func (w *watched) Read(p []byte) (int, error) {
	n, err := w.r.Read(p)
	if n > 0 {
		w.any = true
		w.seen()
	}
	return n, err
}
