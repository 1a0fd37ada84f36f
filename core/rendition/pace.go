package rendition

import "time"

// Pacer chooses pictures so that no more than a rate of them is left, evenly
// spread. The zero value takes all.
type Pacer struct {
	Rate float64 // frames a second; 0 means all

	next time.Duration
	last time.Duration
	any  bool
}

// Take says whether a picture at a time is one of those. Times may begin
// anywhere; one that goes back, or far ahead, begins anew.
func (p *Pacer) Take(at time.Duration) bool {
	if p.Rate <= 0 {
		return true
	}
	step := time.Duration(float64(time.Second) / p.Rate)
	if !p.any || at < p.last || at > p.next+step {
		p.any, p.next, p.last = true, at+step, at
		return true
	}
	p.last = at
	const slack = 8 // pictures do not come exactly in time
	if at < p.next-step/slack {
		return false
	}
	p.next += step
	return true
}
