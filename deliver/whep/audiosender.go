package whep

import (
	"context"
	"math/rand/v2"
	"time"

	prtp "github.com/pion/rtp"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rtp"
)

// audioSender gives a feed's audio to one viewer, from now on: what is past is of no use.
type audioSender struct {
	session *Session
	audio   Audio
	track   *track
	lag     lag

	sequence       uint16
	base           uint32 // stamp of PTS 0
	last           *media.Sample
	reported       time.Time
	packets, bytes uint64
}

func newAudioSender(s *Session, audio Audio) *audioSender {
	return &audioSender{
		session: s, audio: audio, track: newTrack(s.feed, audio.Track.Codec), sequence: uint16(rand.Uint32()), base: rand.Uint32(),
	}
}

// run sends until ctx or the audio ends. It ends the session when the audio is coded
// otherwise from then on: the viewer may come again for that.
func (z *audioSender) run(ctx context.Context) {
	reader := z.audio.Hub.NewReader()
	defer reader.Close()
	for {
		s, _, err := reader.Next(ctx)
		if err != nil {
			return
		}
		if !media.SameAudio(s.Track, z.audio.Track) {
			z.session.cancel()
			return
		}
		z.send(s)
	}
}

// length is how long a unit of the audio lasts, in ticks.
func (z *audioSender) length() int64 {
	if s := z.audio.Hub.Latest(); s != nil {
		return s.Length
	}
	return 0
}

// send sends a unit; packets that cannot be sent are lost, see sender.write.
func (z *audioSender) send(s *media.Sample) {
	z.lag.add(time.Since(s.Captured))
	if z.last != nil && z.last.Epoch != s.Epoch {
		// The stream begins anew: the stamps go on as time did.
		passed := max(s.Captured.Sub(z.last.Captured), z.last.Track.Duration(z.last.Length))
		z.base += uint32(z.last.PTS + s.Track.Ticks(passed) - s.PTS)
	}
	z.last = s
	stamp := z.base + uint32(s.PTS)
	for _, payload := range rtp.Payloads(s, mtu) {
		h := prtp.Header{SequenceNumber: z.sequence, Timestamp: stamp}
		z.sequence++
		z.packets++
		z.bytes += uint64(len(payload))
		z.session.stats.bytes.Add(uint64(len(payload)))
		_ = z.track.write(&h, extensions{}, z.track.codec, payload)
	}
	now := time.Now()
	if now.Sub(z.reported) < reportEvery {
		return
	}
	z.reported = now
	z.session.report(z.track, s, stamp, z.packets, z.bytes)
}

// Audio is the audio that a session sends.
type Audio struct {
	Hub   *hub.Hub
	Track *media.Track // of Opus or G.711
}
