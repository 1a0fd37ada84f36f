package scene

import (
	"image/color"

	"golang.org/x/image/font"
)

// paintStation is the building in front, with its platform and its sign.
func paintStation(c *canvas, sign font.Face, name string) {
	platform(c)
	// Wall and its lit side.
	c.poly(rgb(0xd9c9a8), point{-10, 372}, point{318, 372}, point{318, 640}, point{-10, 668})
	c.poly(rgb(0xb39f7f), point{318, 372}, point{372, 392}, point{372, 622}, point{318, 640})
	for i := range 11 { // boards
		y := 396 + float64(i)*24
		c.rect(glass(0x9c8765, 0.35), -10, y, 328, 2)
	}
	c.rect(rgb(0x7c5a43), -10, 640, 328, 14)
	roof(c)
	for i := range 3 {
		window(c, 20+float64(i)*74, 452)
	}
	door(c)
	signBoard(c, sign, name)
	lamp(c, 420)
	bench(c)
}

func platform(c *canvas) {
	c.poly(rgb(0xb7b2a8), point{-10, 640}, point{385, 612}, point{500, 720}, point{-10, 720})
	c.poly(rgb(0xe2c14b), point{377, 613}, point{385, 612}, point{500, 720}, point{484, 720})
	c.poly(rgb(0x8b867d), point{385, 612}, point{394, 618}, point{516, 720}, point{500, 720})
	for i := range 5 {
		y := 640 + float64(i)*19
		c.poly(glass(0x8c877c, 0.4), point{-10, y + 12}, point{400 + float64(i)*19, y - 8}, point{400 + float64(i)*19, y - 6}, point{-10, y + 14})
	}
}

func roof(c *canvas) {
	c.poly(rgb(0x5d3b34), point{-10, 300}, point{268, 300}, point{392, 388}, point{-10, 388})
	c.poly(rgb(0x6f473e), point{-10, 300}, point{268, 300}, point{286, 312}, point{-10, 312})
	for i := range 6 {
		y := 318 + float64(i)*12
		c.poly(glass(0x3c2723, 0.5), point{-10, y}, point{293 + float64(i)*17, y}, point{295 + float64(i)*17, y + 2}, point{-10, y + 2})
	}
	c.poly(rgb(0x47302b), point{-10, 388}, point{392, 388}, point{392, 394}, point{-10, 394})
	c.rect(rgb(0x8a5a4a), 90, 262, 26, 42)
	c.rect(rgb(0x4d3a34), 86, 256, 34, 8)
}

func window(c *canvas, x, y float64) {
	c.rect(rgb(0xf2ede2), x-4, y-4, 56, 84)
	c.rect(rgb(0x35505f), x, y, 48, 76)
	c.poly(glass(0xbfd8e6, 0.5), point{x, y}, point{x + 30, y}, point{x, y + 46})
	c.rect(rgb(0xf2ede2), x+22, y, 4, 76)
	c.rect(rgb(0xf2ede2), x, y+34, 48, 4)
	c.rect(rgb(0x7c5a43), x-6, y+80, 60, 10)
	for i := range 9 {
		c.ellipse(rgb([]uint32{0xc7463d, 0xe6b33d, 0xd86a8b}[i%3]), x-2+float64(i)*6.4, y+79, 4, 4)
	}
}

func door(c *canvas) {
	c.rect(rgb(0xf2ede2), 246, 446, 56, 196)
	c.poly(rgb(0x2e5b52), point{250, 450}, point{298, 450}, point{298, 640}, point{250, 643})
	c.rect(rgb(0x9cc0c4), 256, 458, 36, 66)
	c.ellipse(rgb(0xe3c36a), 291, 560, 3, 3)
}

func signBoard(c *canvas, face font.Face, name string) {
	c.rect(rgb(0xf7f4ea), 26, 404, 206, 34)
	c.rect(rgb(0x1f4e5f), 29, 407, 200, 28)
	c.text(face, color.White, 40, 428, name)
}

func lamp(c *canvas, x float64) {
	c.rect(rgb(0x2e3336), x-3, 452, 6, 200)
	c.rect(rgb(0x2e3336), x-8, 646, 16, 8)
	c.poly(rgb(0x2e3336), point{x - 15, 452}, point{x + 15, 452}, point{x, 436})
	c.poly(rgb(0xffeec0), point{x - 12, 452}, point{x + 12, 452}, point{x + 8, 474}, point{x - 8, 474})
}

func bench(c *canvas) {
	c.rect(rgb(0x6d4b33), 40, 606, 150, 8)
	c.rect(rgb(0x7d583c), 40, 622, 150, 8)
	c.rect(rgb(0x2e3336), 52, 606, 6, 52)
	c.rect(rgb(0x2e3336), 172, 604, 6, 50)
}
