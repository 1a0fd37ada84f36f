package plan

import (
	"fmt"
	"slices"
	"time"
)

// Preference is what a page asks for where it does not say how far behind it may be.
type Preference string

// The preferences.
const (
	LeastDelay Preference = "delay"  // the least delay
	Reach      Preference = "reach"  // what plays everywhere and goes through caches
	Simple     Preference = "simple" // the simplest
)

// Want is what a page asks for.
type Want struct {
	Prefer Preference     // empty for none
	Within *time.Duration // nil for the feed's own
}

// Choice is in what order a player tries deliveries, and why.
type Choice struct {
	Order  []Delivery
	Why    string
	Within time.Duration              // that it keeps to; 0 for none
	Ahead  map[Delivery]time.Duration // what it keeps in store
}

var orders = map[Preference][]Delivery{
	LeastDelay: {WebRTC, Fragments, HLS, MotionJPEG},
	Reach:      {HLS, Fragments, WebRTC, MotionJPEG},
	Simple:     {MotionJPEG, HLS, Fragments, WebRTC},
}

var reasons = map[Preference]string{
	LeastDelay: "least delay was asked for",
	Reach:      "it plays everywhere",
	Simple:     "the simplest was asked for",
}

// hlsSlack is by how much more than the wish HLS may be expected to be behind.
const hlsSlack = 1.2

// Choose says how a page is to play a feed.
func Choose(w Want, p Path) Choice {
	if w.Within != nil {
		p.Within = *w.Within
	}
	c := Choice{Within: p.Within, Ahead: map[Delivery]time.Duration{}}
	for _, d := range []Delivery{HLS, Fragments} {
		c.Ahead[d] = Ahead(d, p)
	}
	if order, ok := orders[w.Prefer]; ok {
		c.Order, c.Why = slices.Clone(order), reasons[w.Prefer]
		return c
	}
	if p.Within == 0 {
		c.Order, c.Why = slices.Clone(orders[Reach]), reasons[Reach]
		return c
	}
	hls := Total(Delay(HLS, p))
	if float64(hls) <= hlsSlack*float64(p.Within) {
		c.Order, c.Why = slices.Clone(orders[Reach]), fmt.Sprintf("HLS keeps within the %g s asked for", p.Within.Seconds())
		return c
	}
	c.Order = slices.Clone(orders[LeastDelay])
	c.Why = fmt.Sprintf("HLS would be some %.1f s behind, %g s were asked for", hls.Seconds(), p.Within.Seconds())
	return c
}
