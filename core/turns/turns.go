// Package turns is what a feed needs whose picture comes from other feeds in turn: whose turn
// it is, and one unbroken timeline of what they send.
package turns

import (
	"slices"
	"time"

	"webostrum/core/media"
)

// Source is one of those that take turns.
type Source struct {
	Feed  string
	Dwell time.Duration // how long it stays
}

// Turn is who is on, and since when.
type Turn struct {
	Feed  string
	Since time.Time
}

// Next says who is to be on: whoever is held, as long as it is live; else whoever is on, until
// its time is over or it is not live any more; else the next one in order that is live. It
// also says who was passed over. Nobody is on when none is live.
func Next(list []Source, present Turn, held string, live func(feed string) bool, now time.Time) (feed string, skipped []string) {
	if held != "" && live(held) {
		return held, nil
	}
	at := slices.IndexFunc(list, func(s Source) bool { return s.Feed == present.Feed })
	if at >= 0 && live(present.Feed) && now.Sub(present.Since) < list[at].Dwell {
		return present.Feed, nil
	}
	for i := 1; i <= len(list); i++ {
		s := list[(at+i+len(list))%len(list)]
		if live(s.Feed) {
			return s.Feed, skipped
		}
		skipped = append(skipped, s.Feed)
	}
	return "", skipped
}

// leastStep is by how much a sample is behind the one before where two sources meet.
const leastStep = 20 * time.Millisecond

// Line lays what comes of one source after the other on one timeline. Each begins with a
// keyframe. An epoch goes on as long as all are coded in the same way.
type Line struct {
	epoch  *media.Epoch
	track  *media.Track
	number uint64 // of the next epoch
	from   *media.Epoch
	offset int64 // from the source's timeline to ours, ticks
	last   int64 // DTS of the newest sample, ticks
	origin time.Time
	begun  bool
}

// NewLine makes a line whose first epoch has a number.
func NewLine(number uint64) *Line { return &Line{number: number} }

// NextEpoch is the number of the epoch after the present one.
func (l *Line) NextEpoch() uint64 { return l.number }

// Fits says whether a sample of another source can follow without another epoch.
func (l *Line) Fits(s *media.Sample) bool {
	return l.track != nil && l.track.Video.Equal(s.Track.Video)
}

// Switch goes over to another source, whose first sample is a keyframe.
func (l *Line) Switch(first *media.Sample) {
	if !l.Fits(first) || first.Track.ClockRate != l.track.ClockRate {
		track := *first.Track
		l.track = &track
		l.epoch = &media.Epoch{Number: l.number, Tracks: []*media.Track{l.track}}
		l.number++
	}
	at := l.last
	if !l.begun {
		l.begun, l.origin = true, first.Captured
	} else {
		at = max(l.last+l.track.Ticks(leastStep), l.track.Ticks(first.Captured.Sub(l.origin)))
	}
	l.from, l.offset = first.Epoch, at-first.DTS
}

// Sample lays a sample of the present source. Another epoch of the source is as another
// source, which has to begin with a keyframe; what cannot follow is nil.
func (l *Line) Sample(s *media.Sample) *media.Sample {
	if s.Epoch != l.from {
		if !s.Key {
			return nil
		}
		l.Switch(s)
	}
	out := *s
	out.Epoch, out.Track = l.epoch, l.track
	out.DTS, out.PTS = s.DTS+l.offset, s.PTS+l.offset
	if out.DTS <= l.last && l.last != 0 {
		out.PTS += l.last + 1 - out.DTS
		out.DTS = l.last + 1
	}
	l.last = out.DTS
	return &out
}
