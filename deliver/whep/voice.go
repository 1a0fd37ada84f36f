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

// voice gives a feed's audio to one viewer, from now on: what is past is of no use.
type voice struct {
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

func newVoice(s *Session, audio Audio) *voice {
	return &voice{
		session: s, audio: audio, track: newTrack(s.feed, audio.Track.Codec), sequence: uint16(rand.Uint32()), base: rand.Uint32(),
	}
}

// run sends until ctx or the audio ends. It ends the session when the audio is coded
// otherwise from then on: the viewer may come again for that.
func (v *voice) run(ctx context.Context) {
	reader := v.audio.Hub.NewReader()
	defer reader.Close()
	for {
		s, _, err := reader.Next(ctx)
		if err != nil {
			return
		}
		if !media.SameAudio(s.Track, v.audio.Track) {
			v.session.cancel()
			return
		}
		if v.send(s) != nil {
			return
		}
	}
}

// length is how long a unit of the audio lasts, in ticks.
func (v *voice) length() int64 {
	if s := v.audio.Hub.Latest(); s != nil {
		return s.Length
	}
	return 0
}

func (v *voice) send(s *media.Sample) error {
	v.lag.add(time.Since(s.Captured))
	if v.last != nil && v.last.Epoch != s.Epoch {
		// The stream begins anew: the stamps go on as time did.
		passed := max(s.Captured.Sub(v.last.Captured), v.last.Track.Duration(v.last.Length))
		v.base += uint32(v.last.PTS + s.Track.Ticks(passed) - s.PTS)
	}
	v.last = s
	stamp := v.base + uint32(s.PTS)
	for _, payload := range rtp.Payloads(s, mtu) {
		h := prtp.Header{SequenceNumber: v.sequence, Timestamp: stamp}
		v.sequence++
		v.packets++
		v.bytes += uint64(len(payload))
		v.session.stats.bytes.Add(uint64(len(payload)))
		if err := v.track.write(&h, payload); err != nil {
			return err
		}
	}
	now := time.Now()
	if now.Sub(v.reported) < reportEvery {
		return nil
	}
	v.reported = now
	return v.session.report(v.track, s, stamp, v.packets, v.bytes)
}

// Audio is what a session lets be heard.
type Audio struct {
	Hub   *hub.Hub
	Track *media.Track // of Opus or G.711
}
