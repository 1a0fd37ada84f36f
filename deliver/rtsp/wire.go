package rtsp

import (
	"context"
	"encoding/binary"
	"math/rand/v2"
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/rtspmsg"
)

// wire is a medium's packets, made once for all its viewers: a hub of samples whose data is
// interleaved frames (RFC 2326, 10.12), and whose PTS is the RTP timestamp.
type wire struct {
	source  *hub.Hub
	hub     *hub.Hub
	channel byte // of the frames
	ssrc    uint32
	users   int // guarded by Server.mu
	cancel  context.CancelFunc
	done    chan struct{}
}

const frameHead = 4

// wireOf returns the packets of a medium, which go on until the last of its users gives them
// up.
func (s *Server) wireOf(m medium) *wire {
	s.mu.Lock()
	defer s.mu.Unlock()
	w := s.wires[m.hub]
	if w == nil {
		ctx, cancel := context.WithCancel(s.ctx)
		w = &wire{source: m.hub, hub: hub.New(hub.Config{}), ssrc: rand.Uint32(), cancel: cancel, done: make(chan struct{})}
		if m.track.Kind == media.KindAudio {
			w.channel = 2
		}
		s.wires[m.hub] = w
		go func() { // giveUp waits for its end
			defer close(w.done)
			defer w.hub.Close()
			s.guarded(func() { w.run(ctx, m) })
		}()
	}
	w.users++
	return w
}

func (s *Server) giveUp(w *wire) {
	s.mu.Lock()
	w.users--
	last := w.users == 0
	if last {
		delete(s.wires, w.source)
	}
	s.mu.Unlock()
	if last {
		w.cancel()
		<-w.done
	}
}

// run makes packets until ctx ends, the source does, or it is coded otherwise than was
// described.
func (w *wire) run(ctx context.Context, m medium) {
	reader := w.source.NewReader()
	defer reader.Close()
	z := &rtp.Packetizer{SSRC: w.ssrc, PayloadType: m.payloadType, MTU: mtu, Sequence: uint16(rand.Uint32())}
	var last *media.Sample
	shift := int64(rand.Uint32())
	for {
		s, _, err := reader.Next(ctx)
		if err != nil || !fits(m.track, s.Track) {
			return
		}
		if last != nil && s.Epoch != last.Epoch { // the clock goes on as the day does
			shift += last.PTS + s.Track.Ticks(max(s.Captured.Sub(last.Captured), time.Millisecond)) - s.PTS
		}
		last = s
		z.Base = uint32(shift)
		w.hub.Publish(&media.Sample{Epoch: s.Epoch, Track: s.Track, DTS: s.DTS, PTS: s.PTS + shift, Captured: s.Captured, Key: s.Key, Data: w.frames(z, s)})
	}
}

// fits says whether a track may follow another without another description.
func fits(before, now *media.Track) bool {
	if now.Kind == media.KindAudio {
		return media.SameAudio(before, now)
	}
	return before.Codec == now.Codec && before.ClockRate == now.ClockRate
}

// frames are a sample's packets behind their heads.
func (w *wire) frames(z *rtp.Packetizer, s *media.Sample) []byte {
	const spare = 64
	b := make([]byte, 0, len(s.Data)+len(s.Data)/mtu*(frameHead+2*spare)+spare)
	for _, p := range z.Packets(s) {
		n := p.MarshalSize()
		b = append(b, rtspmsg.Magic, w.channel, byte(n>>8), byte(n))
		at := len(b)
		b = append(b, make([]byte, n)...)
		if _, err := p.MarshalTo(b[at:]); err != nil { // it has no extensions that could be wrong
			b = b[:at-frameHead]
		}
	}
	return b
}

// packets calls give with each packet of frames, as long as it returns true.
func packets(frames []byte, give func([]byte) bool) bool {
	for len(frames) > frameHead {
		n := frameHead + int(binary.BigEndian.Uint16(frames[2:]))
		if !give(frames[frameHead:n]) {
			return false
		}
		frames = frames[n:]
	}
	return true
}

// sendShared sends a medium's packets to one viewer until ctx ends.
func (c *connection) sendShared(ctx context.Context, p *part) {
	reader := p.wire.hub.NewReader()
	defer reader.Close()
	var reported time.Time
	for {
		s, _, err := reader.Next(ctx)
		if err != nil {
			return
		}
		if now := time.Now(); now.Sub(reported) >= reportsEvery {
			reported = now
			if !p.out.rtcp(report(p.wire.ssrc, s.Captured, uint32(s.PTS))) {
				return
			}
		}
		if !p.out.frames(s.Data) {
			return
		}
		c.sent.Add(uint64(len(s.Data)))
	}
}
