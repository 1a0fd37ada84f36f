package scene

import (
	"fmt"
	"image/color"
	"math"
	"math/rand/v2"
	"time"

	"golang.org/x/image/font"
)

// summit looks over the ranges from the mast that tells the weather.
type summit struct{}

const mastX = 930.0

func (summit) paint(c *canvas, rnd *rand.Rand, _ font.Face, _ string) {
	c.gradient(0, 470, rgb(0x3f78b8), rgb(0xf6ead6))
	for i := range 14 {
		r := 170 - float64(i)*10
		c.ellipse(glass(0xfff3d6, 0.04), 300, 300, r, r)
	}
	c.ellipse(glass(0xfffaf0, 0.95), 300, 300, 20, 20)
	ridge(c, rnd, ridgeStyle{rgb(0xb4c2d4), 400, 120, 7})
	ridge(c, rnd, ridgeStyle{rgb(0x97abc0), 440, 105, 10})
	ridge(c, rnd, ridgeStyle{rgb(0x7b93a8), 482, 90, 13})
	c.rect(rgb(0x8fa5b6), 0, 482, sceneWidth, 130)
	c.poly(glass(0xf2f4f5, 0.55), point{0, 470}, point{1280, 455}, point{1280, 600}, point{0, 600}) // fog in the valleys
	paintRock(c, rnd)
	paintMast(c)
}

// paintRock is the top itself, with what is left of the snow.
func paintRock(c *canvas, rnd *rand.Rand) {
	c.poly(rgb(0x6d6a66), point{0, 590}, point{160, 560}, point{330, 575}, point{520, 530}, point{740, 500}, point{930, 482},
		point{1090, 505}, point{1280, 560}, point{1280, 720}, point{0, 720})
	for range 260 {
		x, y := rnd.Float64()*sceneWidth, 560+rnd.Float64()*160
		w := 10 + rnd.Float64()*46
		col := mix(rgb(0x55524f), rgb(0x8f8b85), rnd.Float64())
		c.poly(col, point{x, y}, point{x + w, y - w*0.2}, point{x + w*0.85, y + w*0.4}, point{x - w*0.15, y + w*0.45})
	}
	for _, at := range []point{{180, 610}, {470, 588}, {690, 552}, {1130, 570}} {
		for range 12 {
			c.ellipse(glass(0xf7fafc, 0.75), at.x+rnd.NormFloat64()*40, at.y+rnd.NormFloat64()*5, 18+rnd.Float64()*34, 4+rnd.Float64()*7)
		}
	}
}

func paintMast(c *canvas) {
	for _, foot := range []float64{-130, 150} { // stays
		c.poly(rgb(0x50555a), point{mastX + 4, 190}, point{mastX + 6, 190}, point{mastX + foot + 2, 540}, point{mastX + foot, 540})
	}
	c.rect(rgb(0xdadfe3), mastX, 120, 9, 390)
	for i := range 7 {
		c.rect(rgb(0xb9423a), mastX, 120+float64(i)*60, 9, 30)
	}
	c.rect(rgb(0xdadfe3), mastX-74, 166, 150, 5) // the yard
	c.rect(rgb(0xf2f4f5), mastX-30, 330, 70, 84) // the box with the screen
	for i := range 6 {
		c.rect(rgb(0xc3c9cd), mastX-30, 340+float64(i)*12, 70, 3)
	}
	c.rect(rgb(0x24313a), 60, 60, 300, 132) // what the sensors say
	c.rect(rgb(0x33454f), 60, 60, 300, 34)
}

func (summit) move(s *Scene, out *i420, at time.Time) {
	hours := float64(at.Unix()%86400) / 3600
	gust := math.Sin(float64(at.Unix())/11) * math.Sin(float64(at.Unix())/37)
	wind := 9 + 5*gust
	for i, y := range []float64{250, 300, 215} {
		drift := math.Mod(float64(at.UnixMilli())/1000*(7+3*float64(i))+float64(i)*520, sceneWidth+500) - 250
		cloud(s, out, drift, y)
	}
	turn := float64(at.UnixMilli()%1400) / 1400 * 2 * math.Pi
	c := s.patch(mastX-110, 96, 230, 90)
	for i := range 3 { // the cups
		a := turn + 2*math.Pi*float64(i)/3
		x := mastX - 70 + 30*math.Cos(a)
		c.rect(rgb(0x3a4045), min(x, mastX-70), 134, math.Abs(x-mastX+70), 3)
		c.ellipse(rgb(0x24292d), x, 136, 9, 9)
	}
	c.rect(rgb(0x3a4045), mastX-72, 134, 4, 32)
	c.rect(rgb(0x3a4045), mastX+70, 140, 4, 28) // the vane
	tip := 34 + 4*gust
	c.poly(rgb(0xd8432f), point{mastX + 72 - tip, 138}, point{mastX + 72, 132}, point{mastX + 72, 144})
	c.poly(rgb(0x24292d), point{mastX + 72, 134}, point{mastX + 104, 126}, point{mastX + 104, 150}, point{mastX + 72, 142})
	out.over(c)
	board(s, out, []string{
		"SUMMIT  2 190 m",
		fmt.Sprintf("wind   %4.1f m/s", wind),
		fmt.Sprintf("air    %4.1f °C", 4+6*math.Sin((hours-9)/24*2*math.Pi)),
		fmt.Sprintf("humid. %4.0f %%", 62-18*math.Sin((hours-9)/24*2*math.Pi)),
	})
}

func cloud(s *Scene, out *i420, x, y float64) {
	c := s.patch(x-170, y-40, 340, 80)
	if c.img.Rect.Empty() {
		return
	}
	rnd := rand.New(rand.NewPCG(3, uint64(y)))
	for range 22 {
		c.ellipse(glass(0xffffff, 0.16), x+rnd.NormFloat64()*55, y+rnd.NormFloat64()*7, 24+rnd.Float64()*30, 7+rnd.Float64()*9)
	}
	out.over(c)
}

// board writes what the sensors say.
func board(s *Scene, out *i420, lines []string) {
	c := s.patch(60, 60, 300, 132)
	for i, text := range lines {
		c.text(s.nameFace, color.White, 76, 85+float64(i)*32, text)
	}
	out.over(c)
}
