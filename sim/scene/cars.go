package scene

import (
	"image/color"
	"math"
	"time"
)

// RoundTrip is how long a car takes up and down again.
const RoundTrip = 48 * time.Second

// climbed is how far up the red car is, from 0 to 1.
func climbed(at time.Time) float64 {
	phase := float64(at.UnixMilli()%RoundTrip.Milliseconds()) / float64(RoundTrip.Milliseconds())
	return 0.5 - 0.5*math.Cos(2*math.Pi*phase)
}

// cars draws the upper one first. They hang on one cable: where one is at t,
// the other is at 1-t.
func (l line) cars(s *Scene, out *i420, at time.Time) {
	t := climbed(at)
	t = 0.12 + t*0.80
	red := car{t, 1, rgb(0xb3312c), rgb(0x8c2420)}
	cream := car{1.04 - t, -1, rgb(0xe9dcb8), rgb(0x2f6a5e)}
	if red.t > cream.t {
		red.draw(l, s, out)
		cream.draw(l, s, out)
	} else {
		cream.draw(l, s, out)
		red.draw(l, s, out)
	}
}

type car struct {
	t, side    float64
	body, band color.RGBA
}

func (k car) draw(l line, s *Scene, out *i420) {
	foot := l.track(k.t, k.side, 0)
	_, size := l.at(k.t)
	w, h := 150*size, 190*size
	x, y := foot.x-w/2, foot.y-h
	c := s.patch(x-w*0.15, y-h*0.1, w*1.3, h*1.25)
	c.poly(glass(0x20241f, 0.35), point{x - w*0.05, y + h*0.98}, point{x + w*1.1, y + h*0.98}, point{x + w, y + h*1.06}, point{x, y + h*1.06})
	c.rect(rgb(0x2c2c2e), x+w*0.08, y+h*0.9, w*0.84, h*0.12)
	c.rect(k.body, x, y+h*0.08, w, h*0.85)
	c.rect(k.band, x, y+h*0.6, w, h*0.1)
	c.poly(rgb(0x43474b), point{x - w*0.04, y + h*0.1}, point{x + w*0.1, y}, point{x + w*0.9, y}, point{x + w*1.04, y + h*0.1})
	for i := range 3 {
		wx := x + w*(0.06+float64(i)*0.305)
		c.rect(rgb(0x27414f), wx, y+h*0.17, w*0.27, h*0.38)
		c.poly(glass(0xcfe4ee, 0.45), point{wx, y + h*0.17}, point{wx + w*0.16, y + h*0.17}, point{wx, y + h*0.42})
	}
	for _, lx := range []float64{0.2, 0.8} {
		c.ellipse(rgb(0xfff2c4), x+w*lx, y+h*0.79, w*0.065, w*0.065)
	}
	out.over(c)
}
