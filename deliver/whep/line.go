package whep

import (
	"sync/atomic"
	"time"

	"webostrum/core/hub"
	"webostrum/core/plan"
)

// line follows what a viewer's line can carry. Reports are for the goroutine that
// reads them.
type line struct {
	plan.Line
	bytes uint64 // sent by the report before
	at    time.Time
	sent  float64 // bits a second, smoothed: keyframes come in bursts

	want atomic.Int32 // steps below what was asked for
	now  atomic.Int32 // the same, of what is sent
}

func (l *line) report(s *Session, loss float64, now time.Time) {
	bytes := s.stats.bytes.Load()
	if !l.at.IsZero() && now.After(l.at) {
		const weight = 4 // reports
		l.sent += (float64(bytes-l.bytes)*8/now.Sub(l.at).Seconds() - l.sent) / weight
		l.Report(loss, float64(s.stats.estimate.Load()), l.sent, now)
	}
	l.bytes, l.at = bytes, now
	l.want.Store(int32(l.Step()))
}

// name is that of the rendition that is sent.
func (l *line) name(src Source) string {
	if n := l.now.Load(); n > 0 {
		return src.Smaller[n-1].Name
	}
	return src.Name
}

// stream is what a sender sends at present.
type stream struct {
	hub     *hub.Hub
	shelf   *shelf
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
	next := stream{hub: z.session.source.Hub, shelf: z.own, release: func() {}}
	if want > 0 {
		h, release, err := z.session.source.Smaller[want-1].Open()
		if err != nil {
			return false // it is tried again with the next picture
		}
		server := z.session.server
		next = stream{h, server.shelf(h), func() { server.leave(h); release() }}
	}
	z.stream.release()
	z.stream, z.live = next, false
	l.now.Store(want)
	return true
}
