package scene

import (
	"image/color"
	"math"
	"math/rand/v2"
	"time"

	"golang.org/x/image/font"
)

// winchRoom looks at the drum that the cable goes round.
type winchRoom struct{}

// The drum, scene units.
var drum = point{560, 350}

const (
	drumRadius = 215.0
	drumTurns  = 9.0 // from one end of the line to the other
)

func (winchRoom) paint(c *canvas, rnd *rand.Rand, face font.Face, name string) {
	c.gradient(0, 500, rgb(0x59636b), rgb(0x8b9499))
	paintWall(c)
	paintFloor(c, rnd)
	c.poly(glass(0x101416, 0.45), point{330, 585}, point{800, 585}, point{900, 640}, point{280, 640})
	// The cable comes in over the wall's pulley and leaves below.
	for _, y := range []float64{0, 9, 18} {
		c.poly(rgb(0x2a2c2e), point{drum.x, drum.y - drumRadius + y}, point{1290, 20 + y}, point{1290, 24 + y}, point{drum.x, drum.y - drumRadius + y + 5})
	}
	paintMotor(c)
	paintCabinet(c, face, name)
	for _, x := range []float64{430, 650} { // the bearing's stand
		c.poly(rgb(0x3a4e46), point{x, 380}, point{x + 40, 380}, point{x + 70, 600}, point{x - 30, 600})
	}
	c.rect(rgb(0x2d3d37), 380, 596, 370, 20)
}

func paintWall(c *canvas) {
	for row := range 12 {
		for col := range 17 {
			x, y := float64(col)*80-float64(row%2)*40, float64(row)*42
			c.rect(glass(0x3f484e, 0.35), x, y, 78, 2)
			c.rect(glass(0x3f484e, 0.35), x, y, 2, 42)
		}
	}
	c.rect(rgb(0x2f3539), 60, 70, 190, 130) // a window
	c.rect(rgb(0xa9cbe2), 68, 78, 82, 114)
	c.rect(rgb(0xb8d5e8), 160, 78, 82, 114)
	c.poly(rgb(0x6f8f74), point{68, 192}, point{68, 150}, point{110, 120}, point{150, 152}, point{150, 192})
	c.poly(rgb(0x6f8f74), point{160, 192}, point{160, 160}, point{210, 130}, point{242, 158}, point{242, 192})
}

func paintFloor(c *canvas, rnd *rand.Rand) {
	c.gradient(500, 720, rgb(0x6e6a64), rgb(0x4a4743))
	for range 220 { // what oil leaves
		x, y := rnd.Float64()*sceneWidth, 505+rnd.Float64()*200
		c.ellipse(glass(0x2b2926, 0.08), x, y, 10+rnd.Float64()*40, 3+rnd.Float64()*6)
	}
	for i := range 33 { // the line that nobody steps over
		x := float64(i) * 40
		c.poly(rgb(0xe0b93a), point{x, 640}, point{x + 22, 640}, point{x + 10, 656}, point{x - 12, 656})
	}
}

func paintMotor(c *canvas) {
	c.rect(rgb(0x2c5b74), 900, 430, 250, 150)
	c.rect(rgb(0x244a5f), 900, 560, 250, 24)
	for i := range 11 { // cooling fins
		c.rect(rgb(0x3a6f8b), 915+float64(i)*21, 440, 10, 114)
	}
	c.rect(rgb(0x8d9297), 800, 480, 100, 34) // the shaft
	c.rect(rgb(0xb54132), 826, 458, 34, 78)  // the brake
	c.rect(rgb(0x33383c), 890, 584, 280, 16)
}

func paintCabinet(c *canvas, face font.Face, name string) {
	c.rect(rgb(0xc9c6ba), 70, 260, 190, 330)
	c.rect(rgb(0xaeab9f), 70, 586, 190, 14)
	c.rect(rgb(0x8b887d), 164, 330, 2, 250)
	c.rect(rgb(0x1f4e5f), 78, 268, 174, 30)
	c.text(face, color.White, 86, 290, name)
	for _, x := range []float64{116, 214} {
		c.ellipse(rgb(0x3b3f42), x, 372, 38, 38)
		c.ellipse(rgb(0xf4f1e6), x, 372, 33, 33)
	}
	for i, col := range []uint32{0x3fa35a, 0x3fa35a, 0xd9a53a} {
		c.ellipse(rgb(col), 100+float64(i)*24, 440, 8, 8)
	}
}

func (winchRoom) move(s *Scene, out *i420, at time.Time) {
	t := climbed(at)
	const rim = drumRadius + 14
	c := s.patch(drum.x-rim, drum.y-rim, 2*rim, 2*rim)
	drawDrum(c, 2*math.Pi*drumTurns*t)
	out.over(c)
	// The gauges: the pull of the cable, and where the red car is.
	for i, v := range []float64{0.35 + 0.25*math.Abs(math.Sin(2*math.Pi*t)), t} {
		x := 116 + float64(i)*98
		g := s.patch(x-34, 338, 68, 68)
		needle(g, point{x, 372}, 29, -2.3+4.6*v)
		out.over(g)
	}
}

func drawDrum(c *canvas, angle float64) {
	const spokes = 8
	c.ellipse(rgb(0x2e3438), drum.x, drum.y, drumRadius+12, drumRadius+12)
	c.ellipse(rgb(0x8b8f8c), drum.x, drum.y, drumRadius, drumRadius)
	for i := range 4 { // turns of cable
		r := drumRadius - 4 - float64(i)*8
		c.ellipse(rgb(0x34373a), drum.x, drum.y, r, r)
		c.ellipse(rgb(0x9a9d9b), drum.x, drum.y, r-5, r-5)
	}
	c.ellipse(rgb(0x36584c), drum.x, drum.y, drumRadius-36, drumRadius-36)
	c.ellipse(rgb(0x4a5358), drum.x, drum.y, drumRadius-60, drumRadius-60)
	for i := range spokes {
		a := angle + 2*math.Pi*float64(i)/spokes
		col := rgb(0x46705f)
		if i == 0 {
			col = rgb(0xd2572f) // by which one sees it turn
		}
		spoke(c, drum, a, drumRadius-42, col)
	}
	c.ellipse(rgb(0x2d4a40), drum.x, drum.y, 52, 52)
	c.ellipse(rgb(0xb9bdba), drum.x, drum.y, 24, 24)
}

func spoke(c *canvas, at point, angle, length float64, col color.Color) {
	const half = 12.0
	dx, dy := math.Cos(angle), math.Sin(angle)
	c.poly(col, point{at.x - dy*half, at.y + dx*half}, point{at.x + dy*half, at.y - dx*half},
		point{at.x + dx*length + dy*half, at.y + dy*length - dx*half}, point{at.x + dx*length - dy*half, at.y + dy*length + dx*half})
}

// needle is a gauge's; the angle is from straight up.
func needle(c *canvas, at point, length, angle float64) {
	dx, dy := math.Sin(angle), -math.Cos(angle)
	c.poly(rgb(0xb3312c), point{at.x - dy*2, at.y + dx*2}, point{at.x + dy*2, at.y - dx*2}, point{at.x + dx*length, at.y + dy*length})
	c.ellipse(rgb(0x2e3336), at.x, at.y, 4, 4)
}
