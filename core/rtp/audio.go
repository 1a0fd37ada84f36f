package rtp

import (
	"time"

	"github.com/pion/rtp"

	"webostrum/core/media"
	"webostrum/core/sdp"
	"webostrum/core/timeline"
)

// AudioReceiver makes samples out of the RTP packets of one stream of audio: AAC
// (RFC 3640, RFC 6416), G.711 and L16 (RFC 3551), Opus (RFC 7587). It is not safe
// for concurrent use.
type AudioReceiver struct {
	reorder Reorderer
	line    timeline.Audio
	unpack  unpacker
	changed func(*media.Track)

	lost  int // packets missing since the last that was taken
	err   error
	stats AudioStats
	ssrc  uint32
}

// AudioStats is what a receiver has counted since it was made.
type AudioStats struct {
	Packets uint64
	Lost    uint64 // packets that never came
	Units   uint64 // passed on
	Dropped uint64 // packets that made no sense
}

// AudioConfig says how to receive one stream.
type AudioConfig struct {
	Format sdp.Format
	Wait   time.Duration   // as in ReceiverConfig
	Lead   *timeline.Clock // of the picture; may be nil

	// FirstEpoch is the number of the first epoch.
	FirstEpoch uint64

	// Publish is called with each sample.
	Publish func(*media.Sample)
}

// NewAudioReceiver makes a receiver. The error is an UnsupportedError.
func NewAudioReceiver(cfg AudioConfig) (*AudioReceiver, error) {
	u, err := newUnpacker(cfg.Format)
	if err != nil {
		return nil, err
	}
	r := &AudioReceiver{unpack: u, changed: func(*media.Track) {}}
	r.line.Publish, r.line.Clock = cfg.Publish, timeline.Clock{Rate: cfg.Format.ClockRate, Lead: cfg.Lead}
	r.line.Begin(cfg.FirstEpoch)
	r.reorder.Wait = cfg.Wait
	r.look()
	return r, nil
}

// OnTrack has f called when the coding becomes known, or changes, from here on:
// before the first sample that is coded so.
func (r *AudioReceiver) OnTrack(f func(*media.Track)) { r.changed = f }

// look tells of the track when it is new.
func (r *AudioReceiver) look() {
	t := r.unpack.track()
	if t == nil || t == r.line.Track() {
		return
	}
	r.line.SetTrack(t)
	r.changed(t)
}

// Packet takes a packet and its time of arrival. The payload may be reused once
// Packet returns when Wait is 0.
func (r *AudioReceiver) Packet(p *rtp.Packet, now time.Time) {
	if p.SSRC != r.ssrc && r.stats.Packets > 0 {
		r.reorder.Restart()
		r.line.Break()
	}
	r.ssrc = p.SSRC
	r.stats.Packets++
	r.reorder.Push(p, now, func(p *rtp.Packet, lost int, restart bool) {
		r.stats.Lost += uint64(lost)
		r.lost += lost
		if restart {
			r.line.Break()
		}
		r.take(p, now)
	})
}

func (r *AudioReceiver) take(p *rtp.Packet, now time.Time) {
	units, err := r.unpack.push(p.Payload, p.Marker, r.lost > 0)
	r.lost = 0
	if err != nil {
		r.stats.Dropped++
		r.err = err
		return
	}
	if len(units) == 0 {
		return
	}
	r.look()
	track := r.line.Track()
	if track == nil {
		return
	}
	var total int64
	for _, u := range units {
		total += u.Ticks
	}
	// A packet leaves when its last sample was taken; its timestamp is of the first.
	r.line.Take(units, uint64(p.Timestamp), now.Add(-track.Duration(total)))
}

// Report takes a sender report, see timeline.Clock.Report.
func (r *AudioReceiver) Report(ntp uint64, ts uint32, now time.Time) {
	r.line.Clock.Report(ntp, uint64(ts), now)
}

// Track describes the audio; nil as long as that is not known.
func (r *AudioReceiver) Track() *media.Track { return r.line.Track() }

// Stats returns the counters.
func (r *AudioReceiver) Stats() AudioStats {
	s := r.stats
	passed, dropped := r.line.Counts()
	s.Units, s.Dropped = passed, s.Dropped+dropped
	return s
}

// Err returns why packets cannot be used; nil when all is well.
func (r *AudioReceiver) Err() error { return r.err }

// NextEpoch is the number to give to the receiver that comes after this one.
func (r *AudioReceiver) NextEpoch() uint64 { return r.line.NextEpoch() }
