package plan

import "time"

// Line decides which of several renditions a viewer's line can carry, from the
// viewer's own reports: down at once when it is bad, up again by trying. It is not
// safe for concurrent use.
type Line struct {
	// Steps is how many smaller renditions there are.
	Steps int

	step     int
	bad      int       // reports in a row
	changed  time.Time // when step changed last
	calm     time.Time // since when there was nothing to complain of
	patience time.Duration
}

const (
	badLoss     = 0.08 // share of packets that pictures do not survive
	goodLoss    = 0.02
	shortRate   = 0.75 // share of what is sent that the viewer's estimate falls below
	badReports  = 2
	settling    = 6 * time.Second // after a change, and at the beginning: joining comes in a burst
	firstCalm   = 15 * time.Second
	longestCalm = 2 * time.Minute
)

// Report takes what a viewer reports: the share of packets that it has lost, and the
// bits a second that it thinks its line can carry, 0 when it does not say. sent is
// what is sent, bits a second.
func (l *Line) Report(loss, estimate, sent float64, now time.Time) {
	if l.changed.IsZero() {
		l.changed, l.calm, l.patience = now, now, firstCalm
	}
	if now.Sub(l.changed) < settling {
		l.calm = now
		return
	}
	short := estimate > 0 && sent > 0 && estimate < shortRate*sent
	switch {
	case loss >= badLoss || short:
		l.calm = now
		if l.bad++; l.bad >= badReports {
			l.down(now)
		}
	case loss > goodLoss:
		l.bad, l.calm = 0, now
	default:
		l.bad = 0
		switch calm := now.Sub(l.calm); {
		case l.step > 0 && calm >= l.patience:
			l.move(-1, now)
		case l.step == 0 && calm >= longestCalm:
			l.patience = firstCalm
		}
	}
}

// down goes to the next smaller rendition. Going up again is left for longer each
// time that it did not last.
func (l *Line) down(now time.Time) {
	if now.Sub(l.changed) < l.patience && l.step < l.Steps {
		l.patience = min(2*l.patience, longestCalm)
	}
	if l.step < l.Steps {
		l.move(1, now)
	}
	l.bad = 0
}

func (l *Line) move(by int, now time.Time) { l.step, l.changed, l.calm = l.step+by, now, now }

// Step is how many renditions smaller than asked for the viewer is to get.
func (l *Line) Step() int { return l.step }
