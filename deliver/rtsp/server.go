// Package rtsp serves streams over RTSP (RFC 2326): H.264, H.265, JPEG and audio over RTP,
// interleaved in the connection or over UDP, with sender reports. Viewers are let in by a
// Gate, for whom packets are made once, or by a user and a password, as the simulated cameras
// do.
//
// Limits: as many connections as Config says; a viewer that does not take a picture within 5 s
// is cut off.
package rtsp

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"net"
	"sync"
	"time"

	"webostrum/barrier"
	"webostrum/core/httpauth"
	"webostrum/core/hub"
	"webostrum/core/media"
)

const (
	usualConns   = 64
	clientShare  = 4 // of all connections are the most that one client has
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
	Name string // that answers tell; empty for that of the simulated cameras
	Most int    // connections at a time; 0 means 64

	// Client is what connections are counted by, of an address with its port: none has more
	// than a quarter of them. Nil counts nobody's.
	Client func(address string) string

	// Gate lets viewers in. Nil goes by what follows.
	Gate Gate

	// Announce takes over a connection of somebody who wants to send, until it is over; ctx
	// ends with the server. Nil refuses.
	Announce func(ctx context.Context, h Handover)

	// Panicked is told of a mistake of ours that ended a connection. May be nil.
	Panicked func(err error)

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
	wires   map[*hub.Hub]*wire    // by what they are made of; guarded by mu
	from    map[string]int        // connections of each client; guarded by mu
	tunnels tunnels               // guarded by mu
}

// NewServer makes a server.
func NewServer(cfg Config) *Server {
	s := &Server{cfg: cfg, conns: make(map[net.Conn]struct{}), from: make(map[string]int), tunnels: tunnels{waiting: make(map[string]*halfTunnel)}, wires: make(map[*hub.Hub]*wire)}
	s.cfg.Name = cmp.Or(s.cfg.Name, "Morrow Crag Camera")
	s.cfg.Most = cmp.Or(s.cfg.Most, usualConns)
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
	client := s.client(conn)
	if len(s.conns) >= s.cfg.Most || s.ctx.Err() != nil || s.cfg.Client != nil && s.from[client] >= s.cfg.Most/clientShare {
		return false
	}
	s.conns[conn] = struct{}{}
	s.from[client]++
	s.wg.Go(func() {
		if !s.guarded(func() { s.serveConn(conn) }) {
			_ = conn.Close() // one of a tunnel's is closed by the other
		}
		s.mu.Lock()
		delete(s.conns, conn)
		if s.from[client]--; s.from[client] <= 0 {
			delete(s.from, client)
		}
		s.mu.Unlock()
	})
	return true
}

// client is what a connection is counted by.
func (s *Server) client(conn net.Conn) string {
	if s.cfg.Client == nil {
		return ""
	}
	return s.cfg.Client(conn.RemoteAddr().String())
}

// guarded keeps a mistake of ours from ending more than what it is made in; false says that
// there was one.
func (s *Server) guarded(do func()) bool {
	err := barrier.Do(func() error { do(); return nil })
	if err != nil && s.cfg.Panicked != nil {
		s.cfg.Panicked(err)
	}
	return err == nil
}

// DropAll cuts all connections, as a camera does that loses its network.
func (s *Server) DropAll() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for c := range s.conns {
		_ = c.Close()
	}
	for cookie := range s.tunnels.waiting {
		_ = s.tunnels.take(cookie).Close()
	}
}

// Close ends everything and waits for it.
func (s *Server) Close() {
	s.cancel()
	s.DropAll()
	s.wg.Wait()
}

func freshNonce() string { return rand.Text() }
