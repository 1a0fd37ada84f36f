package api

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/ingest/pipe"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

// takeStream answers POST /publish/{feed}/stream: the body is a stream that goes on for as long
// as somebody sends, with the feed's key or a pass as a bearer token.
func (a *API) takeStream(c *gin.Context) {
	w, r, feed := c.Writer, c.Request, c.Param("feed")
	control := http.NewResponseController(w)
	ctx, cancel := context.WithTimeout(r.Context(), openWithin)
	place, err := a.station.Admit(ctx, publishRequest(r, feed, push.HTTP))
	cancel()
	if err != nil {
		refusePublisher(w, err)
		return
	}
	defer place.Leave()
	_ = control.EnableFullDuplex() // an answer may come before the body's end
	from := pipe.From{Address: r.RemoteAddr, Agent: agentOf(r), Query: r.URL.Query()}
	err = place.Run(r.Context(), func(ctx context.Context, cfg source.Config) (uint64, error) {
		cfg.Settle()
		body := &idleBody{ctx: ctx, r: r.Body, control: control, quiet: cfg.StallAfter}
		stop := context.AfterFunc(ctx, body.end)
		defer stop()
		next, err := pipe.Play(body, from)(ctx, cfg)
		if cause := context.Cause(ctx); cause != nil && !errors.Is(cause, context.Canceled) {
			err = cause
		}
		return next, err
	})
	if fault.As(err).Kind.Code == fault.PublisherLeft {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	problem.Write(w, err) // whoever sends may know what is wrong with it
}

// idleBody is a body that may go on for ever, but not fall silent.
type idleBody struct {
	ctx     context.Context
	r       io.Reader
	control *http.ResponseController
	quiet   time.Duration
}

// Read implements io.Reader.
func (b *idleBody) Read(p []byte) (int, error) {
	_ = b.control.SetReadDeadline(time.Now().Add(b.quiet))
	if err := b.ctx.Err(); err != nil {
		return 0, err
	}
	n, err := b.r.Read(p)
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = fault.New(fault.PublisherStalled, err, "nothing for %v", b.quiet)
	}
	return n, err
}

// end ends the read that waits, if any.
func (b *idleBody) end() { _ = b.control.SetReadDeadline(time.Unix(1, 0)) }
