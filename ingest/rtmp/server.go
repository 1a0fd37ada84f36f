// Package rtmp takes in publishers that speak RTMP (Adobe's Real-Time Messaging Protocol
// specification, version 1.0, and Enhanced RTMP, version 2): video in H.264 or H.265, audio in
// AAC, Opus or G.711. Nobody can play by it.
//
// Limits: what package push bounds; ten seconds from the first byte to the publisher's
// request.
package rtmp

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"net"
	"net/url"
	"strings"
	"time"

	"webostrum/core/amf"
	"webostrum/core/fault"
	"webostrum/core/rtmp"
	"webostrum/ingest/push"
)

const (
	introTimeout = 10 * time.Second
	writeTimeout = 10 * time.Second
	chunkSize    = 4096
	window       = 2_500_000 // bytes between acknowledgements
	randomBytes  = 256
	streamID     = 1
	mostCommands = 32 // before publishing
)

// session is one connection.
type session struct {
	conn    net.Conn
	desk    push.Desk
	secure  bool
	in      *rtmp.Reader
	acked   uint64
	app     string // feed, and maybe a query
	program string // what the publisher calls itself
}

// Handle serves one connection; secure says that it is encrypted. It fits push.Server.
func Handle(desk push.Desk, secure bool) func(ctx context.Context, conn net.Conn, entered func()) {
	return func(ctx context.Context, conn net.Conn, entered func()) {
		s := &session{conn: conn, desk: desk, secure: secure}
		_ = conn.SetDeadline(time.Now().Add(introTimeout))
		random := make([]byte, randomBytes)
		_, _ = rand.Read(random) // it never fails
		if rtmp.Accept(conn, random) != nil {
			return
		}
		s.in = rtmp.NewReader(conn)
		name, place, err := s.introduction(ctx)
		if err != nil {
			s.refuse(err)
			return
		}
		defer place.Leave()
		entered()
		if s.status("status", "NetStream.Publish.Start", "Sending to "+name+" may begin.") != nil {
			return
		}
		err = place.Run(ctx, s.play)
		_ = conn.SetWriteDeadline(time.Now().Add(time.Second))
		s.refuse(err) // in vain, as a rule: it is gone
	}
}

// introduction answers commands up to publish, and lets the publisher in.
func (s *session) introduction(ctx context.Context) (name string, place push.Place, err error) {
	for range mostCommands {
		m, err := s.in.Next()
		if err != nil {
			return "", nil, err
		}
		c, ok := commandOf(m)
		if !ok {
			continue
		}
		switch c.name {
		case "connect":
			err = s.connect(c)
		case "createStream":
			err = s.result(c, nil, streamID)
		case "releaseStream", "FCPublish", "FCUnpublish", "_checkbw", "getStreamLength":
			err = s.result(c, nil, nil)
		case "publish":
			return s.publish(ctx, c)
		case "play", "play2":
			err = errPlays
		}
		if err != nil {
			return "", nil, err
		}
	}
	return "", nil, rtmp.ErrMalformed
}

var errPlays = errors.New("this port takes feeds in, and plays none: use HLS, WebRTC or RTSP")

// command is a message with AMF values: name, transaction, and what follows.
type command struct {
	name        string
	transaction float64
	arguments   []any
}

func commandOf(m *rtmp.Message) (c command, ok bool) {
	data := m.Data
	switch m.Kind {
	case rtmp.KindCommandAMF3: // AMF 0 behind a zero byte, as senders write it
		if len(data) == 0 || data[0] != 0 {
			return c, false
		}
		data = data[1:]
	case rtmp.KindCommand:
	default:
		return c, false
	}
	values, _ := amf.Decode(data) // what stands before a mistake counts
	if len(values) == 0 {
		return c, false
	}
	c.name, ok = values[0].(string)
	if len(values) > 1 {
		c.transaction, _ = values[1].(float64)
		c.arguments = values[2:]
	}
	return c, ok
}

// text is an argument that is a string.
func (c command) text(i int) string {
	if i >= len(c.arguments) {
		return ""
	}
	s, _ := c.arguments[i].(string)
	return s
}

func (s *session) connect(c command) error {
	if len(c.arguments) > 0 {
		if o, ok := c.arguments[0].(amf.Object); ok {
			s.app, s.program = o.Text("app"), o.Text("flashVer")
		}
	}
	b := rtmp.Append(nil, rtmp.ControlChunks, rtmp.Number(rtmp.KindWindow, window), chunkSize)
	bandwidth := rtmp.Number(rtmp.KindBandwidth, window)
	const dynamic = 2
	bandwidth.Data = append(bandwidth.Data, dynamic)
	b = rtmp.Append(b, rtmp.ControlChunks, bandwidth, chunkSize)
	b = rtmp.Append(b, rtmp.ControlChunks, rtmp.Number(rtmp.KindChunkSize, chunkSize), chunkSize)
	if err := s.write(b); err != nil {
		return err
	}
	return s.result(c, amf.Object{"fmsVer": "FMS/3,0,1,123", "capabilities": 31}, amf.Object{
		"level": "status", "code": "NetConnection.Connect.Success", "description": "Connected.", "objectEncoding": 0,
	})
}

// publish asks the desk. The feed is the application's name and the key the stream's, or
// either comes in a query.
func (s *session) publish(ctx context.Context, c command) (name string, place push.Place, err error) {
	app, appQuery, _ := strings.Cut(s.app, "?")
	stream, streamQuery, _ := strings.Cut(c.text(1), "?")
	name, key := strings.Trim(app, "/"), stream
	for _, raw := range []string{appQuery, streamQuery} {
		if q, err := url.ParseQuery(raw); err == nil && q.Get("key") != "" {
			key = q.Get("key")
		}
	}
	request := push.Request{Feed: name, Protocol: push.RTMP, Address: s.conn.RemoteAddr().String()}
	if key != "" {
		request.Knows = func(want string) bool { return subtle.ConstantTimeCompare([]byte(key), []byte(want)) == 1 }
	}
	place, err = s.desk.Admit(ctx, request)
	return name, place, err
}

// refuse tells why the connection is about to be closed.
func (s *session) refuse(err error) {
	var f *fault.Error
	switch {
	case errors.As(err, &f):
		_ = s.status("error", "NetStream.Publish.BadName", f.Error()+" "+f.Kind.Remedy)
	case errors.Is(err, errPlays):
		_ = s.status("error", "NetStream.Play.Failed", err.Error())
	}
}

func (s *session) status(level, code, description string) error {
	data := amf.Append(nil, "onStatus", 0, nil, amf.Object{"level": level, "code": code, "description": description})
	return s.write(rtmp.Append(nil, rtmp.CommandChunks, &rtmp.Message{Kind: rtmp.KindCommand, Stream: streamID, Data: data}, chunkSize))
}

func (s *session) result(c command, properties, information any) error {
	data := amf.Append(nil, "_result", c.transaction, properties, information)
	return s.write(rtmp.Append(nil, rtmp.CommandChunks, &rtmp.Message{Kind: rtmp.KindCommand, Data: data}, chunkSize))
}

func (s *session) write(b []byte) error {
	_ = s.conn.SetWriteDeadline(time.Now().Add(writeTimeout))
	_, err := s.conn.Write(b)
	return err
}
