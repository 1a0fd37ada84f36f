package whep

import (
	"cmp"
	"context"
	"crypto/rand"
	"fmt"
	"log/slog"
	"math"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pion/rtcp"
	"github.com/pion/sdp/v3"
	"github.com/pion/webrtc/v4"

	"webostrum/barrier"
	"webostrum/core/media"
)

// Session is one viewer.
type Session struct {
	ID      string
	Started time.Time

	server *Server
	feed   string
	pc     *webrtc.PeerConnection
	offer  *sdp.SessionDescription
	source Source
	track  *track
	audio  *audioSender // nil without audio
	lag    lag          // of pictures
	held   time.Duration
	heldAt time.Time
	ctx    context.Context
	cancel context.CancelFunc

	connected chan struct{}
	once      sync.Once
	again     atomic.Bool // the viewer asks for a picture that decoding can start with
	sender    *sender
	stats     stats
	line      line

	restarting sync.Mutex // one restart of ICE at a time
}

// stats counts what was sent and what the viewer says of it.
type stats struct {
	bytes, packets, repeated, asked atomic.Uint64
	missed                          atomic.Uint64 // packets that the viewer asked for again, each once
	loss                            atomic.Uint64 // bits of a float64: share of packets, at the newest report
	estimate                        atomic.Uint64 // bits a second, by the viewer
}

// Stats is a session in numbers.
type Stats struct {
	Bytes     uint64
	Packets   uint64
	Repeated  uint64  // packets that were sent again
	Keyframes uint64  // times that the viewer asked for a picture to start with
	Loss      float64 // share of packets lost, at the viewer's newest report; one that was sent again counts
	Estimate  float64 // bits a second that the viewer thinks its line carries; 0 when it does not say
	Rendition string  // that is sent now
	Way       string  // "udp" or "tcp"; empty until connected
	Mark      Mark    // the newest picture that was sent; zero before the live edge
}

func newSession(server *Server, feed string, pc *webrtc.PeerConnection, src Source, cache *packetCache) *Session {
	s := &Session{
		server: server, ID: strings.ToLower(rand.Text()[:16]), Started: time.Now(), feed: feed, pc: pc, source: src, track: newTrack(feed, cmp.Or(src.Codec, media.H264)), connected: make(chan struct{}),
	}
	s.ctx, s.cancel = context.WithCancel(context.Background())
	s.sender = newSender(s, cache)
	return s
}

// negotiate answers the offer.
func (s *Session) negotiate(ctx context.Context, offer string) (answerSDP string, err error) {
	s.pc.OnConnectionStateChange(func(state webrtc.PeerConnectionState) {
		switch state {
		case webrtc.PeerConnectionStateConnected:
			s.once.Do(func() { close(s.connected) })
		case webrtc.PeerConnectionStateFailed, webrtc.PeerConnectionStateClosed:
			s.cancel()
		}
	})
	remote := webrtc.SessionDescription{Type: webrtc.SDPTypeOffer, SDP: offer}
	if err := s.pc.SetRemoteDescription(remote); err != nil {
		return "", fmt.Errorf("%w: %w", ErrOffer, err)
	}
	// Parsed apart: the library goes on reading its own description.
	if s.offer, err = remote.Unmarshal(); err != nil {
		return "", fmt.Errorf("%w: %w", ErrOffer, err)
	}
	if !s.wants(webrtc.RTPCodecTypeVideo) {
		return "", ErrNoH264
	}
	if err := s.addAudio(); err != nil {
		return "", err
	}
	sender, err := s.pc.AddTrack(s.track)
	if err != nil {
		return "", err
	}
	answer, err := s.pc.CreateAnswer(nil)
	if err != nil {
		return "", fmt.Errorf("%w: %w", ErrNoH264, err)
	}
	gathered := webrtc.GatheringCompletePromise(s.pc)
	if err := s.pc.SetLocalDescription(answer); err != nil {
		return "", fmt.Errorf("%w: %w", ErrNoH264, err)
	}
	select {
	case <-gathered:
	case <-ctx.Done():
		return "", ctx.Err()
	}
	go func() { // ends with the connection, which live closes
		if err := barrier.Do(func() error { s.feedback(sender); return nil }); err != nil {
			slog.Error("what a WebRTC viewer reported made us panic", "feed", s.feed, "error", err)
			s.cancel()
		}
	}()
	return s.pc.LocalDescription().SDP, nil
}

// wants says whether the offer asks for something of a kind to be sent (RFC 8866, 6.7).
// The library's transceivers do not tell an offer that only sends from one in both
// directions.
func (s *Session) wants(kind webrtc.RTPCodecType) bool {
	for _, m := range s.offer.MediaDescriptions {
		_, sends := m.Attribute("sendonly")
		_, inactive := m.Attribute("inactive")
		if m.MediaName.Media == kind.String() && m.MediaName.Port.Value != 0 && !sends && !inactive {
			return true
		}
	}
	return false
}

// addAudio adds the audio, if there is any and the offer asks for it.
func (s *Session) addAudio() error {
	if s.source.Audio == nil || !s.wants(webrtc.RTPCodecTypeAudio) {
		return nil
	}
	v := newAudioSender(s, *s.source.Audio)
	sender, err := s.pc.AddTrack(v.track)
	if err != nil {
		return err
	}
	s.audio = v
	const usualPicture = 40 * time.Millisecond
	s.lag.begin(s.source.Hub, usualPicture, 0)
	v.lag.begin(v.audio.Hub, v.audio.Track.Duration(v.length()), unknownLag)
	s.holdPictures(time.Now())
	s.heldAt = s.heldAt.Add(firstHold - holdEvery) // what was guessed is soon known better
	go func() {                                    // ends with the connection
		for {
			if _, _, err := sender.ReadRTCP(); err != nil {
				return
			}
		}
	}()
	return nil
}

// holdPictures has pictures wait for the audio.
func (s *Session) holdPictures(now time.Time) {
	if s.audio == nil || now.Sub(s.heldAt) < holdEvery {
		return
	}
	s.heldAt = now
	if d := hold(&s.lag, &s.audio.lag); (d - s.held).Abs() >= holdsApart {
		s.held = d
		s.track.hold(d, mostHeld)
	}
}

// live sends until the viewer or the stream ends.
func (s *Session) live() {
	defer s.cancel()
	defer func() { _ = s.pc.Close() }()
	timer := time.NewTimer(connectWithin)
	defer timer.Stop()
	select {
	case <-s.connected:
	case <-timer.C:
		return
	case <-s.ctx.Done():
		return
	}
	var parts sync.WaitGroup
	if s.audio != nil {
		parts.Go(func() {
			if err := barrier.Do(func() error { s.audio.run(s.ctx); return nil }); err != nil {
				slog.Error("a WebRTC session's audio panicked", "feed", s.feed, "error", err)
				s.cancel()
			}
		})
	}
	s.sender.run(s.ctx)
	s.cancel()
	parts.Wait()
}

// End ends the session.
func (s *Session) End() { s.cancel() }

// feedback reads what the viewer reports.
func (s *Session) feedback(sender *webrtc.RTPSender) {
	for {
		packets, _, err := sender.ReadRTCP()
		if err != nil {
			return
		}
		for _, p := range packets {
			switch p := p.(type) {
			case *rtcp.TransportLayerNack:
				s.sender.repeat(p, time.Now())
			case *rtcp.PictureLossIndication, *rtcp.FullIntraRequest:
				s.stats.asked.Add(1)
				s.again.Store(true)
			case *rtcp.ReceiverReport:
				for _, r := range p.Reports {
					s.line.heard(r, time.Now())
					s.line.report(s, float64(r.FractionLost)/256, time.Now())
				}
			case *rtcp.ReceiverEstimatedMaximumBitrate:
				s.stats.estimate.Store(uint64(p.Bitrate))
			}
		}
	}
}

// Stats returns what is known so far.
func (s *Session) Stats() Stats {
	st := Stats{
		Bytes: s.stats.bytes.Load(), Packets: s.stats.packets.Load(), Repeated: s.stats.repeated.Load(), Keyframes: s.stats.asked.Load(),
		Loss: math.Float64frombits(s.stats.loss.Load()), Estimate: float64(s.stats.estimate.Load()), Rendition: s.line.name(s.source),
	}
	s.sender.mu.Lock()
	st.Mark = s.sender.mark
	s.sender.mu.Unlock()
	if pair, err := s.pc.SCTP().Transport().ICETransport().GetSelectedCandidatePair(); err == nil && pair != nil {
		st.Way = strings.ToLower(pair.Local.Protocol.String())
	}
	return st
}
