package rtsp

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	prtp "github.com/pion/rtp"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/rtspmsg"
	"webostrum/core/sdp"
	"webostrum/ingest/source"
)

// Session is one running session with a camera.
type Session struct {
	cfg       source.Config
	control   *control
	way       source.Transport
	aggregate string // URL that PLAY and TEARDOWN go to
	methods   map[string]bool
	lifetime  time.Duration // of the session, without a sign of life
	server    string
	tracks    []source.TrackFacts
	format    sdp.Format
	channels  [2]int // of RTP and RTCP when interleaved
	udp       *udpPair

	packets  atomic.Int64 // RTP packets seen; the watch looks at it
	started  atomic.Bool
	receiver uint32 // our SSRC in receiver reports

	mu    sync.Mutex
	recv  *rtp.VideoReceiver // guarded by mu
	count reception          // guarded by mu
}

// open goes as far as PLAY.
func open(ctx context.Context, cfg source.Config, u *url.URL, way source.Transport) (*Session, error) {
	c, u, answer, methods, err := follow(ctx, cfg, u)
	if err != nil {
		return nil, err
	}
	s := &Session{cfg: cfg, control: c, way: way, methods: methods, receiver: rand.Uint32()}
	stop := context.AfterFunc(ctx, func() { _ = c.conn.Close() })
	defer stop()
	if err := s.setUp(ctx, u, answer); err != nil {
		s.close()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, err
	}
	s.server = c.server
	return s, nil
}

func (s *Session) setUp(ctx context.Context, u *url.URL, described *rtspmsg.Message) error {
	desc, err := sdp.Parse(described.Body)
	if err != nil {
		return fault.New(fault.Garbled, err, "its session description: %v", err)
	}
	m, err := s.choose(desc)
	if err != nil {
		return err
	}
	base := firstSet(described.Header.Get("Content-Base"), described.Header.Get("Content-Location"), u.String())
	s.aggregate = sdp.Resolve(base, desc.Control)
	s.recv = rtp.NewVideoReceiver(rtp.ReceiverConfig{
		ClockRate: s.format.ClockRate, Wait: s.reorderWait(), FirstEpoch: s.cfg.FirstEpoch,
		Sets: s.format.ParameterSets(), Publish: s.publish,
	})
	if err := s.transport(ctx, sdp.Resolve(s.aggregate, m.Control)); err != nil {
		return err
	}
	_, err = s.control.ask(ctx, "PLAY", s.aggregate, rtspmsg.Header{"Range": {"npt=0.000-"}})
	return err
}

func firstSet(values ...string) string {
	for _, v := range values {
		if v = strings.TrimSpace(v); v != "" {
			return v
		}
	}
	return ""
}

func (s *Session) reorderWait() time.Duration {
	if s.way == source.UDP {
		return reorderWait
	}
	return 0
}

// choose picks the first video medium that is H.264.
func (s *Session) choose(desc *sdp.Session) (*sdp.Media, error) {
	var chosen *sdp.Media
	var other string
	for i := range desc.Media {
		m := &desc.Media[i]
		for _, f := range m.Formats {
			use := chosen == nil && m.Kind == "video" && f.Encoding == string(media.H264) && !strings.Contains(m.Profile, "SAVP")
			if use {
				chosen, s.format = m, f
			} else if m.Kind == "video" && other == "" {
				other = firstSet(f.Encoding, fmt.Sprintf("payload type %d", f.PayloadType))
			}
			s.tracks = append(s.tracks, source.TrackFacts{Kind: m.Kind, Codec: f.Encoding, ClockRate: f.ClockRate, Channels: f.Channels, Used: use})
		}
	}
	switch {
	case chosen != nil:
		return chosen, nil
	case other != "":
		return nil, fault.New(fault.CodecNotHandled, nil, "it sends %s", other)
	}
	return nil, fault.New(fault.NoVideo, nil, "")
}

// transport does SETUP.
func (s *Session) transport(ctx context.Context, trackURL string) error {
	want := rtspmsg.Transport{Profile: "RTP/AVP/TCP", Interleaved: [2]int{0, 1}}
	if s.way == source.UDP {
		pair, err := listenPair(s.control.conn.LocalAddr())
		if err != nil {
			return fault.New(fault.TransportNo, err, "no pair of UDP ports is free here: %v", err)
		}
		s.udp = pair
		want = rtspmsg.Transport{Profile: "RTP/AVP", ClientPort: pair.ports()}
	}
	answer, err := s.control.ask(ctx, "SETUP", trackURL, rtspmsg.Header{"Transport": {want.String()}})
	if err != nil {
		return err
	}
	got, err := rtspmsg.ParseTransport(answer.Header.Get("Transport"))
	if err != nil || got.TCP() != (s.way == source.TCP) {
		return fault.New(fault.TransportNo, err, "asked for %s, got %q", want, answer.Header.Get("Transport"))
	}
	var id string
	id, s.lifetime = rtspmsg.ParseSession(answer.Header.Get("Session"))
	s.control.mu.Lock()
	s.control.session = id
	s.control.mu.Unlock()
	s.channels = want.Interleaved
	if got.Interleaved[0] >= 0 {
		s.channels = got.Interleaved
	}
	if s.udp != nil {
		s.udp.aim(s.control.conn.RemoteAddr(), got)
	}
	return nil
}

func (s *Session) publish(sample *media.Sample) {
	s.cfg.Publish(sample)
}

// rtpPacket takes one RTP packet. data is only ours until we return.
func (s *Session) rtpPacket(data []byte, now time.Time) {
	var p prtp.Packet
	if err := p.Unmarshal(data); err != nil || p.PayloadType != s.format.PayloadType {
		return // not ours, or garbled: the gap in the sequence will tell
	}
	s.packets.Add(1)
	s.mu.Lock()
	s.count.packet(&p, s.format.ClockRate, now)
	s.recv.Packet(&p, now)
	first := s.recv.Stats().Pictures > 0 && !s.started.Load()
	s.mu.Unlock()
	if first && s.started.CompareAndSwap(false, true) {
		s.cfg.Started(s)
	}
}

// close says goodbye, without waiting for an answer, and lets everything go.
func (s *Session) close() {
	if s.control.session != "" && s.aggregate != "" {
		s.control.timeout = min(s.control.timeout, time.Second)
		_, _ = s.control.send("TEARDOWN", s.aggregate, nil)
	}
	_ = s.control.conn.Close()
	if s.udp != nil {
		s.udp.close()
	}
}

// udpPair is two neighbouring ports, the lower one even (RFC 3550, section 11).
type udpPair struct {
	rtp, rtcp         *net.UDPConn
	peerRTP, peerRTCP *net.UDPAddr
}

func listenPair(local net.Addr) (*udpPair, error) {
	const tries = 32
	ip := local.(*net.TCPAddr).IP
	var last error
	for range tries {
		a, err := net.ListenUDP("udp", &net.UDPAddr{IP: ip})
		if err != nil {
			return nil, err
		}
		port := a.LocalAddr().(*net.UDPAddr).Port
		if port%2 == 0 && port < 0xffff {
			b, err := net.ListenUDP("udp", &net.UDPAddr{IP: ip, Port: port + 1})
			if err == nil {
				const buffer = 2 << 20 // a large keyframe comes as one burst
				_ = a.SetReadBuffer(buffer)
				return &udpPair{rtp: a, rtcp: b}, nil
			}
			last = err
		}
		_ = a.Close()
	}
	return nil, last
}

func (p *udpPair) ports() [2]int {
	port := p.rtp.LocalAddr().(*net.UDPAddr).Port
	return [2]int{port, port + 1}
}

// aim notes where the camera sends from, and opens the way for it in firewalls
// between by sending it something first.
func (p *udpPair) aim(remote net.Addr, got rtspmsg.Transport) {
	ip := remote.(*net.TCPAddr).IP
	if source := net.ParseIP(got.Source); source != nil {
		ip = source
	}
	p.peerRTP = &net.UDPAddr{IP: ip, Port: got.ServerPort[0]}
	p.peerRTCP = &net.UDPAddr{IP: ip, Port: got.ServerPort[1]}
	if got.ServerPort[0] == 0 {
		return
	}
	hello := []byte{0x80, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0} // an RTP packet without payload
	_, _ = p.rtp.WriteToUDP(hello, p.peerRTP)
	emptyReport := []byte{0x80, 201, 0, 1, 0, 0, 0, 0} // a receiver report about nobody
	_, _ = p.rtcp.WriteToUDP(emptyReport, p.peerRTCP)
}

func (p *udpPair) close() {
	_ = p.rtp.Close()
	_ = p.rtcp.Close()
}
