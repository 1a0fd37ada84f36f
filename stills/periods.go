package stills

import "time"

const settles = 30 * time.Second // so that the last still of a period is there

// periods are the hours or days that films are made of.
type periods struct {
	kind string
	zone *time.Location
	last time.Time // beginning of the present one
}

func newPeriods(kind string, zone *time.Location, now time.Time) *periods {
	p := &periods{kind: kind, zone: zone}
	p.last = p.begin(now)
	return p
}

func (p *periods) begin(t time.Time) time.Time {
	t = t.In(p.zone)
	y, m, d := t.Date()
	if p.kind == "hour" {
		return time.Date(y, m, d, t.Hour(), 0, 0, 0, p.zone)
	}
	return time.Date(y, m, d, 0, 0, 0, 0, p.zone)
}

// before is the period before the present one.
func (p *periods) before() (from, to time.Time) { return p.begin(p.last.Add(-time.Second)), p.last }

// over says that a period has ended, and which; a little later, so that its last still is
// there.
func (p *periods) over(now time.Time) (from, to time.Time, ok bool) {
	if p.kind == "" {
		return from, to, false
	}
	present := p.begin(now.Add(-settles))
	if !present.After(p.last) {
		return from, to, false
	}
	from, p.last = p.last, present
	return from, present, true
}
