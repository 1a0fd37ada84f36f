// Package whep sends H.264 and audio to browsers by WebRTC, with sessions opened over HTTP
// (WHEP, draft-ietf-wish-whep): an offer is posted, the answer comes back at once,
// and the session ends with DELETE or when the viewer is gone. ICE, DTLS and SRTP
// are pion's; packets are cut here, once for all viewers of a stream.
//
// All viewers come to one port, the same number over UDP and TCP.
//
// Limits: as many sessions as configured; an offer of 64 KiB; 15 s until a viewer is
// connected, 15 s without a sign of life after that.
package whep

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"sync"
	"time"

	"github.com/pion/ice/v4"
	"github.com/pion/interceptor"
	"github.com/pion/webrtc/v4"

	"webostrum/barrier"
	"webostrum/core/hub"
	"webostrum/core/media"
)

// Config says how to serve.
type Config struct {
	Listen    string   // address of the port, for UDP and TCP
	Addresses []string // IP addresses to offer viewers; empty means all of this machine
	Most      int      // sessions at a time; 0 means 500

	// Keep has a listener's Accept go on after errors that pass: the mux behind it ends with
	// the first. Nil leaves it as it is.
	Keep func(net.Listener) net.Listener
}

const (
	defaultMost     = 500
	connectWithin   = 15 * time.Second
	iceDisconnected = 5 * time.Second
	iceFailed       = 10 * time.Second
	iceKeepalive    = 2 * time.Second
	tcpReadBuffers  = 8
	socketBuffer    = 4 << 20

	// What may wait for one viewer over TCP, here and in the kernel: what is older than
	// that is of no use. Packets that are too many are lost, as over UDP.
	tcpWriteBuffer  = 256 << 10
	tcpSocketBuffer = 128 << 10

	// tcpFirstWithin is how long a connection may say nothing, or speak of a session that there
	// is not.
	tcpFirstWithin = 5 * time.Second
)

// The refusals.
var (
	ErrFull      = errors.New("whep: as many viewers as there may be")
	ErrOffer     = errors.New("whep: the offer cannot be used")
	ErrNoH264    = errors.New("whep: the offer asks for no H.264 video")
	ErrNoSession = errors.New("whep: there is no such session")
)

// Server holds all sessions. It is safe for concurrent use.
type Server struct {
	cfg      Config
	api      *webrtc.API
	settings webrtc.SettingEngine
	port     int
	listens  string
	close    []func() error

	mu       sync.Mutex
	ended    bool                      // guarded by mu
	sessions map[string]*Session       // guarded by mu
	caches   map[*hub.Hub]*sharedCache // guarded by mu
	going    sync.WaitGroup
}

// New opens the port. Close the server.
func New(cfg Config) (*Server, error) {
	if cfg.Most <= 0 {
		cfg.Most = defaultMost
	}
	for _, address := range cfg.Addresses {
		if net.ParseIP(address) == nil {
			return nil, fmt.Errorf("%q is no IP address that viewers could come to; give one such as 192.0.2.7 with --webrtc-address", address)
		}
	}
	udp, tcp, err := listen(cfg.Listen)
	if err != nil {
		return nil, err
	}
	if cfg.Keep != nil {
		tcp = cfg.Keep(tcp)
	}
	s := &Server{cfg: cfg, sessions: make(map[string]*Session), caches: make(map[*hub.Hub]*sharedCache), port: udp.LocalAddr().(*net.UDPAddr).Port, listens: udp.LocalAddr().String()}
	socket := newBatcher(udp)
	udpMux := webrtc.NewICEUDPMux(nil, socket)
	if len(cfg.Addresses) > 0 {
		tcp = anyAddress{tcp}
	}
	tcpMux := ice.NewTCPMuxDefault(ice.TCPMuxParams{Listener: tcp, ReadBufferSize: tcpReadBuffers, WriteBufferSize: tcpWriteBuffer, FirstStunBindTimeout: tcpFirstWithin, AliveDurationForConnFromStun: tcpFirstWithin})
	s.close = []func() error{udpMux.Close, tcpMux.Close, socket.Close}
	var settings webrtc.SettingEngine
	settings.SetICEUDPMux(udpMux)
	settings.SetICETCPMux(tcpMux)
	if len(cfg.Addresses) > 0 {
		settings.SetICETCPMux(oneTCP{tcpMux})
	}
	settings.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4, webrtc.NetworkTypeUDP6, webrtc.NetworkTypeTCP4, webrtc.NetworkTypeTCP6})
	settings.SetIncludeLoopbackCandidate(true)
	settings.SetLite(true)
	settings.SetICETimeouts(iceDisconnected, iceFailed, iceKeepalive)
	settings.SetICEMulticastDNSMode(ice.MulticastDNSModeDisabled)
	if len(cfg.Addresses) > 0 {
		err := settings.SetICEAddressRewriteRules(webrtc.ICEAddressRewriteRule{
			External: cfg.Addresses, AsCandidateType: webrtc.ICECandidateTypeHost, Mode: webrtc.ICEAddressRewriteReplace,
		})
		if err != nil {
			return nil, errors.Join(err, s.Close())
		}
	}
	media, err := mediaEngine()
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	s.settings = settings
	s.api = webrtc.NewAPI(webrtc.WithSettingEngine(settings), webrtc.WithMediaEngine(media), webrtc.WithInterceptorRegistry(&interceptor.Registry{}))
	return s, nil
}

// listen opens the same port over UDP and TCP.
func listen(address string) (*net.UDPConn, net.Listener, error) {
	const tries = 16 // with port 0 the one may be taken that the other got
	var last error
	for range tries {
		tcp, err := net.Listen("tcp", address)
		if err != nil {
			return nil, nil, fmt.Errorf("the WebRTC address %s cannot be used: %w; choose another with --webrtc-listen", address, err)
		}
		at := tcp.Addr().(*net.TCPAddr)
		udp, err := net.ListenUDP("udp", &net.UDPAddr{IP: at.IP, Port: at.Port, Zone: at.Zone})
		if err == nil {
			_ = udp.SetReadBuffer(socketBuffer)
			_ = udp.SetWriteBuffer(socketBuffer)
			return udp, newListener(tcp), nil
		}
		last = errors.Join(err, tcp.Close())
	}
	return nil, nil, fmt.Errorf("the WebRTC address %s cannot be used over UDP: %w; choose another with --webrtc-listen", address, last)
}

// Settings are those by which other sessions may come to the same port, until Close.
func (s *Server) Settings() webrtc.SettingEngine { return s.settings }

// Listens is the address that is listened on.
func (s *Server) Listens() string { return s.listens }

// Port is the number that viewers come to.
func (s *Server) Port() int { return s.port }

// Close ends all sessions and waits for their end.
func (s *Server) Close() error {
	s.mu.Lock()
	s.ended = true
	for _, session := range s.sessions {
		session.cancel()
	}
	s.mu.Unlock()
	s.going.Wait()
	var errs []error
	for _, c := range s.close {
		if err := c(); err != nil && !errors.Is(err, net.ErrClosed) {
			errs = append(errs, err)
		}
	}
	return errors.Join(errs...)
}

// Source is what a session sends.
type Source struct {
	Name    string // of the rendition; empty for what suits the feed
	Hub     *hub.Hub
	Codec   media.Codec   // of the stream; empty is H264
	Smaller func() []Step // what a viewer over a poor connection gets instead at present, the largest first; nil for nothing
	Audio   *Audio        // nil for none
	Release func()        // called once, when the session has ended or there was none
}

// Step is a smaller rendition.
type Step struct {
	Name string
	// Open has it made; release is called once when it is no longer needed.
	Open func() (h *hub.Hub, release func(), err error)
}

// Open answers an offer with a session that sends a stream. The error is one of
// this package, or pion's.
func (s *Server) Open(ctx context.Context, feed, offer string, src Source) (session *Session, answer string, err error) {
	session, err = s.begin(feed, src)
	if err != nil {
		src.Release()
		return nil, "", err
	}
	answer, err = session.negotiate(ctx, offer)
	if err != nil {
		session.cancel()
		return nil, "", err
	}
	return session, answer, nil
}

// begin makes room for a session and starts what watches over it.
func (s *Server) begin(feed string, src Source) (*Session, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ended || len(s.sessions) >= s.cfg.Most {
		return nil, ErrFull
	}
	pc, err := s.api.NewPeerConnection(webrtc.Configuration{})
	if err != nil {
		return nil, err
	}
	session := newSession(s, feed, pc, src, s.cacheLocked(src.Hub))
	s.sessions[session.ID] = session
	s.going.Go(func() {
		if err := barrier.Do(func() error { session.live(); return nil }); err != nil {
			slog.Error("a WebRTC session panicked", "feed", feed, "error", err)
		}
		session.cancel()
		_ = pc.Close()
		s.end(session)
	})
	return session, nil
}

func (s *Server) end(session *Session) {
	s.mu.Lock()
	delete(s.sessions, session.ID)
	s.mu.Unlock()
	s.leave(session.source.Hub)
	session.source.Release()
}

// Session returns a feed's session, or ErrNoSession.
func (s *Server) Session(feed, id string) (*Session, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if session := s.sessions[id]; session != nil && session.feed == feed {
		return session, nil
	}
	return nil, ErrNoSession
}

// sharedCache is a packet cache with the number of sessions that use it.
type sharedCache struct {
	packetCache
	users int
}

func (s *Server) cacheLocked(h *hub.Hub) *packetCache {
	c := s.caches[h]
	if c == nil {
		c = &sharedCache{}
		s.caches[h] = c
	}
	c.users++
	return &c.packetCache
}

// cache returns what packetises a hub's frames, for one more user; leave gives it up.
func (s *Server) cache(h *hub.Hub) *packetCache {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.cacheLocked(h)
}

func (s *Server) leave(h *hub.Hub) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if c := s.caches[h]; c != nil {
		if c.users--; c.users == 0 {
			delete(s.caches, h)
		}
	}
}
