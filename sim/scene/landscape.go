package scene

import (
	"image/color"
	"math"
	"math/rand/v2"
)

// line is the funicular's as a camera sees it: a quadratic Bézier curve from the
// platform in front to the far end. t is 0 in front and 1 far off.
type line struct{ front, bend, far point }

const (
	loopFrom = 0.38 // the passing loop
	loopTo   = 0.66
)

// at returns a place of the line and how large things look there.
func (l line) at(t float64) (p point, size float64) {
	u := 1 - t
	p = point{
		u*u*l.front.x + 2*u*t*l.bend.x + t*t*l.far.x,
		u*u*l.front.y + 2*u*t*l.bend.y + t*t*l.far.y,
	}
	return p, math.Pow(u, 1.35)*0.96 + 0.055
}

// across is the direction from the left rail to the right one, of length 1.
func (l line) across(t float64) point {
	const d = 0.004
	a, _ := l.at(t - d)
	b, _ := l.at(t + d)
	dx, dy := b.x-a.x, b.y-a.y
	n := math.Hypot(dx, dy)
	// Nearer to level than to the line itself: one looks along the slope.
	return point{-dy / n, dx / n * 0.55}
}

// loopSpread is how far apart the two tracks of the loop are at t, in gauges.
func loopSpread(t float64) float64 {
	if t <= loopFrom || t >= loopTo {
		return 0
	}
	ramp := math.Min((t-loopFrom)/0.07, (loopTo-t)/0.07)
	ramp = math.Min(ramp, 1)
	return ramp * ramp * (3 - 2*ramp)
}

const gauge = 92.0 // scene units between the rails in front

// track is a place beside the middle of a track. side is -1 for the left
// track of the loop and 1 for the right; off is counted in gauges.
func (l line) track(t, side, off float64) point {
	p, size := l.at(t)
	a := l.across(t)
	w := gauge * size * (off + side*0.95*loopSpread(t))
	return point{p.x + a.x*w, p.y + a.y*w}
}

// paintLandscape is the crag with the line that climbs it, seen from below.
func paintLandscape(c *canvas, l line, rnd *rand.Rand) {
	c.gradient(0, 420, rgb(0x6f9fce), rgb(0xf0dcc2))
	paintSun(c)
	paintClouds(c, rnd)
	ridge(c, rnd, ridgeStyle{rgb(0x9fb0c6), 265, 120, 9})
	ridge(c, rnd, ridgeStyle{rgb(0x7d93a6), 320, 80, 12})
	ridge(c, rnd, ridgeStyle{rgb(0x64808a), 372, 50, 15})
	paintCrag(c, rnd)
	paintMeadow(c, rnd)
	paintForest(c, l, rnd)
	l.paint(c)
	paintSummit(c, l.far)
}

func paintSun(c *canvas) {
	for i := range 14 {
		r := 150 - float64(i)*9
		c.ellipse(glass(0xfff3d6, 0.035), 250, 205, r, r)
	}
	c.ellipse(glass(0xfffaf0, 0.9), 250, 205, 22, 22)
}

func paintClouds(c *canvas, rnd *rand.Rand) {
	for _, at := range []point{{430, 95}, {760, 62}, {1130, 110}, {90, 70}} {
		for range 26 {
			x := at.x + rnd.NormFloat64()*52
			y := at.y + rnd.NormFloat64()*8 - 10*math.Exp(-math.Pow((x-at.x)/40, 2))
			c.ellipse(glass(0xffffff, 0.13), x, y, 30+rnd.Float64()*28, 9+rnd.Float64()*9)
		}
	}
}

type ridgeStyle struct {
	col    color.RGBA
	base   float64
	height float64
	steps  int
}

// ridge is a range of mountains: midpoints moved up and down by chance.
func ridge(c *canvas, rnd *rand.Rand, s ridgeStyle) {
	heights := make([]float64, s.steps+1)
	for i := range heights {
		heights[i] = rnd.Float64()
	}
	var pts []point
	const per = 16
	for i := range s.steps * per {
		k, f := i/per, float64(i%per)/per
		h := heights[k]*(1-f) + heights[k+1]*f
		h += (rnd.Float64() - 0.5) * 0.11
		pts = append(pts, point{float64(i) * sceneWidth / float64(s.steps*per-1), s.base - h*s.height})
	}
	pts = append(pts, point{sceneWidth, 520}, point{0, 520})
	c.poly(s.col, pts...)
}

// paintCrag is the mountain that the line climbs.
func paintCrag(c *canvas, rnd *rand.Rand) {
	outline := []point{{380, 560}, {470, 470}, {600, 398}, {700, 330}, {785, 250}, {850, 214}, {905, 178}, {950, 166},
		{1010, 158}, {1060, 150}, {1100, 178}, {1160, 232}, {1235, 270}, {1280, 300}, {1280, 720}, {380, 720}}
	c.poly(rgb(0x5f7d58), outline...)
	shade := []point{{1060, 150}, {1100, 178}, {1160, 232}, {1235, 270}, {1280, 300}, {1280, 720}, {980, 720}, {1010, 420}, {1035, 250}}
	c.poly(glass(0x2f4a44, 0.42), shade...)
	for range 90 { // rock that shows through
		x := 760 + rnd.Float64()*480
		y := 215 + rnd.Float64()*190
		w := 8 + rnd.Float64()*26
		c.poly(glass(0x8d8a80, 0.25), point{x, y}, point{x + w, y + w*0.35}, point{x + w*0.7, y + w*0.8}, point{x - w*0.2, y + w*0.5})
	}
}

func paintMeadow(c *canvas, rnd *rand.Rand) {
	c.poly(rgb(0x6f9152), point{0, 470}, point{150, 452}, point{330, 470}, point{520, 520}, point{760, 545},
		point{1010, 520}, point{1280, 470}, point{1280, 720}, point{0, 720})
	c.poly(rgb(0x80a35a), point{0, 560}, point{260, 540}, point{520, 590}, point{820, 610}, point{1280, 560}, point{1280, 720}, point{0, 720})
	for range 1500 { // grass
		x, depth := rnd.Float64()*sceneWidth, rnd.Float64()
		y := 540 + depth*180
		h := 3 + depth*9
		col := glass(0x55783c, 0.35)
		if rnd.IntN(3) == 0 {
			col = glass(0xa9c272, 0.4)
		}
		c.poly(col, point{x, y}, point{x + 1.6, y - h}, point{x + 3, y})
	}
}

// paintForest puts spruces on the crag, far ones first, with a lane for the line.
func paintForest(c *canvas, l line, rnd *rand.Rand) {
	const rows = 26
	for row := range rows {
		depth := float64(row) / (rows - 1)
		y := 262 + depth*330
		left := 760 - depth*430
		for range 26 {
			x := left + rnd.Float64()*(1300-left)
			yy := y + rnd.Float64()*14
			if l.near(x, yy) || yy < slopeAt(x)+10 {
				continue
			}
			spruce(c, rnd, x, yy, 16+depth*62)
		}
	}
	for range 9 {
		spruce(c, rnd, 1060+rnd.Float64()*230, 640+rnd.Float64()*50, 120+rnd.Float64()*40)
	}
}

// slopeAt is the crag's outline, roughly.
func slopeAt(x float64) float64 {
	switch {
	case x < 700:
		return 560 - (x-380)*0.72
	case x < 950:
		return 330 - (x-700)*0.65
	case x < 1060:
		return 158
	}
	return 150 + (x-1060)*0.68
}

func (l line) near(x, y float64) bool {
	for i := range 60 {
		t := float64(i) / 59
		p, size := l.at(t)
		reach := gauge * size * (1.5 + 1.1*loopSpread(t))
		if math.Abs(p.y-y) < 26 && math.Abs(p.x-x) < reach+8 {
			return true
		}
	}
	return false
}

func spruce(c *canvas, rnd *rand.Rand, x, y, h float64) {
	dark := mix(rgb(0x23402f), rgb(0x3d5f3c), rnd.Float64())
	light := mix(dark, rgb(0x7fa05e), 0.35)
	c.rect(rgb(0x4a3a2c), x-h*0.03, y-h*0.12, h*0.06, h*0.14)
	for i := range 4 {
		k := float64(i)
		top := y - h*(1-k*0.17)
		w := h * (0.10 + k*0.065)
		bottom := top + h*0.36
		c.poly(dark, point{x, top}, point{x + w, bottom}, point{x - w, bottom})
		c.poly(light, point{x, top}, point{x - w*0.15, bottom - h*0.03}, point{x - w*0.9, bottom - h*0.01})
	}
}

func (l line) paint(c *canvas) {
	for _, side := range []float64{-1, 1} {
		l.bed(c, side)
	}
	for _, side := range []float64{-1, 1} {
		l.sleepers(c, side)
		for _, off := range []float64{-0.5, 0.5} {
			l.strip(c, rgb(0x3c3b3d), side, off, 0.085)
			l.strip(c, rgb(0xc9cdd2), side, off, 0.03)
		}
		l.strip(c, rgb(0x2b2b2b), side, 0, 0.02) // the cable
	}
}

const lineParts = 150

func (l line) bed(c *canvas, side float64) {
	l.strip(c, rgb(0x9a9488), side, 0, 1.75)
	l.strip(c, rgb(0xaaa498), side, 0, 1.35)
}

// strip is a band along a track; off and width in gauges.
func (l line) strip(c *canvas, col color.Color, side, off, width float64) {
	for i := range lineParts {
		t0, t1 := float64(i)/lineParts, float64(i+1)/lineParts+0.0008
		c.poly(col, l.track(t0, side, off-width/2), l.track(t0, side, off+width/2),
			l.track(t1, side, off+width/2), l.track(t1, side, off-width/2))
	}
}

func (l line) sleepers(c *canvas, side float64) {
	for t := 0.0; t < 0.9; {
		_, size := l.at(t)
		d := 0.0045 * size / (0.35 + size*0.65)
		c.poly(rgb(0x6b5a49), l.track(t, side, -0.8), l.track(t, side, 0.8), l.track(t+d, side, 0.8), l.track(t+d, side, -0.8))
		t += d*2.6 + 0.0012
	}
}

func paintSummit(c *canvas, at point) {
	x, y := at.x, at.y
	c.rect(rgb(0x7a6453), x-22, y-24, 46, 26)
	c.poly(rgb(0x4a3d38), point{x - 28, y - 23}, point{x + 1, y - 42}, point{x + 30, y - 23})
	c.rect(rgb(0x2d3338), x-8, y-14, 15, 16)
	c.rect(rgb(0xf3d9a0), x+11, y-17, 7, 7)
	c.rect(rgb(0xdadfe3), x+58, y-92, 3, 80)
	for i := range 3 {
		c.rect(rgb(0xdadfe3), x+52, y-88+float64(i)*13, 15, 2)
	}
	c.ellipse(rgb(0xd8432f), x+59.5, y-94, 3.2, 3.2)
}
