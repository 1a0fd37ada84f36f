// Package rtsp serves streams over RTSP (RFC 2326): H.264 and audio over RTP,
// interleaved in the connection or over UDP, with Digest or Basic sign-in and sender
// reports. The simulated cameras are made of it.
//
// Limits: 64 connections; a viewer that does not take a picture within 5 s is
// cut off.
package rtsp

import (
	"context"
	"crypto/rand"
	"errors"
	"net"
	"sync"
	"time"

	"webostrum/core/httpauth"
	"webostrum/core/hub"
	"webostrum/core/media"
)

const (
	maxConns     = 64
	writeTimeout = 5 * time.Second
	idleTimeout  = 60 * time.Second
)

// Stream is what a path leads to.
type Stream struct {
	Hub   *hub.Hub
	Track *media.Track

	Audio      *hub.Hub // nil without audio
	AudioTrack *media.Track
}

// Config says what to serve.
type Config struct {
	// Lookup returns the stream of a path, such as "/main"; nil when there is
	// none.
	Lookup func(path string) *Stream

	User, Password string // both empty: no sign-in
	Challenge      httpauth.Challenge
	NonceUses      int // requests after which a nonce goes stale; 0 means never

	NoTCP, NoUDP bool   // ways of transport that are not offered
	NoReports    bool   // no sender reports are sent
	Group        net.IP // that multicast goes to, on the interface of the connection; nil does not offer it

	// SRTPKey encrypts RTP and RTCP by AES_CM_128_HMAC_SHA1_80 (RFC 3711): master key and salt,
	// which the description tells (RFC 4568). Nil sends in the clear.
	SRTPKey []byte

	// Policy says what requests are held to; it is asked at each. Nil is the zero
	// Policy.
	Policy func() Policy
	// Filter takes the wire form of a sample's packets and returns what is to be
	// sent; nil sends them all as they are.
	Filter func(t *media.Track, packets [][]byte) [][]byte
}

// Policy is what requests are held to.
type Policy struct {
	RefuseAll    bool          // no password is right
	CloseRefused bool          // a connection is closed with the answer that asks to sign in
	AnswerAfter  time.Duration // before each answer
	Information  string        // of a description (RFC 8866, 5.4)
}

func (c *Config) policy() Policy {
	if c.Policy == nil {
		return Policy{}
	}
	return c.Policy()
}

// Server serves one listener.
type Server struct {
	cfg    Config
	ctx    context.Context
	cancel context.CancelFunc
	wg     sync.WaitGroup

	mu      sync.Mutex
	conns   map[net.Conn]struct{} // guarded by mu
	tunnels map[string]net.Conn   // answers to GET that wait for their POST; guarded by mu
}

// NewServer makes a server.
func NewServer(cfg Config) *Server {
	s := &Server{cfg: cfg, conns: make(map[net.Conn]struct{}), tunnels: make(map[string]net.Conn)}
	if s.cfg.Challenge.Scheme == "" {
		s.cfg.Challenge = httpauth.Challenge{Scheme: "digest", Realm: "camera"}
	}
	s.cfg.Challenge.Nonce = freshNonce()
	s.ctx, s.cancel = context.WithCancel(context.Background())
	return s
}

// Serve accepts connections until the listener closes. It returns nil after
// Close.
func (s *Server) Serve(l net.Listener) error {
	stop := context.AfterFunc(s.ctx, func() { _ = l.Close() })
	defer stop()
	for {
		conn, err := l.Accept()
		if err != nil {
			if s.ctx.Err() != nil || errors.Is(err, net.ErrClosed) {
				return nil
			}
			return err
		}
		if !s.add(conn) {
			_ = conn.Close()
		}
	}
}

func (s *Server) add(conn net.Conn) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.conns) >= maxConns || s.ctx.Err() != nil {
		return false
	}
	s.conns[conn] = struct{}{}
	s.wg.Go(func() {
		s.serveConn(conn)
		s.mu.Lock()
		delete(s.conns, conn)
		s.mu.Unlock()
	})
	return true
}

// DropAll cuts all connections, as a camera does that loses its network.
func (s *Server) DropAll() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for c := range s.conns {
		_ = c.Close()
	}
	for cookie, c := range s.tunnels {
		_ = c.Close()
		delete(s.tunnels, cookie)
	}
}

// Close ends everything and waits for it.
func (s *Server) Close() {
	s.cancel()
	s.DropAll()
	s.wg.Wait()
}

func freshNonce() string { return rand.Text() }
