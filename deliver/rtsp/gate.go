package rtsp

import (
	"context"
	"net"
	"net/url"
	"time"

	"webostrum/core/rtspmsg"
)

// openTimeout is how long a gate may take to open a stream.
const openTimeout = 10 * time.Second

// Request is what a viewer asks of a gate.
type Request struct {
	Method, URL   string
	Path          string // of the URL, without the number of a track
	Authorization string
	Agent         string // what the viewer calls itself
	Address       string // of the viewer, with its port
}

// Refusal is the answer to somebody who is not let in.
type Refusal struct {
	Status     int
	Reason     string
	Challenges []string // that ask to sign in
}

// Opened is a stream that was opened for one connection.
type Opened struct {
	*Stream

	// Play counts the viewer in; end ends the connection, and sent tells how many bytes
	// went out. leave is called when it is over.
	Play func(end func(), sent func() uint64) (leave func(), refusal *Refusal)

	// Release is called when the stream is not needed any more.
	Release func()
}

// Gate lets viewers in to streams.
type Gate func(ctx context.Context, q Request) (*Opened, *Refusal)

// Handover is a connection that somebody wants to send by.
type Handover struct {
	Conn   net.Conn
	Reader *rtspmsg.Reader
	First  *rtspmsg.Message // ANNOUNCE
}

// entrance is what a connection has opened by the gate.
type entrance struct {
	*Opened
	path  string
	leave func()
}

// enter returns the stream that a request is for, and the number of a track.
func (c *connection) enter(m *rtspmsg.Message, policy Policy) (stream *Stream, number int, refused *rtspmsg.Message) {
	u, err := url.Parse(m.URL)
	if err != nil {
		return nil, 0, answer(400, "Bad Request")
	}
	path, number := trackNumber(u.Path)
	cfg := &c.server.cfg
	if cfg.Gate == nil {
		if a := c.signIn(m, policy.RefuseAll); a != nil {
			return nil, 0, a
		}
		if stream = cfg.Lookup(path); stream == nil || stream.Track == nil {
			return nil, 0, answer(404, "Not Found")
		}
		return stream, number, nil
	}
	switch {
	case c.entrance != nil && c.entrance.path == path:
		return c.entrance.Stream, number, nil
	case c.playing != nil || len(c.parts) > 0:
		return nil, 0, answer(455, "Method Not Valid in This State")
	}
	c.leave()
	ctx, cancel := context.WithTimeout(c.server.ctx, openTimeout)
	defer cancel()
	opened, refusal := cfg.Gate(ctx, Request{
		Method: m.Method, URL: m.URL, Path: path, Authorization: m.Header.Get("Authorization"), Agent: m.Header.Get("User-Agent"), Address: c.conn.RemoteAddr().String(),
	})
	if refusal != nil {
		return nil, 0, refusal.answer()
	}
	c.entrance = &entrance{Opened: opened, path: path}
	return opened.Stream, number, nil
}

func (r *Refusal) answer() *rtspmsg.Message {
	a := answer(r.Status, r.Reason)
	for _, c := range r.Challenges {
		a.Header.Add("WWW-Authenticate", c)
	}
	return a
}

// count counts the viewer in, before it plays.
func (c *connection) count() *rtspmsg.Message {
	e := c.entrance
	if e == nil || e.Play == nil {
		return nil
	}
	leave, refusal := e.Play(func() { _ = c.conn.Close() }, c.sent.Load)
	if refusal != nil {
		return refusal.answer()
	}
	e.leave = leave
	return nil
}

// leave gives up what the gate has opened.
func (c *connection) leave() {
	e := c.entrance
	if e == nil {
		return
	}
	if e.leave != nil {
		e.leave()
	}
	e.Release()
	c.entrance = nil
}
