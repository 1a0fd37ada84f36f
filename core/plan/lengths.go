package plan

import (
	"fmt"
	"time"
)

// Wish is how far behind the picture may be, and what an expert sets of the lengths that
// follow from it. Zero values follow; no delay at all means whatever is cheapest.
type Wish struct {
	Within  time.Duration
	Segment time.Duration
	Part    time.Duration
	Listed  int // segments
}

// Lengths are how a presentation is cut.
type Lengths struct {
	Segment time.Duration
	Part    time.Duration // 0 for none: no low latency
	Listed  int
	// Nearest is the least delay that HLS can keep where that is more than was wished
	// for; else 0.
	Nearest time.Duration
	Notes   []string // sentences
}

const (
	// NearestHLS is the least delay that low-latency HLS keeps in every engine, measured.
	NearestHLS = 500 * time.Millisecond
	// mostLow is up to what delay parts are made; more is kept with segments alone.
	mostLow = 3500 * time.Millisecond

	shortestPart   = 200 * time.Millisecond
	partsAWish     = 5 // parts in the delay that is wished for
	usualSegment   = 2 * time.Second
	leastSegment   = 500 * time.Millisecond
	cheapSegment   = 6 * time.Second
	usualListed    = 6
	segmentsBehind = 3.5 // hold-back, and half of the one in the making
	player         = 700 * time.Millisecond
	partsOfSegment = 2
)

// Lengths says what follows from a wish.
func (w Wish) Lengths() Lengths {
	l := Lengths{Segment: usualSegment, Listed: usualListed}
	switch {
	case w.Within == 0:
		l.Segment = cheapSegment
	case w.Within <= mostLow:
		l.Part = max(shortestPart, (w.Within / partsAWish).Truncate(10*time.Millisecond))
	default:
		l.Segment = plainSegment(w.Within)
	}
	if w.Within > 0 && w.Within < NearestHLS {
		l.Nearest = NearestHLS
		l.note("HLS keeps no less than %v behind, so it is cut for that; WebRTC and live fragments keep within %v.", NearestHLS, w.Within)
	}
	if w.Segment > 0 && w.Segment != l.Segment {
		l.note("Segments of %v are set by hand; %v would follow from the delay.", w.Segment, l.Segment)
		l.Segment = w.Segment
	}
	if w.Part > 0 && w.Part != l.Part {
		l.note("Parts of %v are set by hand.", w.Part)
		l.Part = w.Part
	}
	if l.Part > l.Segment/partsOfSegment {
		l.Part = l.Segment / partsOfSegment
	}
	if w.Listed > 0 && w.Listed != l.Listed {
		l.note("A list of %d segments is set by hand; %d would follow.", w.Listed, l.Listed)
		l.Listed = w.Listed
	}
	return l
}

// plainSegment is the longest segment with which players keep within a delay.
func plainSegment(within time.Duration) time.Duration {
	length := time.Duration(float64(within-player) / segmentsBehind)
	step := leastSegment
	if length >= 2*time.Second {
		step = time.Second
	}
	return min(max(length.Truncate(step), leastSegment), cheapSegment)
}

func (l *Lengths) note(format string, args ...any) {
	l.Notes = append(l.Notes, fmt.Sprintf(format, args...))
}
