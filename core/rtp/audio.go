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
	clock   timeline.Clock
	unpack  unpacker
	publish func(*media.Sample)
	changed func(*media.Track)

	epoch  *media.Epoch
	number uint64
	track  *media.Track
	origin int64 // ticks at which the epoch's PTS is zero
	end    int64 // PTS at which the newest sample ends
	broken bool  // the timeline broke
	lost   int   // packets missing since the last that was taken
	err    error
	stats  AudioStats
	ssrc   uint32
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
	r := &AudioReceiver{unpack: u, publish: cfg.Publish, changed: func(*media.Track) {}, number: cfg.FirstEpoch}
	r.reorder.Wait = cfg.Wait
	r.clock.Rate, r.clock.Lead = cfg.Format.ClockRate, cfg.Lead
	r.look()
	return r, nil
}

// OnTrack has f called when the coding becomes known, or changes, from here on:
// before the first sample that is coded so.
func (r *AudioReceiver) OnTrack(f func(*media.Track)) { r.changed = f }

// look tells of the track when it is new.
func (r *AudioReceiver) look() {
	t := r.unpack.track()
	if t == nil || t == r.track {
		return
	}
	r.track, r.broken = t, true
	r.changed(t)
}

// Packet takes a packet and its time of arrival. The payload may be reused once
// Packet returns when Wait is 0.
func (r *AudioReceiver) Packet(p *rtp.Packet, now time.Time) {
	if p.SSRC != r.ssrc && r.stats.Packets > 0 {
		r.reorder.Restart()
		r.broken = true
	}
	r.ssrc = p.SSRC
	r.stats.Packets++
	r.reorder.Push(p, now, func(p *rtp.Packet, lost int, restart bool) {
		r.stats.Lost += uint64(lost)
		r.lost += lost
		if restart {
			r.broken = true
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
	if r.track == nil {
		return
	}
	var total int64
	for _, u := range units {
		total += u.ticks
	}
	// A packet leaves when its last sample was taken; its timestamp is of the first.
	reading := r.clock.Read(uint64(p.Timestamp), now.Add(-r.track.Duration(total)))
	if reading.Jumped {
		r.broken = true
	}
	pts := reading.Ticks
	for _, u := range units {
		r.give(u, pts, reading.Captured.Add(r.track.Duration(pts-reading.Ticks)))
		pts += u.ticks
	}
}

// give publishes one unit. Cameras that round their timestamps make units overlap
// by some ticks; one that begins before the last one has half ended is left out.
func (r *AudioReceiver) give(u unit, ticks int64, captured time.Time) {
	if r.broken || r.epoch == nil {
		r.broken = false
		r.epoch = &media.Epoch{Number: r.number, Tracks: []*media.Track{r.track}}
		r.number++
		r.origin, r.end = ticks, 0
	}
	pts := ticks - r.origin
	if pts < r.end-u.ticks/2 {
		r.stats.Dropped++
		return
	}
	r.end = pts + u.ticks
	r.stats.Units++
	r.publish(&media.Sample{
		Epoch: r.epoch, Track: r.track, DTS: pts, PTS: pts, Length: u.ticks, Captured: captured, Key: true, Data: u.data,
	})
}

// Report takes a sender report, see timeline.Clock.Report.
func (r *AudioReceiver) Report(ntp uint64, ts uint32, now time.Time) {
	r.clock.Report(ntp, uint64(ts), now)
}

// Track describes the audio; nil as long as that is not known.
func (r *AudioReceiver) Track() *media.Track { return r.track }

// Stats returns the counters.
func (r *AudioReceiver) Stats() AudioStats { return r.stats }

// Err returns why packets cannot be used; nil when all is well.
func (r *AudioReceiver) Err() error { return r.err }

// NextEpoch is the number to give to the receiver that comes after this one.
func (r *AudioReceiver) NextEpoch() uint64 { return r.number }
