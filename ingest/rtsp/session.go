package rtsp

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	prtp "github.com/pion/rtp"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/plan"
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
	asked     atomic.Pointer[asked] // the newest keepalive; nil once it is answered
	lifetime  time.Duration         // of the session, without a sign of life
	server    string
	tracks    []source.TrackFacts
	streams   []*stream // of the picture, and of the audio if there is any

	requested func(*rtspmsg.Message) error // answers requests of a publisher; nil of a camera

	packets  atomic.Int64 // RTP packets of the picture seen; the watch looks at it
	other    atomic.Int64 // RTP packets whose payload type nobody announced
	otherPT  atomic.Int32 // the newest such type
	started  atomic.Bool
	receiver uint32 // our SSRC in receiver reports

	mu    sync.Mutex
	recv  *rtp.VideoReceiver // guarded by mu
	audio *rtp.AudioReceiver // guarded by mu; nil when there is no audio
}

// open goes as far as PLAY.
func open(ctx context.Context, cfg source.Config, u *url.URL, way source.Transport) (*Session, error) {
	d, err := follow(ctx, cfg, u, way)
	if err != nil {
		return nil, err
	}
	s := &Session{cfg: cfg, control: d.control, way: way, methods: d.methods, receiver: rand.Uint32()}
	stop := context.AfterFunc(ctx, func() { _ = d.conn.Close() })
	defer stop()
	if err := s.setUp(ctx, d.url, d.answer); err != nil {
		s.close()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, err
	}
	s.server = d.server
	return s, nil
}

func (s *Session) setUp(ctx context.Context, u *url.URL, described *rtspmsg.Message) error {
	desc, err := sdp.Parse(described.Body)
	if err != nil {
		return fault.New(fault.Garbled, err, "its session description cannot be read")
	}
	picture, audio, err := s.choose(desc)
	if err != nil {
		return err
	}
	base := firstSet(described.Header.Get("Content-Base"), described.Header.Get("Content-Location"), u.String())
	s.aggregate = sdp.Resolve(base, desc.Control)
	if err := s.receive(picture); err != nil {
		return err
	}
	if err := s.transport(ctx, picture.stream, sdp.Resolve(s.aggregate, picture.control)); err != nil {
		return err
	}
	s.setUpAudio(ctx, audio)
	_, err = s.control.ask(ctx, "PLAY", s.aggregate, rtspmsg.Header{"Range": {"npt=0.000-"}})
	return err
}

// receive makes what receives the picture.
func (s *Session) receive(m *medium) (err error) {
	s.recv, err = rtp.NewVideoReceiver(rtp.ReceiverConfig{
		Codec: media.Codec(m.format.Encoding), Params: m.params,
		ClockRate: m.format.ClockRate, Wait: s.reorderWait(), FirstEpoch: s.cfg.FirstEpoch, Publish: s.cfg.Publish,
	})
	if err != nil {
		return fault.New(fault.CodecNotHandled, err, "it sends %s", plan.Name(media.Codec(m.format.Encoding)))
	}
	m.packet, m.report = s.picturePacket, s.recv.Report
	return nil
}

// setUpAudio sets the audio up, if there is any. A picture without audio is better
// than none, so what goes wrong is noted and no more.
func (s *Session) setUpAudio(ctx context.Context, m *medium) {
	if m == nil || s.cfg.Audio == nil {
		s.cfg.AudioTrack(nil)
		return
	}
	audio, err := s.newAudio(m)
	if err == nil {
		err = s.transport(ctx, m.stream, sdp.Resolve(s.aggregate, m.control))
	}
	s.hear(m, audio, err)
}

// newAudio makes what receives the audio.
func (s *Session) newAudio(m *medium) (*rtp.AudioReceiver, error) {
	audio, err := rtp.NewAudioReceiver(rtp.AudioConfig{
		Format: m.format, Wait: s.reorderWait(), Lead: s.recv.Clock(), FirstEpoch: s.cfg.FirstEpoch, Publish: s.cfg.Audio,
	})
	if err == nil {
		m.packet, m.report = audio.Packet, audio.Report
	}
	return audio, err
}

// receiveAudio is setUpAudio of a publisher, whose transport stands.
func (s *Session) receiveAudio(m *medium) {
	audio, err := s.newAudio(m)
	if err != nil {
		m.packet, m.report = func(*prtp.Packet, time.Time) {}, func(uint64, uint32, time.Time) {}
	}
	s.hear(m, audio, err)
}

// hear notes what came of the audio; without it the picture goes on.
func (s *Session) hear(m *medium, audio *rtp.AudioReceiver, err error) {
	facts := &s.tracks[m.facts]
	if err != nil {
		facts.Why = err.Error()
		s.cfg.AudioTrack(nil)
		return
	}
	facts.Used, s.audio = true, audio
	if t := audio.Track(); t != nil {
		s.cfg.AudioTrack(t)
	}
	audio.OnTrack(s.cfg.AudioTrack)
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
	if !s.way.Interleaved() {
		return reorderWait
	}
	return mixedWait
}

// medium is a medium of the description that may be played.
type medium struct {
	*stream
	control string
	facts   int // place in Session.tracks
	params  rtp.Params
}

// handled are the codecs of video that can be received.
var handled = []media.Codec{media.H264, media.H265, media.JPEG}

// paramsOf is what a description says of a payload format.
func paramsOf(m *sdp.Media, f *sdp.Format) rtp.Params {
	don, _ := strconv.Atoi(f.Params["sprop-max-don-diff"]) // 0 when it is not there
	return rtp.Params{Sets: f.ParameterSets(), DecodingOrder: don > 0, Width: m.Width, Height: m.Height}
}

// choose picks the first video medium of a codec that is handled, and the first of audio;
// audio is nil when there is none.
func (s *Session) choose(desc *sdp.Session) (picture, audio *medium, err error) {
	var other string
	encrypted := false
	for i := range desc.Media {
		m := &desc.Media[i]
		for _, f := range m.Formats {
			facts := source.TrackFacts{Kind: m.Kind, Codec: f.Encoding, ClockRate: f.ClockRate, Channels: f.Channels}
			key := openSecure(m)
			plain := !secured(m) || key != nil
			at := &medium{stream: &stream{format: f, secure: key}, control: m.Control, facts: len(s.tracks), params: paramsOf(m, &f)}
			switch {
			case m.Kind == "video" && picture == nil && plain && slices.Contains(handled, media.Codec(f.Encoding)):
				picture, facts.Used = at, true
			case m.Kind == "video" && !plain:
				encrypted = true
			case m.Kind == "video" && other == "":
				other = firstSet(f.Encoding, fmt.Sprintf("payload type %d", f.PayloadType))
			case m.Kind == "audio" && audio == nil && plain && m.Direction != "recvonly": // that is the camera's loudspeaker
				audio = at
			}
			s.tracks = append(s.tracks, facts)
		}
	}
	switch {
	case picture != nil:
		return picture, audio, nil
	case encrypted:
		return nil, nil, fault.New(fault.CodecNotHandled, nil, "it sends encrypted RTP, and its description has no key that is handled")
	case other != "":
		return nil, nil, fault.New(fault.CodecNotHandled, nil, "it sends %s", plan.Name(media.Codec(other)))
	}
	return nil, nil, fault.New(fault.NoVideo, nil, "")
}

// transport does SETUP.
func (s *Session) transport(ctx context.Context, m *stream, trackURL string) error {
	first := 2 * len(s.streams)
	profile := "RTP/AVP"
	if m.secure != nil {
		profile = "RTP/SAVP"
	}
	want := rtspmsg.Transport{Profile: profile + "/TCP", Interleaved: [2]int{first, first + 1}}
	switch s.way {
	case source.Multicast:
		want = rtspmsg.Transport{Profile: profile, Multicast: true}
	case source.UDP:
		pair, err := listenPair(s.control.conn.LocalAddr())
		if err != nil {
			return fault.New(fault.TransportNo, err, "no pair of UDP ports is free here: %v", err)
		}
		m.udp = pair
		want = rtspmsg.Transport{Profile: profile, ClientPort: pair.ports()}
	}
	s.streams = append(s.streams, m)
	err := s.ask(ctx, m, trackURL, want)
	if err != nil {
		s.streams = s.streams[:len(s.streams)-1]
		if m.udp != nil {
			m.udp.close()
		}
	}
	return err
}

// ask asks for a transport and takes what the camera makes of it.
func (s *Session) ask(ctx context.Context, m *stream, trackURL string, want rtspmsg.Transport) error {
	answer, err := s.control.ask(ctx, "SETUP", trackURL, rtspmsg.Header{"Transport": {want.String()}})
	if err != nil {
		return err
	}
	got, err := rtspmsg.ParseTransport(answer.Header.Get("Transport"))
	if err != nil || got.TCP() != s.way.Interleaved() {
		return fault.New(fault.TransportNo, err, "asked for %s, got %q", want, answer.Header.Get("Transport"))
	}
	var id string
	id, s.lifetime = rtspmsg.ParseSession(answer.Header.Get("Session"))
	s.control.mu.Lock()
	s.control.session = id
	s.control.mu.Unlock()
	if s.way == source.Multicast {
		if m.udp, err = joinPair(s.control.conn.LocalAddr(), s.control.conn.RemoteAddr(), got); err != nil {
			return fault.New(fault.TransportNo, err, "asked for multicast, got %.100q: %v", answer.Header.Get("Transport"), err)
		}
		return nil
	}
	m.channels = want.Interleaved
	if got.Interleaved[0] >= 0 {
		m.channels = got.Interleaved
	}
	if m.udp != nil {
		m.udp.aim(s.control.conn.RemoteAddr(), got)
	}
	return nil
}

// picturePacket takes a packet of the picture, under the lock.
func (s *Session) picturePacket(p *prtp.Packet, now time.Time) {
	s.packets.Add(1)
	s.recv.Packet(p, now)
}

// close says goodbye, without waiting for an answer, and lets everything go.
func (s *Session) close() {
	if s.control.session != "" && s.aggregate != "" {
		s.control.timeout = min(s.control.timeout, time.Second)
		_ = s.control.send("TEARDOWN", s.aggregate, nil)
	}
	_ = s.control.conn.Close()
	for _, m := range s.streams {
		if m.udp != nil {
			m.udp.close()
		}
	}
}
