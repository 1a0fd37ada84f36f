// Package still takes in cameras that have a single picture at a URL: it is asked
// for again and again. Entity tags and dates of last change are sent back (RFC
// 9110, section 13), so that a picture that has not changed need not come again.
//
// Limits: those of core/jpeg, one connection and one goroutine a camera.
package still

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"time"

	"webostrum/core/fault"
	"webostrum/core/jpeg"
	"webostrum/ingest/camhttp"
	"webostrum/ingest/dial"
	"webostrum/ingest/picture"
	"webostrum/ingest/source"
)

const (
	// A few pictures that do not come are no reason to call the camera lost: small ones
	// are busy now and then, and answer 404 or 503 while they write the next.
	mostMissed = 4

	// A camera that sends another size has perhaps forgotten its settings; it is
	// told them again no more often than this.
	remindEvery = 10 * time.Second

	// So many answers in a row that are as long as they say, and lack the end marker,
	// come of a camera that never sends one. Before that they are taken for cut short.
	endlessHabit = 3

	mostBody = 20 << 20
)

// errNoEnd is of an answer that is as long as it says, and has no end marker. To the
// user it is one that was broken off.
var errNoEnd = fmt.Errorf("%w: the picture has no end marker", io.ErrUnexpectedEOF)

// Play asks for the picture and publishes it whenever it is another, until ctx
// ends or the camera fails. The error is a *fault.Error unless it is the
// context's. next is the number for the first epoch of the session that comes
// after.
func Play(ctx context.Context, cfg source.Config) (next uint64, err error) {
	u, err := cfg.Validate("http", "https")
	if err != nil {
		return cfg.FirstEpoch, err
	}
	cam := camhttp.New(camhttp.Config{
		URL: u, User: cfg.User, Password: cfg.Password, DigestOnly: cfg.DigestOnly, Fingerprint: cfg.Fingerprint, AnswerTimeout: cfg.AnswerTimeout,
	})
	defer cam.Close()
	p := &poller{cfg: cfg, cam: cam, out: picture.New(cfg, string(source.FetchPoll))}
	err = p.loop(ctx)
	return p.out.NextEpoch(), err
}

type poller struct {
	cfg      source.Config
	cam      *camhttp.Camera
	out      *picture.Publisher
	tag      string // of the picture before
	changed  string // its Last-Modified
	sum      [sha256.Size]byte
	endless  int  // answers in a row without an end marker
	forgot   bool // its settings, perhaps
	reminded time.Time
}

func (p *poller) loop(ctx context.Context) error {
	p.forgot = true
	ticker := time.NewTicker(p.cfg.Poll)
	defer ticker.Stop()
	missed := 0
	for {
		p.remind(ctx)
		err := p.ask(ctx)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err == nil:
			missed = 0
		case errors.Is(err, errNoEnd) && p.endless < endlessHabit:
			p.out.Count(func(f *source.Facts) { f.Stats.Dropped++ })
		case !p.out.Began() || !passing(err) || missed == mostMissed:
			return err
		default:
			missed++
			p.forgot = true // it may have started anew
			p.out.Count(func(f *source.Facts) { f.Stats.Dropped++ })
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-ticker.C:
		}
	}
}

// passing says whether the next picture may well come after all.
func passing(err error) bool {
	k := fault.As(err).Kind
	return k.Class == fault.ClassUnreachable || slices.Contains([]fault.Code{fault.PathUnknown, fault.Busy, fault.Empty}, k.Code)
}

func (p *poller) remind(ctx context.Context) {
	if now := time.Now(); p.forgot && now.Sub(p.reminded) >= remindEvery {
		p.forgot, p.reminded = false, now
		p.cfg.Connecting(ctx)
	}
}

// ask asks for the picture once.
func (p *poller) ask(ctx context.Context) error {
	whole, cancel := context.WithTimeoutCause(ctx, 2*p.cfg.AnswerTimeout, fault.New(fault.SlowAnswer, nil, "the picture did not come to its end"))
	defer cancel()
	header := http.Header{}
	if p.tag != "" {
		header.Set("If-None-Match", p.tag)
	} else if p.changed != "" {
		header.Set("If-Modified-Since", p.changed)
	}
	resp, err := p.cam.Get(whole, header)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	if resp.StatusCode == http.StatusNotModified {
		p.unchanged()
		return nil
	}
	data, err := p.read(whole, resp)
	if err != nil {
		return err
	}
	p.tag, p.changed = resp.Header.Get("Etag"), resp.Header.Get("Last-Modified")
	return p.take(data, resp.Header)
}

// read reads the answer's picture, whatever stands around it.
func (p *poller) read(ctx context.Context, resp *http.Response) ([]byte, error) {
	if err := picture.Kind(resp.Header.Get("Content-Type"), resp.Body); err != nil {
		return nil, err
	}
	if resp.ContentLength == 0 {
		return nil, picture.Empty()
	}
	body := &counted{r: io.LimitReader(resp.Body, mostBody)}
	scanner := jpeg.NewScanner(body)
	data, _, err := scanner.Next()
	if errors.Is(err, io.ErrUnexpectedEOF) && body.n == resp.ContentLength {
		p.endless++
		if rest := scanner.Rest(); rest != nil && p.endless >= endlessHabit {
			return rest, nil
		}
		err = errNoEnd
	}
	switch {
	case err == nil:
		p.endless = 0
		_, _ = io.Copy(io.Discard, io.LimitReader(resp.Body, 1<<10)) // so that the connection can be used again
		return data, nil
	case ctx.Err() != nil:
		return nil, context.Cause(ctx)
	case errors.Is(err, jpeg.ErrNoPicture), errors.Is(err, io.EOF):
		return nil, picture.None(err)
	}
	return nil, dial.BrokenOff(err, "sending the picture")
}

// counted counts what is read.
type counted struct {
	r io.Reader
	n int64
}

func (c *counted) Read(b []byte) (int, error) {
	n, err := c.r.Read(b)
	c.n += int64(n)
	return n, err
}

func (p *poller) take(data []byte, header http.Header) error {
	p.out.Count(func(f *source.Facts) { f.Server = p.cam.Server() })
	sum := sha256.Sum256(data)
	if p.out.Began() && sum == p.sum {
		p.unchanged()
		return nil
	}
	p.sum = sum
	resized, err := p.out.Take(data, time.Now().Add(-age(header)), stamp(header))
	p.forgot = p.forgot || resized
	return err
}

func (p *poller) unchanged() { p.out.Count(func(f *source.Facts) { f.Stats.Unchanged++ }) }

func stamp(header http.Header) time.Time {
	for name, values := range header {
		if at := picture.Stamp([]byte(name + ": " + values[0])); !at.IsZero() {
			return at
		}
	}
	return time.Time{}
}

// age is how old the picture was when the camera answered, by the camera's own
// clock, to a second.
func age(header http.Header) time.Duration {
	const most = 24 * time.Hour
	date, err1 := http.ParseTime(header.Get("Date"))
	changed, err2 := http.ParseTime(header.Get("Last-Modified"))
	if d := date.Sub(changed); err1 == nil && err2 == nil && d > 0 && d <= most {
		return d
	}
	return 0
}
