// Package whip takes in publishers by WebRTC, with sessions opened over HTTP (WHIP, RFC 9725):
// phones and laptops through the camera page, and encoders. ICE, DTLS, SRTP and the reports
// by which a browser finds the bit rate that its line carries are pion's; what comes in is
// received here.
//
// Limits: 64 sessions; an offer of 64 KiB; 15 s until a publisher is connected.
package whip

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"time"

	"github.com/pion/interceptor"
	"github.com/pion/webrtc/v4"

	"webostrum/barrier"
	"webostrum/core/media"
	"webostrum/core/opus"
	"webostrum/ingest/push"
)

const (
	mostSessions  = 64
	connectWithin = 15 * time.Second
	clockRate     = 90_000
)

// The refusals.
var (
	ErrFull      = errors.New("whip: as many publishers as there may be")
	ErrOffer     = errors.New("whip: the offer cannot be used")
	ErrCodec     = errors.New("whip: the offer sends no video that is handled")
	ErrNoSession = errors.New("whip: there is no such session")
)

// Server holds all sessions. It is safe for concurrent use.
type Server struct {
	api *webrtc.API
	log *slog.Logger

	mu       sync.Mutex
	ended    bool                // guarded by mu
	sessions map[string]*Session // guarded by mu
	going    sync.WaitGroup
}

// New makes a server. settings are those of the port that sessions come to. Close it.
func New(settings webrtc.SettingEngine, log *slog.Logger) (*Server, error) {
	m := &webrtc.MediaEngine{}
	if err := registerCodecs(m); err != nil {
		return nil, err
	}
	reports := &interceptor.Registry{}
	err := errors.Join(webrtc.ConfigureNack(m, reports), webrtc.ConfigureRTCPReports(reports), webrtc.ConfigureTWCCSender(m, reports))
	if err != nil {
		return nil, err
	}
	return &Server{
		api: webrtc.NewAPI(webrtc.WithSettingEngine(settings), webrtc.WithMediaEngine(m), webrtc.WithInterceptorRegistry(reports)),
		log: log, sessions: make(map[string]*Session),
	}, nil
}

// profiles are the profiles of H.264 that are taken, by profile-level-id (RFC 6184, 8.1);
// what is sent tells its own.
var profiles = []string{"42e01f", "42001f", "4d001f", "64001f", "640c1f"}

func registerCodecs(m *webrtc.MediaEngine) error {
	const firstType, vp8Type = 102, 120
	feedback := []webrtc.RTCPFeedback{{Type: "nack", Parameter: "pli"}, {Type: "ccm", Parameter: "fir"}, {Type: "goog-remb"}}
	next := webrtc.PayloadType(firstType)
	for _, profile := range profiles {
		for _, mode := range []string{"1", "0"} {
			err := m.RegisterCodec(webrtc.RTPCodecParameters{
				RTPCodecCapability: webrtc.RTPCodecCapability{
					MimeType: webrtc.MimeTypeH264, ClockRate: clockRate, RTCPFeedback: feedback,
					SDPFmtpLine: "level-asymmetry-allowed=1;packetization-mode=" + mode + ";profile-level-id=" + profile,
				},
				PayloadType: next,
			}, webrtc.RTPCodecTypeVideo)
			if err != nil {
				return err
			}
			next++
		}
	}
	vp8 := webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeVP8, ClockRate: clockRate, RTCPFeedback: feedback}
	if err := m.RegisterCodec(webrtc.RTPCodecParameters{RTPCodecCapability: vp8, PayloadType: vp8Type}, webrtc.RTPCodecTypeVideo); err != nil {
		return err
	}
	h265 := webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeH265, ClockRate: clockRate, RTCPFeedback: feedback}
	if err := m.RegisterCodec(webrtc.RTPCodecParameters{RTPCodecCapability: h265, PayloadType: next}, webrtc.RTPCodecTypeVideo); err != nil {
		return err
	}
	const opusType = 96
	audio := webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeOpus, ClockRate: opus.ClockRate, Channels: 2, SDPFmtpLine: "minptime=10;useinbandfec=1"}
	return m.RegisterCodec(webrtc.RTPCodecParameters{RTPCodecCapability: audio, PayloadType: opusType}, webrtc.RTPCodecTypeAudio)
}

// codecOf is a codec by the name that WebRTC has for it; empty for one that is not handled.
func codecOf(mime string) media.Codec {
	for name, codec := range map[string]media.Codec{webrtc.MimeTypeH264: media.H264, webrtc.MimeTypeH265: media.H265, webrtc.MimeTypeVP8: media.VP8} {
		if strings.EqualFold(name, mime) {
			return codec
		}
	}
	return ""
}

// From is who publishes.
type From struct {
	Feed, Address, Agent string
}

// Open answers an offer with a session that takes a feed's place, and gives it up at its end,
// also where the session does not come about. The error is one of this package, or pion's.
func (s *Server) Open(ctx context.Context, place push.Place, from From, offer string) (session *Session, answer string, err error) {
	session, err = s.begin(place, from)
	if err != nil {
		place.Leave()
		return nil, "", err
	}
	answer, err = session.negotiate(ctx, offer)
	session.negotiated <- err
	if err != nil {
		return nil, "", err
	}
	return session, answer, nil
}

// begin makes room for a session and starts what watches over it.
func (s *Server) begin(place push.Place, from From) (*Session, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ended || len(s.sessions) >= mostSessions {
		return nil, ErrFull
	}
	pc, err := s.api.NewPeerConnection(webrtc.Configuration{})
	if err != nil {
		return nil, err
	}
	session := newSession(strings.ToLower(rand.Text()[:16]), pc, from)
	s.sessions[session.ID] = session
	s.going.Go(func() {
		if err := barrier.Do(func() error { session.live(place); return nil }); err != nil {
			s.log.Error("a publisher by WebRTC made us panic", "feed", from.Feed, "error", err)
		}
		_ = pc.Close()
		session.tracks.Wait()
		s.mu.Lock()
		delete(s.sessions, session.ID)
		s.mu.Unlock()
		place.Leave() // whoever has it next is not taken for this one
	})
	return session, nil
}

// Session returns a feed's session, or ErrNoSession.
func (s *Server) Session(feed, id string) (*Session, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if session := s.sessions[id]; session != nil && session.from.Feed == feed {
		return session, nil
	}
	return nil, ErrNoSession
}

// Of returns the session that sends to a feed, or ErrNoSession.
func (s *Server) Of(feed string) (*Session, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, session := range s.sessions {
		if session.from.Feed == feed {
			return session, nil
		}
	}
	return nil, ErrNoSession
}

// Close ends all sessions and waits for their end.
func (s *Server) Close() {
	s.mu.Lock()
	s.ended = true
	for _, session := range s.sessions {
		session.End(ErrNoSession)
	}
	s.mu.Unlock()
	s.going.Wait()
}

// offerError says that an offer cannot be used.
func offerError(err error) error { return fmt.Errorf("%w: %w", ErrOffer, err) }
