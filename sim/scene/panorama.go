package scene

import (
	"image/color"
	"math"
	"math/rand/v2"
	"time"

	"golang.org/x/image/font"
)

// panorama looks all around from the summit, in an equirectangular picture: its whole width
// is the horizon's 360 degrees, its height 180 from zenith to nadir. North is in the middle.
type panorama struct{}

const horizon = sceneHeight / 2

func (panorama) paint(c *canvas, rnd *rand.Rand, face font.Face, _ string) {
	c.gradient(0, horizon, rgb(0x2f6cb4), rgb(0xf4e6d0))
	c.gradient(horizon, sceneHeight, rgb(0x93a795), rgb(0x4b4742))
	const sunX = 250.0
	for i := range 12 {
		r := 96 - float64(i)*7
		c.ellipse(glass(0xfff3d6, 0.05), sunX, 200, r, r)
	}
	c.ellipse(glass(0xfffaf0, 0.95), sunX, 200, 13, 13)
	for i, col := range []uint32{0xb4c2d4, 0x92a7bb, 0x6f8798, 0x5d7468} {
		ring(c, rnd, rgb(col), horizon-34+12*float64(i), 34-6*float64(i))
	}
	for range 420 { // rocks, larger the nearer they are
		y := horizon + 40 + rnd.Float64()*rnd.Float64()*300
		w := 4 + (y-horizon)*0.16*rnd.Float64()
		c.ellipse(mix(rgb(0x514e4a), rgb(0x8d8982), rnd.Float64()), rnd.Float64()*sceneWidth, y, w, w*0.35)
	}
	for i, text := range []string{"SOUTH", "WEST", "NORTH", "EAST"} {
		x := math.Mod(float64(i)*sceneWidth/4, sceneWidth)
		c.rect(rgb(0xdadfe3), x+38, horizon-26, 4, 70)
		c.rect(color.NRGBA{20, 34, 42, 220}, x, horizon-58, 88, 32)
		c.text(face, color.White, x+10, horizon-34, text)
	}
}

// ring is a range of hills that closes on itself.
func ring(c *canvas, rnd *rand.Rand, col color.RGBA, level, height float64) {
	const steps, waves = 256, 9
	var size, phase [waves]float64
	for i := range waves {
		size[i], phase[i] = rnd.Float64()/float64(i+1), rnd.Float64()*2*math.Pi
	}
	pts := make([]point, 0, steps+3)
	for i := range steps + 1 {
		turn, y := 2*math.Pi*float64(i)/steps, level
		for k := range waves {
			y -= height * size[k] * math.Sin(float64(k+1)*turn+phase[k])
		}
		pts = append(pts, point{sceneWidth * float64(i) / steps, y})
	}
	c.poly(col, append(pts, point{sceneWidth, horizon + 60}, point{0, horizon + 60})...)
}

func (panorama) move(s *Scene, out *i420, at time.Time) {
	for i, y := range []float64{130, 190, 240} {
		drift := math.Mod(float64(at.UnixMilli())/1000*(8+4*float64(i))+float64(i)*430, sceneWidth)
		cloud(s, out, drift, y)
		cloud(s, out, drift-sceneWidth, y) // its other half, across the seam
	}
	const boardX, boardY = 545.0, 214.0
	c := s.patch(boardX, boardY, 286, 44)
	c.rect(color.NRGBA{14, 22, 28, 200}, boardX, boardY, 286, 44)
	c.text(s.nameFace, rgb(0xffd98a), boardX+14, boardY+31, at.UTC().Format("2006-01-02  15:04:05"))
	out.over(c)
}
