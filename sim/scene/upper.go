package scene

import (
	"image/color"
	"math/rand/v2"
	"time"

	"golang.org/x/image/font"
)

// upperStation looks down the line into the valley, from under the roof.
type upperStation struct{}

// downward is the line as it is seen from above.
var downward = line{front: point{700, 800}, bend: point{660, 470}, far: point{420, 372}}

func (upperStation) paint(c *canvas, rnd *rand.Rand, face font.Face, name string) {
	c.gradient(0, 330, rgb(0x5d93cc), rgb(0xf3e6d2))
	paintClouds(c, rnd)
	ridge(c, rnd, ridgeStyle{rgb(0xa9b9cc), 270, 90, 8})
	ridge(c, rnd, ridgeStyle{rgb(0x8ea3b4), 312, 60, 11})
	paintValley(c, rnd)
	for range 150 { // far woods
		x := 30 + rnd.Float64()*1240
		y := 395 + rnd.Float64()*120
		if !downward.near(x, y) {
			spruce(c, rnd, x, y, 12+(y-395)*0.28)
		}
	}
	downward.paint(c)
	for range 14 {
		spruce(c, rnd, 940+rnd.Float64()*330, 585+rnd.Float64()*60, 110+rnd.Float64()*50)
	}
	paintCanopy(c, face, name)
}

// paintValley is the lake with its village, and the slope down to it.
func paintValley(c *canvas, rnd *rand.Rand) {
	c.poly(rgb(0x8fae7c), point{0, 320}, point{300, 305}, point{700, 322}, point{1280, 300}, point{1280, 470}, point{0, 470})
	c.poly(rgb(0x7fa9c4), point{60, 352}, point{250, 336}, point{560, 344}, point{620, 360}, point{430, 376}, point{140, 376})
	c.poly(glass(0xffffff, 0.3), point{180, 346}, point{420, 342}, point{470, 348}, point{200, 352})
	for range 34 { // roofs of the village
		x, y := 640+rnd.NormFloat64()*60, 352+rnd.Float64()*22
		c.rect(rgb(0xe8dcc6), x, y, 7, 5)
		c.poly(mix(rgb(0x9a4f3f), rgb(0x6f4a3d), rnd.Float64()), point{x - 1, y}, point{x + 3.5, y - 4}, point{x + 8, y})
	}
	c.poly(rgb(0x7a9c5b), point{0, 430}, point{330, 388}, point{640, 396}, point{1280, 420}, point{1280, 720}, point{0, 720})
	c.poly(rgb(0x6b8f4e), point{0, 560}, point{400, 500}, point{900, 520}, point{1280, 500}, point{1280, 720}, point{0, 720})
	for range 900 { // grass
		x, depth := rnd.Float64()*sceneWidth, rnd.Float64()
		y := 480 + depth*240
		c.poly(glass(0x4e7038, 0.35), point{x, y}, point{x + 1.5, y - 3 - depth*8}, point{x + 3, y})
	}
}

// paintCanopy is the roof over the platform, its posts, and the platform's edge.
func paintCanopy(c *canvas, face font.Face, name string) {
	c.poly(rgb(0xb7b2a8), point{-10, 600}, point{300, 590}, point{470, 720}, point{-10, 720})
	c.poly(rgb(0xe2c14b), point{300, 590}, point{312, 590}, point{486, 720}, point{466, 720})
	for _, x := range []float64{60, 236} {
		c.rect(rgb(0x5a4636), x, 70, 18, 540)
		c.poly(rgb(0x4a3a2d), point{x + 18, 150}, point{x + 84, 78}, point{x + 96, 78}, point{x + 18, 168})
	}
	c.poly(rgb(0x6f473e), point{-10, 0}, point{470, 0}, point{400, 74}, point{-10, 74})
	for i := range 9 {
		x := float64(i) * 50
		c.poly(glass(0x3c2723, 0.5), point{x, 0}, point{x + 4, 0}, point{x - 2, 74}, point{x - 6, 74})
	}
	c.rect(rgb(0x47302b), -10, 74, 412, 8)
	c.rect(rgb(0x2e3336), 92, 82, 3, 22)
	c.rect(rgb(0x2e3336), 208, 82, 3, 22)
	c.rect(rgb(0xf7f4ea), 60, 102, 206, 36)
	c.rect(rgb(0x1f4e5f), 63, 105, 200, 30)
	c.text(face, color.White, 76, 127, name)
	bench(c)
}

func (upperStation) move(s *Scene, out *i420, at time.Time) {
	downward.cars(s, out, at.Add(RoundTrip/2))
}
