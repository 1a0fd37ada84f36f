package timeline

import (
	"time"

	"webostrum/core/media"
	"webostrum/core/nalu"
)

// Unit is an access unit as a source brings it.
type Unit struct {
	Data    []byte    // as in media.Sample
	Stamp   uint64    // presentation time by the source's clock
	Arrived time.Time // of its beginning
	Key     bool
	Config  *media.VideoConfig // in force; never nil
}

// Video makes samples of access units in decoding order. An epoch begins with the first
// keyframe, and at the first after the coding has changed or the timeline has broken. It is
// not safe for concurrent use.
type Video struct {
	Clock   Clock
	Publish func(*media.Sample)

	dts    nalu.DecodeTimes
	number uint64
	epoch  *media.Epoch
	track  *media.Track
	origin int64 // ticks at which the epoch's DTS and PTS are zero
	broken bool  // the next keyframe begins a new epoch
	jumps  uint64
}

// Begin sets the number of the first epoch, so that numbers go on growing over
// reconnections.
func (v *Video) Begin(number uint64) { v.number = number }

// Break says that what comes next has nothing to do with what came before.
func (v *Video) Break() { v.broken = true }

// Take takes the next access unit; taken is false for one that nothing can be made of before
// the next keyframe.
func (v *Video) Take(u Unit) (taken bool) {
	if u.Key && v.track != nil && v.Clock.Settle() {
		v.broken = true // nothing is dropped: this keyframe begins the epoch
	}
	reading := v.Clock.Read(u.Stamp, u.Arrived)
	if reading.Jumped {
		v.jumps++
		v.broken = true
	}
	if u.Key && (v.track == nil || v.broken || !v.track.Video.Equal(u.Config)) {
		v.begin(u.Config, reading.Ticks)
	}
	if v.track == nil || v.broken {
		return false
	}
	pts := reading.Ticks - v.origin
	v.Publish(&media.Sample{Epoch: v.epoch, Track: v.track, DTS: v.dts.Next(pts), PTS: pts, Captured: reading.Captured, Key: u.Key, Data: u.Data})
	return true
}

// begin starts an epoch at a keyframe.
func (v *Video) begin(config *media.VideoConfig, ticks int64) {
	const usualRate = 25
	v.broken = false
	v.track = media.VideoTrack(1, v.Clock.Rate, config)
	v.epoch = &media.Epoch{Number: v.number, Tracks: []*media.Track{v.track}}
	v.number++
	frame := int64(v.Clock.Rate) / usualRate
	if config.FrameRate > 1 {
		frame = int64(float64(v.Clock.Rate) / config.FrameRate)
	}
	v.dts.Reset(config.Reorder, frame)
	// Decode times start at zero and stay positive, whatever is reordered.
	v.origin = ticks - int64(max(config.Reorder, 0))*frame
}

// Config returns the configuration in force, or nil before the first keyframe.
func (v *Video) Config() *media.VideoConfig {
	if v.track == nil {
		return nil
	}
	return v.track.Video
}

// Jumps is how often the source's clock was set anew.
func (v *Video) Jumps() uint64 { return v.jumps }

// NextEpoch is the number to give to the Video that comes after this one.
func (v *Video) NextEpoch() uint64 { return v.number }
