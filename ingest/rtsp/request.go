package rtsp

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/core/rtspmsg"
	"webostrum/ingest/dial"
	"webostrum/ingest/source"
)

const userAgent = "Webostrum"

// control is the RTSP connection: requests out, answers in.
type control struct {
	conn     net.Conn
	reader   *rtspmsg.Reader
	timeout  time.Duration
	auth     *httpauth.Client // kept over connections: some cameras close theirs with the challenge
	hasUser  bool
	answered bool // an RTSP message came

	challengedOnce bool // over this connection
	server         string

	mu      sync.Mutex
	cseq    int    // guarded by mu
	session string // guarded by mu
}

// send writes a request.
func (c *control) send(method, uri string, header rtspmsg.Header) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.cseq++
	m := &rtspmsg.Message{Method: method, URL: uri, Header: rtspmsg.Header{}}
	for name, values := range header {
		m.Header[name] = values
	}
	m.Header.Set("CSeq", strconv.Itoa(c.cseq))
	m.Header.Set("User-Agent", userAgent)
	if c.session != "" {
		m.Header.Set("Session", c.session)
	}
	if a := c.auth.Authorization(method, uri, rand.Text()[:16]); a != "" {
		m.Header.Set("Authorization", a)
	}
	return c.writeLocked(m.Append(nil))
}

func (c *control) writeLocked(b []byte) error {
	_ = c.conn.SetWriteDeadline(time.Now().Add(c.timeout))
	_, err := c.conn.Write(b)
	return err
}

// frame writes interleaved data.
func (c *control) frame(channel int, data []byte) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	b := []byte{rtspmsg.Magic, byte(channel), byte(len(data) >> 8), byte(len(data))}
	return c.writeLocked(append(b, data...))
}

// ask sends a request and waits for its answer; it signs in when the camera
// asks for it. Interleaved data that comes in between is left out.
func (c *control) ask(ctx context.Context, method, uri string, header rtspmsg.Header) (*rtspmsg.Message, error) {
	for {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := c.send(method, uri, header); err != nil {
			return nil, dial.BrokenOff(err, method)
		}
		answer, err := c.await(ctx, method)
		if err != nil {
			return nil, err
		}
		if answer.Status != 401 {
			return answer, statusFault(answer, method, uri)
		}
		if err := c.challenged(answer); err != nil {
			return nil, err
		}
	}
}

func (c *control) await(ctx context.Context, method string) (*rtspmsg.Message, error) {
	_ = c.conn.SetReadDeadline(time.Now().Add(c.timeout))
	if err := ctx.Err(); err != nil { // it may just have set a deadline of its own
		return nil, err
	}
	for {
		m, _, _, err := c.reader.Next()
		if err != nil {
			return nil, c.readFault(err, method)
		}
		if m == nil {
			continue
		}
		c.answered = true
		if server := m.Header.Get("Server"); server != "" {
			c.server = server
		}
		// One request is out at a time, so the next answer is its own. Some cameras number
		// theirs in another way, or not at all.
		if m.Method == "" {
			return m, nil
		}
	}
}

// readFault tells something that never spoke RTSP from a camera that stopped
// speaking it.
func (c *control) readFault(err error, doing string) error {
	if c.answered {
		return dial.BrokenOff(err, doing)
	}
	if errors.Is(err, rtspmsg.ErrHTTP) {
		return fault.New(fault.SpeaksHTTP, err, "asked with %s", doing)
	}
	if errors.Is(err, rtspmsg.ErrTooLarge) {
		return fault.New(fault.Garbled, err, "%v", err)
	}
	if errors.Is(err, rtspmsg.ErrMalformed) {
		return fault.New(fault.NotRTSP, err, "it answered %s with something else", doing)
	}
	f := fault.As(dial.BrokenOff(err, doing))
	if f.Kind.Code == fault.HungUp {
		return fault.New(fault.NotRTSP, err, "it closed the connection without answering %s", doing)
	}
	return f
}

func (c *control) challenged(answer *rtspmsg.Message) error {
	if !c.hasUser {
		return fault.New(fault.SignInMissing, nil, "")
	}
	c.challengedOnce = true
	c.mu.Lock()
	again, err := c.auth.Challenged(answer.Header["Www-Authenticate"])
	c.mu.Unlock()
	switch {
	case errors.Is(err, httpauth.ErrBasicOnly):
		return fault.New(fault.BasicRefused, err, "")
	case err != nil:
		return fault.New(fault.Refused, err, "%v", err)
	case !again:
		return fault.New(fault.SignInRefused, nil, "signed in as %s", c.auth.User)
	}
	return nil
}

// statusFault turns a status that is no success into a fault (RFC 2326, 7.1.1).
func statusFault(m *rtspmsg.Message, method, uri string) error {
	said := fmt.Sprintf("%s was answered %d %.80s", method, m.Status, m.Reason)
	switch {
	case m.Status >= 200 && m.Status < 300:
		return nil
	case m.Status >= 300 && m.Status < 400:
		return nil // the caller looks at Location
	case m.Status == 403:
		return fault.New(fault.SignInRefused, nil, "%s", said)
	case m.Status == 404, m.Status == 410:
		return fault.New(fault.PathUnknown, nil, "%s for %s", said, withoutQuery(uri))
	case m.Status == 453, m.Status == 503:
		return fault.New(fault.Busy, nil, "%s", said)
	case m.Status == 461:
		return fault.New(fault.TransportNo, nil, "%s", said)
	}
	return fault.New(fault.Refused, nil, "%s", said)
}

// withoutQuery keeps parameters out of messages: cameras put passwords there.
func withoutQuery(uri string) string {
	bare, _, _ := strings.Cut(uri, "?")
	return bare
}

func newControl(conn net.Conn, cfg source.Config, auth *httpauth.Client) *control {
	return &control{conn: conn, reader: rtspmsg.NewReader(conn), timeout: cfg.AnswerTimeout, auth: auth, hasUser: cfg.User != ""}
}

// described is a camera that has described its stream.
type described struct {
	*control
	url     *url.URL // where redirections have led
	answer  *rtspmsg.Message
	methods map[string]bool
}

// follow opens the connection and describes the stream, over redirections, and over a
// connection that the camera closes with its challenge.
func follow(ctx context.Context, cfg source.Config, u *url.URL, way source.Transport) (*described, error) {
	const most = 4
	auth := &httpauth.Client{User: cfg.User, Password: cfg.Password, DigestOnly: cfg.DigestOnly}
	for range most {
		conn, err := connect(ctx, u, way, cfg.Fingerprint, cfg.AnswerTimeout)
		if err != nil {
			return nil, err
		}
		c := newControl(conn, cfg, auth)
		stop := context.AfterFunc(ctx, func() { _ = conn.SetDeadline(time.Unix(1, 0)) })
		answer, methods, err := c.describe(ctx, u)
		stop()
		if ctx.Err() != nil {
			_ = conn.Close()
			return nil, ctx.Err()
		}
		if err == nil && answer.Status < 300 {
			return &described{c, u, answer, methods}, nil
		}
		_ = conn.Close()
		if err != nil {
			if c.challengedOnce && fault.As(err).Kind.Code == fault.HungUp {
				continue // the answer to the challenge goes over a connection of its own
			}
			return nil, err
		}
		if u, err = elsewhere(u, answer.Header.Get("Location")); err != nil {
			return nil, err
		}
	}
	return nil, fault.New(fault.Refused, nil, "it points elsewhere, or closes the connection when it is to sign somebody in, more than %d times", most)
}

// elsewhere is where a camera points to: on its own host, whose password is not for
// others that somebody may have named in its place.
func elsewhere(u *url.URL, location string) (*url.URL, error) {
	next, _, _, err := source.ParseURL(location)
	if err != nil {
		return nil, fault.New(fault.Refused, err, "it points to an address that is none")
	}
	if next.Hostname() != u.Hostname() {
		return nil, fault.New(fault.Elsewhere, nil, "to %s", next.Host)
	}
	return next, nil
}

// describe asks for the methods and for the description. A camera that
// does not know OPTIONS is described all the same.
func (c *control) describe(ctx context.Context, u *url.URL) (*rtspmsg.Message, map[string]bool, error) {
	methods := make(map[string]bool)
	answer, err := c.ask(ctx, "OPTIONS", u.String(), nil)
	if err != nil {
		if f := fault.As(err); f.Kind.Code != fault.Refused || !c.answered {
			return nil, nil, err
		}
	} else {
		for m := range strings.SplitSeq(answer.Header.Get("Public"), ",") {
			methods[strings.ToUpper(strings.TrimSpace(m))] = true
		}
	}
	answer, err = c.ask(ctx, "DESCRIBE", u.String(), rtspmsg.Header{"Accept": {"application/sdp"}})
	return answer, methods, err
}
