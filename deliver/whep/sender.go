package whep

import (
	"context"
	"errors"
	"math/rand/v2"
	"sync"
	"time"

	"github.com/pion/rtcp"
	prtp "github.com/pion/rtp"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/timeline"
)

const (
	// Someone who joins gets the newest group of pictures at once, so that there is
	// a picture without waiting for the next keyframe. Those that are past are as far
	// apart in the stream as they are sent, so the browser shows them as they are
	// decoded, is at the live edge after that, and takes none of the later ones for
	// late or early. They are apart by this at least.
	pastTicks = clockRate / 10_000

	// Bursts are spread: so many bytes, then a pause; 48 Mbit/s. Buffers of sockets
	// on the way hold a few hundred kilobytes.
	burst      = 12 << 10
	burstPause = 2 * time.Millisecond

	history     = 1 << 11 // packets that can be sent again; a power of two
	reportEvery = time.Second
	fewestAgain = 500 * time.Millisecond

	// Packets that are sent again take a share of what the stream itself takes, whatever the
	// viewer asks for: a report of a few bytes can ask for thousands.
	repairShare = 4         // of what was sent first is that for repairs
	repairMost  = 256 << 10 // bytes that add up while nothing is missed

	// A packet is sent again once in a round trip, which is this while it is not known.
	usualTrip, leastTrip, longestTrip = 50 * time.Millisecond, 10 * time.Millisecond, 500 * time.Millisecond
)

// sender gives a stream's samples to one viewer.
type sender struct {
	session *Session
	own     *packetCache // of what was asked for
	stream  stream

	sequence uint16
	stamp    uint32    // of the newest picture
	at       time.Time // when that was sent
	base     uint32    // stamp of PTS 0, at the live edge
	live     bool      // stamps follow the samples
	epoch    *media.Epoch
	inBurst  int
	restart  time.Time
	reported time.Time

	mu     sync.Mutex
	sent   [history]packet // guarded by mu
	budget int             // bytes that may be sent again; guarded by mu
	mark   Mark            // guarded by mu
}

// Mark ties a stream's timestamps to the wall clock.
type Mark struct {
	RTPTime  uint32
	Captured time.Time
}

// errCoding ends a session whose feed is coded in another way from now on, which this
// viewer's side has not said that it takes: it asks anew.
var errCoding = errors.New("whep: the feed's coding has changed")

// packet is one that was sent, with all that its header says: one that is sent again has
// to be the same byte for byte, since SRTP encrypts both with one nonce (RFC 3711, 9.1;
// RFC 7714, 8.1).
type packet struct {
	sequence   uint16
	stamp      uint32
	marker     bool
	asked      bool      // for again
	again      time.Time // when it was sent again last
	codec      media.Codec
	extensions extensions
	payload    []byte
}

func newSender(s *Session, cache *packetCache) *sender {
	return &sender{session: s, own: cache, stream: stream{hub: s.source.Hub, cache: cache, release: func() {}}, sequence: uint16(rand.Uint32()), stamp: rand.Uint32(), budget: repairMost / 2}
}

// run sends until ctx or the stream ends.
func (z *sender) run(ctx context.Context) {
	reader := z.stream.hub.NewReader()
	defer func() { reader.Close(); z.stream.release() }()
	for {
		s, fresh, err := next(ctx, reader)
		if err != nil || z.send(ctx, s, fresh) != nil {
			return
		}
		again := z.session.again.Swap(false) && time.Since(z.restart) >= leastAgain(z.stream.hub)
		if z.change() || again {
			z.restart, z.live = time.Now(), false
			reader.Close()
			reader = z.stream.hub.NewReader()
		}
	}
}

// leastAgain is the least time between two fresh starts that the viewer asks for. One
// sends the newest group of pictures once more; were it sent each time that a viewer
// over a poor connection asks, that would fill the line.
func leastAgain(h *hub.Hub) time.Duration {
	const most = 2 // times what the stream takes
	key, latest := h.Key(), h.Latest()
	if key == nil || latest == nil || key.Epoch != latest.Epoch {
		return fewestAgain
	}
	return max(fewestAgain, latest.Track.Duration(latest.PTS-key.PTS)/most)
}

// next is the reader's next sample; fresh says that it was waited for.
func next(ctx context.Context, r *hub.Reader) (s *media.Sample, fresh bool, err error) {
	if s := r.Try(); s != nil {
		return s, false, nil
	}
	s, _, err = r.Next(ctx)
	return s, true, err
}

func (z *sender) send(ctx context.Context, s *media.Sample, fresh bool) error {
	if !z.session.track.takes(s.Track.Codec) {
		return errCoding
	}
	z.step(s, fresh, time.Now())
	payloads := z.stream.cache.payloads(s)
	for i, payload := range payloads {
		p := packet{sequence: z.sequence, stamp: z.stamp, marker: i == len(payloads)-1, codec: s.Track.Codec, payload: payload, extensions: z.session.track.extensionsAt(time.Now())}
		z.sequence++
		z.mu.Lock()
		z.sent[p.sequence%history] = p
		z.budget = min(z.budget+len(payload)/repairShare, repairMost)
		z.mu.Unlock()
		z.write(p)
		if err := z.pace(ctx, len(payload)); err != nil {
			return err
		}
	}
	z.inBurst = 0
	if z.live {
		z.session.lag.add(time.Since(s.Captured))
		z.session.holdPictures(time.Now())
		z.mu.Lock()
		z.mark = Mark{z.stamp, s.Captured}
		z.mu.Unlock()
	}
	z.report(s)
	return nil
}

// step moves the stamp on: as the samples do at the live edge, and before it as time
// does.
func (z *sender) step(s *media.Sample, fresh bool, now time.Time) {
	if s.Epoch != z.epoch {
		z.epoch, z.live = s.Epoch, false
	}
	if z.live {
		z.stamp = z.base + uint32(s.PTS)
	} else {
		if !z.at.IsZero() {
			z.stamp += max(pastTicks, uint32(int64(now.Sub(z.at).Seconds()*clockRate)))
		}
		z.live, z.base = fresh, z.stamp-uint32(s.PTS)
	}
	z.at = now
}

// write sends a packet. One that cannot be sent is lost, as others are on the way: while ICE
// begins anew the old way is closed already. A connection that is broken shows by its state.
func (z *sender) write(p packet) {
	h := prtp.Header{SequenceNumber: p.sequence, Timestamp: p.stamp, Marker: p.marker}
	z.session.stats.packets.Add(1)
	z.session.stats.bytes.Add(uint64(len(p.payload)))
	_ = z.session.track.write(&h, p.extensions, p.codec, p.payload)
}

// pace waits a little after so many bytes.
func (z *sender) pace(ctx context.Context, n int) error {
	if z.inBurst += n; z.inBurst < burst {
		return nil
	}
	z.inBurst = 0
	timer := time.NewTimer(burstPause)
	defer timer.Stop()
	select {
	case <-timer.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// repeat sends packets again that the viewer misses (RFC 4585, 6.2.1), as far as they fit
// its budget.
func (z *sender) repeat(nack *rtcp.TransportLayerNack, now time.Time) {
	trip := z.session.line.roundTrip()
	for _, pair := range nack.Nacks {
		for _, sequence := range pair.PacketList() {
			if p, ok := z.again(sequence, now, trip); ok {
				z.session.stats.repeated.Add(1)
				z.write(p)
			}
		}
	}
}

// again finds a packet that was sent and may be sent again now, and counts it as missed
// once.
func (z *sender) again(sequence uint16, now time.Time, trip time.Duration) (packet, bool) {
	z.mu.Lock()
	defer z.mu.Unlock()
	p := &z.sent[sequence%history]
	if p.payload == nil || p.sequence != sequence {
		return packet{}, false
	}
	if !p.asked {
		p.asked = true
		z.session.stats.missed.Add(1)
	}
	if now.Sub(p.again) < trip || len(p.payload) > z.budget {
		return packet{}, false
	}
	p.again = now
	z.budget -= len(p.payload)
	return *p, true
}

// report tells the viewer when pictures were taken.
func (z *sender) report(s *media.Sample) {
	now := time.Now()
	if !z.live || now.Sub(z.reported) < reportEvery {
		return
	}
	z.reported = now
	z.session.report(z.session.track, s, z.stamp, z.session.stats.packets.Load(), z.session.stats.bytes.Load())
}

// report sends a sender report: a sample of a track was taken at the time that its
// stamp stands for (RFC 3550, 6.4.1). One that cannot be sent is lost, like a packet.
func (s *Session) report(t *track, sample *media.Sample, stamp uint32, packets, bytes uint64) {
	_ = s.pc.WriteRTCP([]rtcp.Packet{&rtcp.SenderReport{
		SSRC: t.id(), NTPTime: timeline.ToNTP(sample.Captured), RTPTime: stamp, PacketCount: uint32(packets), OctetCount: uint32(bytes),
	}})
}
