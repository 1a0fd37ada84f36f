package whep

import (
	"math"
	"sync/atomic"
	"time"

	"github.com/pion/rtcp"

	"webostrum/core/hub"
	"webostrum/core/plan"
	"webostrum/core/timeline"
)

// line follows what a viewer's line can carry. Reports are for the goroutine that
// reads them.
type line struct {
	plan.Line
	before sums // at the report before
	at     time.Time
	sent   float64 // bits a second, smoothed: keyframes come in bursts

	steps []Step               // those that there were when the line was good
	trip  time.Duration        // there and back, by the newest report that tells; 0 for not known
	want  atomic.Pointer[Step] // nil for what was asked for
	now   atomic.Pointer[Step] // the same, of what is sent
}

// sums are what was sent up to a report, and what the viewer missed of it.
type sums struct{ bytes, packets, missed uint64 }

func (st *stats) sums() sums {
	repeated := st.repeated.Load()
	return sums{st.bytes.Load(), st.packets.Load() - repeated, st.missed.Load()}
}

// report takes the share of packets that the viewer says is lost. Viewers count a
// packet that came when it was sent again as one that came, so what they had to ask
// for is looked at too.
func (l *line) report(s *Session, loss float64, now time.Time) {
	const shortest = 500 * time.Millisecond // few packets say little
	if now.Sub(l.at) < shortest {
		return
	}
	sums := s.stats.sums()
	loss = max(loss, missedShare(l.before, sums))
	s.stats.loss.Store(math.Float64bits(loss))
	if !l.at.IsZero() {
		const weight = 4 // reports
		l.sent += (float64(sums.bytes-l.before.bytes)*8/now.Sub(l.at).Seconds() - l.sent) / weight
		l.judge(s.source, loss, float64(s.stats.estimate.Load()), now)
	}
	l.before, l.at = sums, now
}

// heard takes how long a report was on its way (RFC 3550, 6.4.1).
func (l *line) heard(r rtcp.ReceptionReport, now time.Time) {
	if r.LastSenderReport == 0 {
		return
	}
	const unit = time.Second / (1 << 16)
	// The middle 32 bits of a time stamp count in 65,536ths of a second, and wrap around.
	passed := uint32(timeline.ToNTP(now)>>16) - r.LastSenderReport - r.Delay
	if trip := time.Duration(int32(passed)) * unit; trip >= 0 {
		l.trip = trip
	}
}

// roundTrip is how long a packet and what is said to it take.
func (l *line) roundTrip() time.Duration {
	if l.trip == 0 {
		return usualTrip
	}
	return min(max(l.trip, leastTrip), longestTrip)
}

// judge takes what is known of the line, and says what is to be sent.
func (l *line) judge(src Source, loss, estimate float64, now time.Time) {
	if l.Step() == 0 && src.Smaller != nil {
		l.steps = src.Smaller()
		l.Steps = len(l.steps)
	}
	l.Report(loss, estimate, l.sent, now)
	var want *Step
	if n := l.Step(); n > 0 {
		want = &l.steps[n-1]
	}
	l.want.Store(want)
}

func missedShare(before, now sums) float64 {
	if now.packets <= before.packets {
		return 0
	}
	return min(1, float64(now.missed-before.missed)/float64(now.packets-before.packets))
}

// name is that of the rendition that is sent.
func (l *line) name(src Source) string {
	if step := l.now.Load(); step != nil {
		return step.Name
	}
	return src.Name
}

// stream is what a sender sends at present.
type stream struct {
	hub     *hub.Hub
	cache   *packetCache
	release func()
}

// change goes over to another rendition if the line asks for it. The stamps go on;
// the new rendition begins with its newest keyframe.
func (z *sender) change() (changed bool) {
	l := &z.session.line
	want := l.want.Load()
	if want == l.now.Load() {
		return false
	}
	next := stream{hub: z.session.source.Hub, cache: z.own, release: func() {}}
	if want != nil {
		h, release, err := want.Open()
		if err != nil {
			return false // it is tried again with the next picture
		}
		server := z.session.server
		next = stream{h, server.cache(h), func() { server.leave(h); release() }}
	}
	z.stream.release()
	z.stream, z.live = next, false
	l.now.Store(want)
	return true
}
