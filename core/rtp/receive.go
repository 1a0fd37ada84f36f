package rtp

import (
	"time"

	"github.com/pion/rtp"

	"webostrum/core/media"
	"webostrum/core/nalu"
)

// Stats is what a receiver has counted since it was made.
type Stats struct {
	Packets   uint64
	Lost      uint64 // packets that never came
	Late      uint64 // packets that came too late to be put in order
	Restarts  uint64 // times the sender began another stream of packets (SSRC)
	Bytes     uint64 // payload
	Pictures  uint64 // passed on
	Keyframes uint64
	Dropped   uint64 // pictures not passed on, for whatever reason
	Holes     uint64 // of these, for a missing packet
	Jumps     uint64 // times the sender's clock was set anew
}

// VideoReceiver makes samples out of the RTP packets of one stream of video. It is not safe
// for concurrent use.
type VideoReceiver struct {
	reorder Reorderer
	depack  Depacketizer
	clock   Clock
	dts     nalu.DecodeTimes

	codec   media.Codec
	publish func(*media.Sample)
	epoch   *media.Epoch
	track   *media.Track
	origin  int64 // ticks at which the epoch's DTS and PTS are zero
	broken  bool  // the timeline broke: the next keyframe begins a new epoch
	b       bool
	slices  int
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
	r := &VideoReceiver{publish: cfg.Publish, codec: cfg.Codec}
	r.reorder.Wait = cfg.Wait
	r.clock.Rate = cfg.ClockRate
	r.epoch = &media.Epoch{Number: cfg.FirstEpoch}
	var err error
	r.depack, err = NewDepacketizer(cfg.Codec, cfg.Params, Sink{Unit: r.unit, Dropped: r.dropped})
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
		r.broken = true
		r.stats.Restarts++
	}
	r.ssrc = p.SSRC
	r.stats.Packets++
	r.stats.Bytes += uint64(len(p.Payload))
	r.reorder.Push(p, now, func(p *rtp.Packet, lost int, restart bool) {
		r.stats.Lost += uint64(lost)
		if restart {
			r.broken = true
		}
		r.depack.Push(p, lost, now)
	})
}

// Report takes a sender report, see Clock.Report.
func (r *VideoReceiver) Report(ntp uint64, ts uint32, now time.Time) { r.clock.Report(ntp, ts, now) }

// Clock is what other streams of the same camera keep in step with.
func (r *VideoReceiver) Clock() *Clock { return &r.clock }

// Stats returns the counters.
func (r *VideoReceiver) Stats() Stats {
	s := r.stats
	s.Late = r.reorder.Late
	return s
}

// Codec returns how the stream is coded.
func (r *VideoReceiver) Codec() media.Codec { return r.codec }

// Config returns the configuration in force, or nil before the first keyframe.
func (r *VideoReceiver) Config() *media.VideoConfig {
	if r.track == nil {
		return nil
	}
	return r.track.Video
}

// HasB says whether B slices have been seen.
func (r *VideoReceiver) HasB() bool { return r.b }

// SlicesPerPicture returns the most slices that a picture had.
func (r *VideoReceiver) SlicesPerPicture() int { return r.slices }

// FromReports says whether capture times come from sender reports.
func (r *VideoReceiver) FromReports() bool { return r.clock.FromReports() }

// WallOffset says how far the camera's clock is off, by its newest report.
func (r *VideoReceiver) WallOffset() time.Duration { return r.clock.WallOffset() }

func (r *VideoReceiver) dropped(why DropReason) {
	r.stats.Dropped++
	if why == DropHole {
		r.stats.Holes++
	}
}

func (r *VideoReceiver) unit(p *AccessUnit) {
	if p.Key && r.track != nil && r.clock.Settle() {
		r.broken = true // nothing is dropped: this keyframe begins the epoch
	}
	reading := r.clock.Read(p.RTPTime, p.Arrived)
	if reading.Jumped {
		r.stats.Jumps++
		r.broken = true
	}
	if p.Key && (r.track == nil || r.broken || !r.track.Video.Equal(p.Config)) {
		r.begin(p.Config, reading.Ticks)
	}
	if r.track == nil || (r.broken && !p.Key) {
		r.dropped(DropWaiting)
		return
	}
	r.b = r.b || p.B || p.Config.Codec == media.H265 && p.Config.Reorder > 0
	r.slices = max(r.slices, p.Slices)
	r.stats.Pictures++
	if p.Key {
		r.stats.Keyframes++
	}
	pts := reading.Ticks - r.origin
	r.publish(&media.Sample{
		Epoch: r.epoch, Track: r.track, DTS: r.dts.Next(pts), PTS: pts,
		Captured: reading.Captured, Key: p.Key, Data: p.Data,
	})
}

// begin starts a new epoch at a keyframe.
func (r *VideoReceiver) begin(config *media.VideoConfig, ticks int64) {
	const usualRate = 25
	number := r.epoch.Number
	if r.track != nil {
		number++
	}
	r.broken = false
	r.track = media.VideoTrack(1, r.clock.Rate, config)
	r.epoch = &media.Epoch{Number: number, Tracks: []*media.Track{r.track}}
	frame := int64(r.clock.Rate) / usualRate
	if config.FrameRate > 1 {
		frame = int64(float64(r.clock.Rate) / config.FrameRate)
	}
	r.dts.Reset(config.Reorder, frame)
	// Decode times start at zero and stay positive, whatever is reordered.
	r.origin = ticks - int64(max(config.Reorder, 0))*frame
}

// NextEpoch is the number to give to the receiver that comes after this one.
func (r *VideoReceiver) NextEpoch() uint64 {
	if r.track == nil {
		return r.epoch.Number
	}
	return r.epoch.Number + 1
}
