package accessunit

import (
	"webostrum/core/media"
	"webostrum/core/timeline"
)

// Line lays pictures on a timeline, and counts them. Set the timeline's Clock and Publish.
type Line struct {
	timeline.Video
	counts Counts
	b      bool
	slices int
}

// Counts is what a line has counted since it was made.
type Counts struct {
	Pictures  uint64 // passed on
	Keyframes uint64
	WithSets  uint64 // keyframes that parameter sets came with
	Dropped   uint64 // pictures not passed on, for whatever reason
	Holes     uint64 // of these, for a missing part
	Jumps     uint64 // times the sender's clock was set anew
}

// Sink is where a builder's pictures go to the line.
func (l *Line) Sink() Sink { return Sink{Unit: l.unit, Dropped: l.dropped} }

// Counts returns the counters.
func (l *Line) Counts() Counts {
	c := l.counts
	c.Jumps = l.Jumps()
	return c
}

// HasB says whether frames are shown in another order than they are decoded in.
func (l *Line) HasB() bool { return l.b }

// SlicesPerPicture returns the most slices that a picture had.
func (l *Line) SlicesPerPicture() int { return l.slices }

func (l *Line) dropped(why DropReason) {
	l.counts.Dropped++
	if why == DropHole {
		l.counts.Holes++
	}
}

func (l *Line) unit(p *Unit) {
	if !l.Take(timeline.Unit{Data: p.Data, Stamp: p.Stamp, Arrived: p.Arrived, Key: p.Key, Config: p.Config}) {
		l.dropped(DropWaiting)
		return
	}
	l.b = l.b || p.B || p.Config.Codec == media.H265 && p.Config.Reorder > 0
	l.slices = max(l.slices, p.Slices)
	l.counts.Pictures++
	if p.Key {
		l.counts.Keyframes++
	}
	if p.Key && p.Sets {
		l.counts.WithSets++
	}
}
