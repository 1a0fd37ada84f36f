package scene

import (
	"image"
	"image/color"
	"image/draw"
	"math"

	"golang.org/x/image/font"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// point is a place in the scene's own coordinates: 1280 wide, 720 high.
type point struct{ x, y float64 }

const (
	sceneWidth  = 1280.0
	sceneHeight = 720.0
)

// canvas draws in scene coordinates onto a picture of any size. origin moves
// the picture's upper left corner, for patches.
type canvas struct {
	img    *image.RGBA
	scaleX float64
	scaleY float64
	origin image.Point
}

func newCanvas(width, height int) *canvas {
	return &canvas{
		img:    image.NewRGBA(image.Rect(0, 0, width, height)),
		scaleX: float64(width) / sceneWidth, scaleY: float64(height) / sceneHeight,
	}
}

// poly fills a polygon, with smooth edges.
func (c *canvas) poly(col color.Color, pts ...point) {
	box := c.bounds(pts)
	if box.Empty() {
		return
	}
	r := vector.NewRasterizer(box.Dx(), box.Dy())
	for i, p := range pts {
		x := float32(p.x*c.scaleX - float64(c.origin.X) - float64(box.Min.X))
		y := float32(p.y*c.scaleY - float64(c.origin.Y) - float64(box.Min.Y))
		if i == 0 {
			r.MoveTo(x, y)
		} else {
			r.LineTo(x, y)
		}
	}
	r.ClosePath()
	r.Draw(c.img, box, image.NewUniform(col), image.Point{})
}

// bounds is the part of the picture that the polygon can touch.
func (c *canvas) bounds(pts []point) image.Rectangle {
	minX, minY, maxX, maxY := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, p := range pts {
		minX, maxX = min(minX, p.x*c.scaleX), max(maxX, p.x*c.scaleX)
		minY, maxY = min(minY, p.y*c.scaleY), max(maxY, p.y*c.scaleY)
	}
	box := image.Rect(int(math.Floor(minX)), int(math.Floor(minY)), int(math.Ceil(maxX))+1, int(math.Ceil(maxY))+1)
	return box.Sub(c.origin).Intersect(c.img.Bounds())
}

func (c *canvas) rect(col color.Color, x, y, w, h float64) {
	c.poly(col, point{x, y}, point{x + w, y}, point{x + w, y + h}, point{x, y + h})
}

// ellipse fills an ellipse around a centre.
func (c *canvas) ellipse(col color.Color, cx, cy, rx, ry float64) {
	const corners = 40
	pts := make([]point, corners)
	for i := range pts {
		a := 2 * math.Pi * float64(i) / corners
		pts[i] = point{cx + rx*math.Cos(a), cy + ry*math.Sin(a)}
	}
	c.poly(col, pts...)
}

// gradient fills the rows from y0 to y1 with a colour that changes evenly.
func (c *canvas) gradient(y0, y1 float64, from, to color.RGBA) {
	top, bottom := int(y0*c.scaleY), int(y1*c.scaleY)
	for y := top; y < bottom; y++ {
		t := float64(y-top) / float64(max(bottom-top, 1))
		draw.Draw(c.img, image.Rect(0, y, c.img.Rect.Dx(), y+1), image.NewUniform(mix(from, to, t)), image.Point{}, draw.Src)
	}
}

// text writes with the baseline at y and returns how wide it was, in scene
// coordinates.
func (c *canvas) text(face font.Face, col color.Color, x, y float64, s string) float64 {
	d := font.Drawer{
		Dst: c.img, Src: image.NewUniform(col), Face: face,
		Dot: fixed.Point26_6{
			X: fixed.Int26_6((x*c.scaleX - float64(c.origin.X)) * 64),
			Y: fixed.Int26_6((y*c.scaleY - float64(c.origin.Y)) * 64),
		},
	}
	begin := d.Dot.X
	d.DrawString(s)
	return float64(d.Dot.X-begin) / 64 / c.scaleX
}

func mix(a, b color.RGBA, t float64) color.RGBA {
	t = min(max(t, 0), 1)
	f := func(p, q uint8) uint8 { return uint8(float64(p) + (float64(q)-float64(p))*t) }
	return color.RGBA{f(a.R, b.R), f(a.G, b.G), f(a.B, b.B), 255}
}

func rgb(v uint32) color.RGBA { return color.RGBA{uint8(v >> 16), uint8(v >> 8), uint8(v), 255} }

// glass is a colour that lets what is behind it shine through.
func glass(v uint32, alpha float64) color.NRGBA {
	return color.NRGBA{uint8(v >> 16), uint8(v >> 8), uint8(v), uint8(alpha * 255)}
}

// newFace makes a face of so many scene units height.
func newFace(ttf []byte, size, scale float64) font.Face {
	f, err := opentype.Parse(ttf)
	if err != nil {
		panic("scene: packaged font does not parse: " + err.Error()) // cannot happen: it is compiled in
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: max(size*scale, 6), DPI: 72, Hinting: font.HintingFull})
	if err != nil {
		panic("scene: packaged font makes no face: " + err.Error())
	}
	return face
}
