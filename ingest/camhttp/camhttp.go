// Package camhttp asks cameras over HTTP (RFC 9110): it signs in with Basic or
// Digest when they want it, follows where they point to on their own host, and says in the
// product's faults what goes wrong. The camera's credentials go to its own host
// alone.
//
// Limits: 8 answers until the one that is wanted, 64 KiB of headers, 4 KiB of an
// answer's text.
package camhttp

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/ingest/dial"
)

const (
	userAgent   = "Webostrum"
	mostAnswers = 8
	mostHeader  = 64 << 10
	mostText    = 4 << 10
)

// Config says which camera is asked.
type Config struct {
	URL           *url.URL
	User          string
	Password      string
	DigestOnly    bool          // Basic challenges are not answered
	Fingerprint   string        // SHA-256 of the certificate to trust, for https
	AnswerTimeout time.Duration // for each answer's header; must be set
}

// Camera is one camera. It is not safe for concurrent use. Close it.
type Camera struct {
	cfg       Config
	transport *http.Transport
	client    http.Client
	auth      httpauth.Client
	server    string
}

// New makes a camera; nothing is connected yet.
func New(cfg Config) *Camera {
	t := &http.Transport{
		DialContext: func(ctx context.Context, _, address string) (net.Conn, error) {
			return dial.TCP(ctx, address, cfg.AnswerTimeout)
		},
		DialTLSContext: func(ctx context.Context, _, address string) (net.Conn, error) {
			ctx, cancel := context.WithTimeout(ctx, cfg.AnswerTimeout)
			defer cancel()
			conn, err := dial.TCP(ctx, address, cfg.AnswerTimeout)
			if err != nil {
				return nil, err
			}
			host, _, _ := net.SplitHostPort(address)
			return dial.Secure(ctx, conn, host, cfg.Fingerprint)
		},
		ResponseHeaderTimeout: cfg.AnswerTimeout, MaxResponseHeaderBytes: mostHeader,
		DisableCompression: true, MaxIdleConnsPerHost: 1, IdleConnTimeout: time.Minute,
	}
	return &Camera{
		cfg: cfg, transport: t, auth: httpauth.Client{User: cfg.User, Password: cfg.Password, DigestOnly: cfg.DigestOnly},
		client: http.Client{Transport: t, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }},
	}
}

// Close closes idle connections.
func (c *Camera) Close() { c.transport.CloseIdleConnections() }

// Server is what the camera calls itself.
func (c *Camera) Server() string { return c.server }

// Get asks for the camera's URL; the answer is 200 or, with conditions in the
// header, 304. The caller closes its body. Errors are *fault.Error or the
// context's.
func (c *Camera) Get(ctx context.Context, header http.Header) (*http.Response, error) {
	resp, err := c.ask(ctx, http.MethodGet, c.cfg.URL, header, "")
	if err != nil {
		return nil, err
	}
	if resp.StatusCode == http.StatusOK || resp.StatusCode == http.StatusNotModified {
		return resp, nil
	}
	_ = resp.Body.Close()
	return nil, statusFault(resp)
}

// Answer is what came back to a request.
type Answer struct {
	Status int
	Text   string // the beginning of the body
	Took   time.Duration
}

// Send makes any request of the camera's own host; target is a path, or a URL of
// that host.
func (c *Camera) Send(ctx context.Context, method, target, body string) (*Answer, error) {
	u, err := Resolve(c.cfg.URL, target)
	if err != nil {
		return nil, err
	}
	header := http.Header{}
	if body != "" {
		header.Set("Content-Type", kindOf(body))
	}
	begun := time.Now()
	resp, err := c.ask(ctx, method, u, header, body)
	if err != nil {
		return nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	text, _ := io.ReadAll(io.LimitReader(resp.Body, mostText)) // as much as comes is shown
	return &Answer{Status: resp.StatusCode, Text: strings.ToValidUTF8(strings.TrimSpace(string(text)), "."), Took: time.Since(begun)}, nil
}

// Call sends a body to an address of the camera's own host and returns status and body of
// the answer, of which there may be most bytes, whatever the status is.
func (c *Camera) Call(ctx context.Context, u *url.URL, header http.Header, body string, most int64) (status int, data []byte, err error) {
	if !c.own(u) {
		return 0, nil, ErrElsewhere
	}
	late := fault.New(fault.SlowAnswer, nil, "its answer did not come to an end")
	ctx, cancel := context.WithTimeoutCause(ctx, 2*c.cfg.AnswerTimeout, late) // the head, then the rest
	defer cancel()
	resp, err := c.ask(ctx, http.MethodPost, u, header, body)
	if err != nil {
		return 0, nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	if data, err = io.ReadAll(io.LimitReader(resp.Body, most+1)); err != nil {
		return 0, nil, explain(ctx, err)
	}
	if int64(len(data)) > most {
		return 0, nil, fault.New(fault.Refused, nil, "its answer is longer than it may be")
	}
	return resp.StatusCode, data, nil
}

// kindOf tells the kinds of body apart that cameras take.
func kindOf(body string) string {
	switch t := strings.TrimSpace(body); {
	case strings.HasPrefix(t, "{"), strings.HasPrefix(t, "["):
		return "application/json"
	case strings.HasPrefix(t, "<"):
		return "application/xml"
	}
	return "application/x-www-form-urlencoded"
}

// ErrElsewhere is returned for requests that are not for the camera's own host.
var ErrElsewhere = errors.New("a camera request goes to the camera's own host alone: give a path such as /settings?size=vga")

// Resolve makes a URL of a path, or checks that a URL is one of the camera's host.
// An RTSP camera is asked over HTTP at its usual port.
func Resolve(camera *url.URL, target string) (*url.URL, error) {
	base := *camera
	if base.Scheme == "rtsp" || base.Scheme == "rtsps" {
		base = url.URL{Scheme: "http", Host: base.Hostname()}
		if strings.Contains(base.Host, ":") {
			base.Host = "[" + base.Host + "]"
		}
	}
	ref, err := url.Parse(target)
	if err != nil || !strings.HasPrefix(target, "/") && ref.Host == "" {
		return nil, ErrElsewhere
	}
	u := base.ResolveReference(ref)
	if !strings.EqualFold(u.Hostname(), camera.Hostname()) || u.Scheme != "http" && u.Scheme != "https" || u.User != nil {
		return nil, ErrElsewhere
	}
	return u, nil
}

// ask sends a request until an answer is neither a challenge nor a redirection.
func (c *Camera) ask(ctx context.Context, method string, u *url.URL, header http.Header, body string) (*http.Response, error) {
	for range mostAnswers {
		resp, err := c.once(ctx, method, u, header, body)
		if err != nil {
			return nil, err
		}
		if server := resp.Header.Get("Server"); server != "" {
			c.server = server
		}
		switch location := resp.Header.Get("Location"); {
		case resp.StatusCode == http.StatusUnauthorized:
			err = c.challenged(u, resp.Header.Values("Www-Authenticate"))
		case resp.StatusCode >= 300 && resp.StatusCode < 400 && location != "":
			u, err = c.next(u, location)
			if resp.StatusCode == http.StatusSeeOther {
				method, body = http.MethodGet, ""
			}
		default:
			return resp, nil
		}
		_ = resp.Body.Close()
		if err != nil {
			return nil, err
		}
	}
	return nil, fault.New(fault.Refused, nil, "it pointed elsewhere, or asked for a sign-in, %d times", mostAnswers)
}

// next is where a camera points to: on its own host, since neither credentials nor
// requests are for others that somebody may have named in its place.
func (c *Camera) next(u *url.URL, location string) (*url.URL, error) {
	to, err := u.Parse(location)
	switch {
	case err != nil || to.Hostname() == "" || to.Scheme != "http" && to.Scheme != "https":
		return nil, fault.New(fault.Refused, nil, "it points to an address that is none")
	case !c.own(to):
		return nil, fault.New(fault.Elsewhere, nil, "to %s", to.Host)
	}
	to.User = nil
	return to, nil
}

func (c *Camera) own(u *url.URL) bool { return strings.EqualFold(u.Hostname(), c.cfg.URL.Hostname()) }

func (c *Camera) once(ctx context.Context, method string, u *url.URL, header http.Header, body string) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, u.String(), strings.NewReader(body))
	if err != nil {
		return nil, fault.New(fault.Refused, nil, "%s is no request that can be made", method)
	}
	for name, values := range header {
		req.Header[name] = values
	}
	req.Header.Set("User-Agent", userAgent)
	if a := c.auth.Authorization(method, u.RequestURI(), rand.Text()[:16]); a != "" {
		req.Header.Set("Authorization", a)
	}
	resp, err := c.client.Do(req)
	if err != nil {
		return nil, explain(ctx, err)
	}
	return resp, nil
}

func (c *Camera) challenged(u *url.URL, offers []string) error {
	if c.cfg.User == "" {
		return fault.New(fault.SignInMissing, nil, "%s asks for it", u.Host)
	}
	again, err := c.auth.Challenged(offers)
	switch {
	case errors.Is(err, httpauth.ErrBasicOnly):
		return fault.New(fault.BasicRefused, err, "")
	case err != nil:
		return fault.New(fault.Refused, err, "%v", err)
	case !again:
		return fault.New(fault.SignInRefused, nil, "signed in as %s", c.cfg.User)
	}
	return nil
}

// explain turns an error of the client into a fault. The client's own words hold
// the URL, whose parameters may be secret.
func explain(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	var f *fault.Error
	if errors.As(err, &f) {
		return f
	}
	var wrapped *url.Error
	if errors.As(err, &wrapped) {
		err = wrapped.Err
	}
	var timeout net.Error
	switch {
	case errors.As(err, &timeout) && timeout.Timeout():
		return fault.New(fault.SlowAnswer, err, "the connection stands, but no answer came")
	case strings.Contains(err.Error(), "malformed HTTP"): // net/http has no type for it
		return fault.New(fault.NotHTTP, err, "it answered with something else")
	case errors.Is(err, io.EOF):
		return fault.New(fault.HungUp, err, "it gave no answer")
	}
	return dial.BrokenOff(err, "asking")
}

// statusFault turns a status that is no success into a fault (RFC 9110, 15).
func statusFault(resp *http.Response) error {
	said := fmt.Sprintf("it answered %d %s", resp.StatusCode, http.StatusText(resp.StatusCode))
	switch resp.StatusCode {
	case http.StatusForbidden:
		return fault.New(fault.SignInRefused, nil, "%s", said)
	case http.StatusNotFound, http.StatusGone:
		return fault.New(fault.PathUnknown, nil, "%s for %s", said, resp.Request.URL.Path)
	case http.StatusServiceUnavailable, http.StatusTooManyRequests:
		return fault.New(fault.Busy, nil, "%s", said)
	}
	return fault.New(fault.Refused, nil, "%s", said)
}
