// Package uptime keeps account of how feeds have been: for each stretch of time how long
// they were live, degraded, down or not wanted, and when each outage began and how long it
// lasted. Times are passed in. What passes is measured by them as they are passed, which
// for times with a monotonic reading means that a clock that is stepped changes no length.
package uptime

import (
	"time"
)

// Kind is how a feed is at a moment.
type Kind uint8

// The kinds. The zero value is no kind: the service did not run, or did not look.
const (
	Unknown  Kind = iota
	Off           // switched off by somebody
	Idle          // it is connected while needed, and nobody needs it
	Waiting       // nobody sends to it, and nobody has to
	Down          // it should be live, and is not
	Degraded      // pictures come, and not as they should
	Live
)

// String is a word for it.
func (k Kind) String() string {
	return [...]string{"unknown", "off", "idle", "waiting", "down", "degraded", "live"}[min(k, Live)]
}

// longestGap is how far apart two looks may be for the time between them to count.
const longestGap = 30 * time.Second

// Sums are how long a feed was in which kind; Off is with the time that it was idle.
type Sums struct{ Live, Degraded, Down, Waiting, Off time.Duration }

func (s *Sums) add(k Kind, d time.Duration) {
	switch k {
	case Live:
		s.Live += d
	case Degraded:
		s.Degraded += d
	case Down:
		s.Down += d
	case Waiting:
		s.Waiting += d
	case Off, Idle:
		s.Off += d
	}
}

// Plus is both together.
func (s Sums) Plus(o Sums) Sums {
	return Sums{s.Live + o.Live, s.Degraded + o.Degraded, s.Down + o.Down, s.Waiting + o.Waiting, s.Off + o.Off}
}

// Wanted is how long it should have been live.
func (s Sums) Wanted() time.Duration { return s.Live + s.Degraded + s.Down }

// Known is how long it was looked at.
func (s Sums) Known() time.Duration { return s.Wanted() + s.Waiting + s.Off }

// Availability is the share of the time that it should have been live in which pictures
// came, 0 to 1; ok is false when there was no such time.
func (s Sums) Availability() (share float64, ok bool) {
	wanted := s.Wanted()
	if wanted <= 0 {
		return 0, false
	}
	return float64(wanted-s.Down) / float64(wanted), true
}

// Worst is what a strip shows of it: the worst that lasted for a noticeable share.
func (s Sums) Worst() Kind {
	known := s.Known()
	if known <= 0 {
		return Unknown
	}
	const noticeable = 100 // a hundredth
	for _, x := range []struct {
		kind Kind
		d    time.Duration
	}{{Down, s.Down}, {Degraded, s.Degraded}} {
		if x.d*noticeable >= known {
			return x.kind
		}
	}
	switch max(s.Live, s.Waiting, s.Off) {
	case s.Live:
		return Live
	case s.Waiting:
		return Waiting
	}
	return Off
}

// Outage is a stretch in which a feed was down.
type Outage struct {
	Began  time.Time
	Lasted time.Duration
	Over   bool
	Code   string // of the fault that it began with, or of the newest one
	Reason string
}

// Look is what a feed is like at a moment.
type Look struct {
	Kind   Kind
	Code   string // of the fault, when it is down
	Reason string
}

// ShortestOutage is how long a feed has to be down for that to be an outage: what is
// shorter counts in the sums alone.
const ShortestOutage = 3 * time.Second

// Tracker keeps account of one feed.
type Tracker struct {
	last   time.Time
	look   Look
	sums   Sums
	outage *Outage // that goes on; nil when there is none
}

// Resume goes on with an outage that an earlier run has left.
func (t *Tracker) Resume(o Outage) { t.outage = &o }

// Observe notes what the feed is like from now on; what it was like before lasted until
// now. ended is an outage that is over.
func (t *Tracker) Observe(now time.Time, look Look) (ended *Outage) {
	if !t.last.IsZero() {
		if d := now.Sub(t.last); d > 0 && d <= longestGap {
			t.sums.add(t.look.Kind, d)
			if t.outage != nil && t.look.Kind == Down {
				t.outage.Lasted += d
			}
		}
	}
	t.last, t.look = now, look
	switch {
	case look.Kind == Down && t.outage == nil:
		t.outage = &Outage{Began: now, Code: look.Code, Reason: look.Reason}
	case look.Kind == Down:
		if look.Code != "" {
			t.outage.Code, t.outage.Reason = look.Code, look.Reason
		}
	case t.outage != nil:
		ended, t.outage = t.outage, nil
		ended.Over = true
		if ended.Lasted < ShortestOutage {
			ended = nil
		}
	}
	return ended
}

// Outage is the outage that goes on, once it has lasted long enough to be one; nil
// otherwise.
func (t *Tracker) Outage() *Outage {
	if t.outage == nil || t.outage.Lasted < ShortestOutage {
		return nil
	}
	o := *t.outage
	return &o
}

// Take returns the sums since they were taken last.
func (t *Tracker) Take() Sums {
	s := t.sums
	t.sums = Sums{}
	return s
}

// Quality tells whether a feed is degraded by what comes in.
type Quality struct {
	usual   float64 // frame rate as it is when all is well, fps
	packets uint64
	lost    uint64
	slow    int // looks in a row with a low frame rate
	lossy   int
}

const (
	leastRate  = 2.0  // fps below which rates say nothing: stills
	lowRate    = 0.6  // share of the usual frame rate
	lossShare  = 0.02 // of packets
	inARow     = 5    // looks until it counts
	rateWeight = 60   // looks that the usual rate is the mean of
)

// Look judges one look at a feed that is live, about a second after the last one: the frame
// rate now, and all packets and lost ones of the session so far. why is empty when all is
// well.
func (q *Quality) Look(rate float64, packets, lost uint64) (why string) {
	share := 0.0
	if packets > q.packets && lost >= q.lost { // else another session has begun
		share = float64(lost-q.lost) / float64(packets-q.packets+lost-q.lost)
	}
	q.packets, q.lost = packets, lost
	q.lossy = counted(q.lossy, share > lossShare)
	low := q.usual >= leastRate && rate < lowRate*q.usual
	q.slow = counted(q.slow, low)
	if !low {
		if q.usual == 0 {
			q.usual = rate
		}
		q.usual += (rate - q.usual) / rateWeight
	}
	switch {
	case q.lossy >= inARow:
		return "packets are lost"
	case q.slow >= inARow:
		return "the frame rate is low"
	}
	return ""
}

// counted counts looks in a row, a little beyond what is needed, so that a single good look
// in between does not end it.
func counted(n int, yes bool) int {
	const most = inARow + 3
	if yes {
		return min(n+1, most)
	}
	return max(n-1, 0)
}

// Reset forgets what is usual, as when a camera is set to something else.
func (q *Quality) Reset() { *q = Quality{} }
