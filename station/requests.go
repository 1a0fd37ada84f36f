package station

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/ingest/camhttp"
	"webostrum/ingest/source"
	"webostrum/store"
)

const (
	requestTimeout = 5 * time.Second
	shownText      = 200 // bytes of an answer in an event
)

// RunRequest sends one of a feed's camera requests, and records the answer.
func (st *Station) RunRequest(ctx context.Context, feed, request string) (*camhttp.Answer, error) {
	f, err := st.Get(feed)
	if err != nil {
		return nil, err
	}
	record := f.stored()
	for _, q := range record.Requests {
		if q.Name == request {
			answer, err := send(ctx, record, q)
			f.answered(q, answer, err)
			return answer, err
		}
	}
	return nil, store.ErrNotFound
}

// connecting sends the requests that are to go before each connection: a small
// camera forgets its settings when it starts anew.
func (r *run) connecting(ctx context.Context) {
	record := r.feed.stored()
	for _, q := range record.Requests {
		if !q.AtConnection || ctx.Err() != nil {
			continue
		}
		answer, err := send(ctx, record, q)
		if ctx.Err() != nil {
			return
		}
		outcome := fault.Code("")
		if err != nil {
			outcome = fault.As(err).Kind.Code
		}
		// A camera that is away is tried again and again; that is said once.
		if before, tried := r.asked[q.Name]; err == nil || !tried || before != outcome {
			r.feed.answered(q, answer, err)
		}
		r.asked[q.Name] = outcome
	}
}

// send sends a request with the feed's credentials.
func send(ctx context.Context, record store.Feed, q store.CameraRequest) (*camhttp.Answer, error) {
	u, _, _, err := source.ParseURL(record.URL)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeoutCause(ctx, requestTimeout, fault.New(fault.NoAnswer, nil, "no whole answer in %v", requestTimeout))
	defer cancel()
	cam := camhttp.New(camhttp.Config{
		URL: u, User: record.User, Password: record.Password, DigestOnly: record.DigestOnly, Fingerprint: record.Fingerprint, AnswerTimeout: requestTimeout,
	})
	defer cam.Close()
	return cam.Send(ctx, q.Method, q.Target, q.Body)
}

// answered records what came back. Parameters stay out of it: cameras take
// passwords there.
func (f *Feed) answered(q store.CameraRequest, a *camhttp.Answer, err error) {
	path, _, _ := strings.Cut(q.Target, "?")
	what := fmt.Sprintf("camera request %q (%s %s): ", q.Name, q.Method, path)
	var flt *fault.Error
	switch {
	case err == nil:
		text := fmt.Sprintf("answered %d in %d ms", a.Status, a.Took.Milliseconds())
		if a.Text != "" {
			text += ": " + clip(a.Text)
		}
		f.note(EventRequest, what+text)
	case errors.As(err, &flt):
		f.warn(flt.Kind.Code, what+flt.Error())
	default:
		f.warn("", what+err.Error())
	}
}

// clip keeps the beginning of an answer, on one line.
func clip(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if len(text) <= shownText {
		return text
	}
	return strings.ToValidUTF8(text[:shownText], "") + " …"
}
