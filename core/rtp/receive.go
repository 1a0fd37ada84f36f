package rtp

import (
	"time"

	"github.com/pion/rtp"

	"webostrum/core/accessunit"
	"webostrum/core/media"
	"webostrum/core/timeline"
)

// Stats is what a receiver has counted since it was made.
type Stats struct {
	Packets  uint64
	Lost     uint64 // packets that never came
	Late     uint64 // packets that came too late to be put in order
	Restarts uint64 // times the sender began another stream of packets (SSRC)
	Bytes    uint64 // payload
	accessunit.Counts
}

// VideoReceiver makes samples out of the RTP packets of one stream of video. It is not safe
// for concurrent use.
type VideoReceiver struct {
	reorder Reorderer
	depack  Depacketizer
	line    accessunit.Line
	codec   media.Codec
	stats   Stats
	ssrc    uint32
}

// ReceiverConfig says how to receive one stream.
type ReceiverConfig struct {
	ClockRate uint32 // ticks a second; 0 means 90,000

	// Wait is how long a packet is held back for an earlier one; 0 is right for
	// streams over TCP.
	Wait time.Duration

	// FirstEpoch is the number of the first epoch, so that numbers go on growing
	// over reconnections.
	FirstEpoch uint64

	Codec  media.Codec
	Params Params

	// Publish is called with each sample, in decoding order.
	Publish func(*media.Sample)
}

const videoClock = 90000

// NewVideoReceiver makes a receiver. The error says that no payload format of the codec is
// handled.
func NewVideoReceiver(cfg ReceiverConfig) (*VideoReceiver, error) {
	if cfg.ClockRate == 0 {
		cfg.ClockRate = videoClock
	}
	r := &VideoReceiver{codec: cfg.Codec, line: accessunit.Line{Video: timeline.Video{Publish: cfg.Publish, Clock: timeline.Clock{Rate: cfg.ClockRate}}}}
	r.reorder.Wait = cfg.Wait
	r.line.Begin(cfg.FirstEpoch)
	var err error
	r.depack, err = NewDepacketizer(cfg.Codec, cfg.Params, r.line.Sink())
	return r, err
}

// Packet takes a packet and its time of arrival. The payload may be reused
// once Packet returns when Wait is 0.
func (r *VideoReceiver) Packet(p *rtp.Packet, now time.Time) {
	if p.SSRC != r.ssrc && r.stats.Packets > 0 {
		// Another stream (RFC 3550, 8.2): its numbers and stamps have nothing to do with
		// those before, and nothing of it is lost.
		r.reorder.Restart()
		r.depack.Restart()
		r.line.Break()
		r.stats.Restarts++
	}
	r.ssrc = p.SSRC
	r.stats.Packets++
	r.stats.Bytes += uint64(len(p.Payload))
	r.reorder.Push(p, now, func(p *rtp.Packet, lost int, restart bool) {
		r.stats.Lost += uint64(lost)
		if restart {
			r.line.Break()
		}
		r.depack.Push(p, lost, now)
	})
}

// Report takes a sender report, see timeline.Clock.Report.
func (r *VideoReceiver) Report(ntp uint64, ts uint32, now time.Time) {
	r.line.Clock.Report(ntp, uint64(ts), now)
}

// Clock is what other streams of the same camera keep in step with.
func (r *VideoReceiver) Clock() *timeline.Clock { return &r.line.Clock }

// Stats returns the counters.
func (r *VideoReceiver) Stats() Stats {
	s := r.stats
	s.Late, s.Counts = r.reorder.Late, r.line.Counts()
	return s
}

// Codec returns how the stream is coded.
func (r *VideoReceiver) Codec() media.Codec { return r.codec }

// Config returns the configuration in force, or nil before the first keyframe.
func (r *VideoReceiver) Config() *media.VideoConfig { return r.line.Config() }

// HasB says whether B slices have been seen.
func (r *VideoReceiver) HasB() bool { return r.line.HasB() }

// SlicesPerPicture returns the most slices that a picture had.
func (r *VideoReceiver) SlicesPerPicture() int { return r.line.SlicesPerPicture() }

// FromReports says whether capture times come from sender reports.
func (r *VideoReceiver) FromReports() bool { return r.line.Clock.FromReports() }

// WallOffset says how far the camera's clock is off, by its newest report.
func (r *VideoReceiver) WallOffset() time.Duration { return r.line.Clock.WallOffset() }

// NextEpoch is the number to give to the receiver that comes after this one.
func (r *VideoReceiver) NextEpoch() uint64 { return r.line.NextEpoch() }
