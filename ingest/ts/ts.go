// Package ts takes in MPEG transport streams (ISO/IEC 13818-1): over UDP, to this machine or
// to a group, bare or within RTP (RFC 2250); over TCP; and as an HTTP answer.
//
// Limits: those of core/mpegts; one socket and two goroutines a feed, with a receive buffer of
// 4 MiB where the system allows it.
package ts

import (
	"context"
	"errors"
	"io"
	"net"
	"net/url"
	"strconv"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/mpegts"
	"webostrum/core/program"
	"webostrum/ingest/camhttp"
	"webostrum/ingest/dial"
	"webostrum/ingest/source"
)

const (
	tablesPatience   = 5 * time.Second  // for program tables, once bytes come
	keyframePatience = 30 * time.Second // for the first picture
	readSize         = 64 << 10
)

// Session is a stream that is received.
type Session struct {
	cfg       source.Config
	transport string
	server    string
	begun     time.Time // when the first bytes came
	played    bool      // a picture was published; of the reading goroutine

	mu       sync.Mutex
	receiver *mpegts.Receiver // guarded by mu
	from     string           // guarded by mu
	buffer   int              // bytes that the socket keeps; guarded by mu
	overflow uint64           // datagrams that found no room in it; guarded by mu
	others   uint64           // datagrams of other senders; guarded by mu
}

// New makes a session of a stream that comes by a transport, as Facts tell. query is that of
// its address: program chooses one of several.
func New(cfg source.Config, transport string, query url.Values) (*Session, error) {
	number := 0
	if text := query.Get("program"); text != "" {
		n, err := strconv.ParseUint(text, 10, 16)
		if err != nil {
			return nil, fault.New(fault.Refused, err, "program=%.20q is no number of a program", text)
		}
		number = int(n)
	}
	s := &Session{cfg: cfg, transport: transport}
	s.receiver = mpegts.NewReceiver(program.Config{
		FirstEpoch: cfg.FirstEpoch, Publish: func(m *media.Sample) { s.played = true; cfg.Publish(m) },
		Audio: cfg.Audio, AudioTrack: cfg.AudioTrack, Started: func() { cfg.Started(s) },
	}, uint16(number))
	return s, nil
}

// Facts implements source.Session.
func (s *Session) Facts() source.Facts {
	s.mu.Lock()
	defer s.mu.Unlock()
	f, stats := source.Of(s.receiver.Facts()), s.receiver.Stats()
	f.Transport, f.From, f.Server, f.ReceiveBuffer = s.transport, s.from, s.server, s.buffer
	f.Stats.Packets, f.Stats.Lost, f.Stats.Overflow, f.Stats.Other = stats.Packets, stats.Lost, s.overflow, s.others
	f.Stats.Jumps += stats.Clocks
	for _, t := range s.receiver.Streams() {
		f.Tracks = append(f.Tracks, source.TrackFacts{Kind: t.Kind, Codec: t.Codec, ClockRate: f.ClockRateOf(t.Kind), Used: t.Used, Why: t.Why})
	}
	return f
}

// Feed takes bytes. The error says why the stream cannot be used.
func (s *Session) Feed(data []byte, now time.Time) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.begun.IsZero() {
		s.begun = now
	}
	s.receiver.Write(data, now)
	if err := s.receiver.Hopeless(); err != nil {
		return troubleFault(err)
	}
	if s.played {
		return nil
	}
	switch trouble, passed := s.receiver.Trouble(), now.Sub(s.begun); {
	case trouble != nil && passed > tablesPatience:
		return troubleFault(trouble)
	case passed > keyframePatience:
		return fault.New(fault.NoKeyframe, nil, "none in %v", keyframePatience)
	}
	return nil
}

// troubleFault says in the product's words why a stream cannot be used.
func troubleFault(err error) error {
	switch {
	case errors.Is(err, mpegts.ErrCodec):
		return fault.New(fault.CodecNotHandled, err, "%v", err)
	case errors.Is(err, mpegts.ErrNoVideo):
		return fault.New(fault.NoVideo, err, "")
	case errors.Is(err, mpegts.ErrProgram):
		return fault.New(fault.ProgramUnknown, err, "%v", err)
	case errors.Is(err, mpegts.ErrScrambled):
		return fault.New(fault.Scrambled, err, "")
	}
	return fault.New(fault.NotTransport, err, "%v", err)
}

// SetFrom says who sends, before anything has come.
func (s *Session) SetFrom(address, agent string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.from, s.server = address, agent
}

// Next is the number for the first epoch of the session that comes after.
func (s *Session) Next() uint64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.receiver.NextEpoch()
}

// Read receives what comes by a reader until it ends. Ending it is the caller's.
func (s *Session) Read(r io.Reader) error {
	buf := make([]byte, readSize)
	for {
		n, err := r.Read(buf)
		if n > 0 {
			if err := s.Feed(buf[:n], time.Now()); err != nil {
				return err
			}
		}
		if err != nil {
			return err
		}
	}
}

// quietConn ends reading after a time without anything.
type quietConn struct {
	net.Conn
	quiet func() time.Duration
}

func (c quietConn) Read(b []byte) (int, error) {
	_ = c.SetReadDeadline(time.Now().Add(c.quiet()))
	return c.Conn.Read(b)
}

// patience is how long nothing may come.
func (s *Session) patience() time.Duration {
	if s.begun.IsZero() {
		return s.cfg.FirstTimeout
	}
	return s.cfg.StallAfter
}

// silence says that nothing came for too long.
func (s *Session) silence() error {
	if s.begun.IsZero() {
		return fault.New(fault.Silent, nil, "nothing in %v", s.cfg.FirstTimeout)
	}
	return fault.New(fault.Stalled, nil, "nothing for %v", s.cfg.StallAfter)
}

// playTCP connects to a sender that waits for that.
func playTCP(ctx context.Context, cfg source.Config, u *url.URL) (next uint64, err error) {
	s, err := New(cfg, "tcp", u.Query())
	if err != nil {
		return cfg.FirstEpoch, err
	}
	cfg.Connecting(ctx)
	conn, err := dial.TCP(ctx, u.Host, cfg.AnswerTimeout)
	if err != nil {
		return cfg.FirstEpoch, err
	}
	defer func() { _ = conn.Close() }()
	stop := context.AfterFunc(ctx, func() { _ = conn.Close() })
	defer stop()
	s.from = u.Host
	err = s.Read(quietConn{conn, s.patience})
	var late net.Error
	switch {
	case ctx.Err() != nil:
		err = ctx.Err()
	case errors.As(err, &late) && late.Timeout():
		err = s.silence()
	case !isFault(err):
		err = dial.BrokenOff(err, "sending the stream")
	}
	return s.Next(), err
}

func isFault(err error) bool {
	var f *fault.Error
	return errors.As(err, &f)
}

// PlayHTTP asks for an HTTP answer that is a transport stream, and receives it.
func PlayHTTP(ctx context.Context, cfg source.Config) (next uint64, err error) {
	u, err := cfg.Validate("http", "https")
	if err != nil {
		return cfg.FirstEpoch, err
	}
	s, err := New(cfg, "http", u.Query())
	if err != nil {
		return cfg.FirstEpoch, err
	}
	cfg.Connecting(ctx)
	cam := camhttp.New(camhttp.Config{URL: u, User: cfg.User, Password: cfg.Password, DigestOnly: cfg.DigestOnly, Fingerprint: cfg.Fingerprint, AnswerTimeout: cfg.AnswerTimeout})
	defer cam.Close()
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	resp, err := cam.Get(ctx, nil)
	if err != nil {
		return cfg.FirstEpoch, err
	}
	defer func() { _ = resp.Body.Close() }()
	s.server = cam.Server()
	watchdog := time.AfterFunc(cfg.FirstTimeout, func() { cancel(s.silence()) })
	defer watchdog.Stop()
	err = s.Read(seen{resp.Body, func() { watchdog.Reset(cfg.StallAfter) }})
	switch {
	case context.Cause(ctx) != nil:
		err = context.Cause(ctx)
	case !isFault(err):
		err = dial.BrokenOff(err, "sending the stream")
	}
	return s.Next(), err
}

// seen tells when something comes.
type seen struct {
	io.Reader
	note func()
}

func (s seen) Read(b []byte) (int, error) {
	n, err := s.Reader.Read(b)
	if n > 0 {
		s.note()
	}
	return n, err
}
