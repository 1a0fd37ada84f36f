// Package cmaf lays samples on the timeline of a CMAF track (ISO/IEC 23000-19) while
// they come: each begins exactly where the one before ended, and its end is known at
// once, without the next one.
//
// Players with Media Source Extensions drop everything up to the next keyframe where a
// sample does not begin near the end of the one before (measured in Chromium 156 and
// Firefox 153), so the jitter of a camera's clock must not become gaps.
package cmaf

import (
	"slices"

	"webostrum/core/media"
)

const (
	memory     = 9  // steps that are looked back on
	usualSteps = 25 // fps taken for granted until more is known

	// A sample lasts no less and no more than these tenths of the usual step, however
	// far the timeline is from where the camera's is.
	shortest = 6
	longest  = 15
	tenths   = 10
)

// Timeline lays the samples of one video track one behind the other. The zero value is
// ready. It is not safe for concurrent use.
type Timeline struct {
	steps   [memory]int64 // ticks, the newest ones of the source
	count   int
	last    int64 // DTS of the newest sample
	next    int64 // where the next one begins
	started bool
}

// Begin forgets where the timeline is, but not the pace: another epoch, or a gap.
func (t *Timeline) Begin() { t.started = false }

// Nominal is the usual step from one sample to the next in ticks of a track's clock.
func (t *Timeline) Nominal(track *media.Track) int64 {
	n := min(t.count, memory)
	if n == 0 {
		return int64(track.ClockRate) / usualSteps
	}
	steps := slices.Clone(t.steps[:n])
	slices.Sort(steps)
	return steps[n/2]
}

// Known says whether enough was seen of the pace to tell what is usual.
func (t *Timeline) Known() bool { return t.count >= memory }

// Place says where the next sample in decoding order begins on the timeline and how long
// it lasts, in ticks of its track's clock.
func (t *Timeline) Place(s *media.Sample) (begin int64, duration uint32) {
	if !t.started {
		t.started, t.next = true, s.DTS
	} else if step := s.DTS - t.last; step > 0 {
		t.steps[t.count%memory] = step
		t.count++
	}
	t.last = s.DTS
	nominal := max(1, t.Nominal(s.Track))
	length := min(max(s.DTS+nominal-t.next, max(1, nominal*shortest/tenths)), nominal*longest/tenths)
	begin = t.next
	t.next += max(1, length)
	return begin, uint32(t.next - begin)
}

// Started says whether a sample was placed since Begin.
func (t *Timeline) Started() bool { return t.started }

// Next is where the next sample begins, once one was placed.
func (t *Timeline) Next() int64 { return t.next }
