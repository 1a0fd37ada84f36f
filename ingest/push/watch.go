package push

import (
	"context"
	"errors"
	"io"
	"net"
	"os"
	"sync/atomic"
	"time"

	"webostrum/core/fault"
	"webostrum/ingest/source"
)

// Watched is a connection whose session ends when it falls silent, when no picture comes any
// more, or when its context ends. Its owner calls Picture at each picture.
type Watched struct {
	net.Conn
	quiet    time.Duration // for each read
	pictures time.Duration // from one picture to the next
	timer    *time.Timer
	stop     func() bool
	end      context.CancelCauseFunc
	ctx      context.Context
	any      atomic.Bool // a picture has come
}

// keyframePatience is how long a publisher may send before its first picture.
const keyframePatience = 30 * time.Second

// Watch begins watching. End it.
func Watch(ctx context.Context, conn net.Conn, cfg source.Config) *Watched {
	const spare = 3 // a publisher may pause its picture, and send audio alone
	w := &Watched{Conn: conn, quiet: cfg.StallAfter, pictures: spare * cfg.StallAfter}
	w.ctx, w.end = context.WithCancelCause(ctx)
	w.timer = time.AfterFunc(keyframePatience, w.late)
	w.stop = context.AfterFunc(w.ctx, func() { _ = conn.SetReadDeadline(time.Unix(1, 0)); _ = conn.Close() })
	return w
}

// late ends the session for want of pictures.
func (w *Watched) late() {
	if w.any.Load() {
		w.end(fault.New(fault.PublisherStalled, nil, "no picture for %v", w.pictures))
		return
	}
	w.end(fault.New(fault.PublisherKeyframe, nil, "none in %v", keyframePatience))
}

// Picture notes that a picture has come.
func (w *Watched) Picture() {
	w.any.Store(true)
	w.timer.Reset(w.pictures)
}

// Read implements io.Reader.
func (w *Watched) Read(b []byte) (int, error) {
	_ = w.SetReadDeadline(time.Now().Add(w.quiet))
	return w.Conn.Read(b)
}

// End ends watching, and says why the session ended; err is what reading ended with.
func (w *Watched) End(err error) error {
	w.timer.Stop()
	w.stop()
	cause := context.Cause(w.ctx)
	w.end(nil)
	var known *fault.Error
	switch {
	case cause != nil:
		return cause
	case errors.As(err, &known):
		return known
	case errors.Is(err, os.ErrDeadlineExceeded):
		return fault.New(fault.PublisherStalled, err, "nothing for %v", w.quiet)
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, net.ErrClosed):
		return fault.New(fault.PublisherLeft, err, "")
	}
	return fault.New(fault.PublisherLeft, err, "%v", err)
}
