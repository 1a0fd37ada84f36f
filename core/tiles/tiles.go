// Package tiles puts pictures beside each other in one: a mosaic of up to nine.
package tiles

import (
	"image"
	"math"
)

// Most is how many tiles there are at most.
const Most = 9

// Grid is where tiles are.
type Grid struct {
	Width, Height         int // of the whole, pixels, even
	Columns, Rows         int
	TileWidth, TileHeight int // even
}

// GridOf is the grid of some tiles: as square as can be.
func GridOf(n, width, height int) Grid {
	columns := max(1, int(math.Ceil(math.Sqrt(float64(n)))))
	rows := max(1, (n+columns-1)/columns)
	return Grid{width, height, columns, rows, width / columns &^ 1, height / rows &^ 1}
}

// At is where a tile begins. A row that is not full stands in the middle.
func (g Grid) At(i, n int) (x, y int) {
	row, column := i/g.Columns, i%g.Columns
	inRow := min(g.Columns, n-row*g.Columns)
	left := (g.Width - inRow*g.TileWidth) / 2 &^ 1
	return left + column*g.TileWidth, row * g.TileHeight
}

// Canvas is a picture in I420: brightness, and two planes of colour of half the sides.
type Canvas struct {
	Width, Height int
	Pixels        []byte
}

const grey = 128

// NewCanvas makes a black one of even sides.
func NewCanvas(width, height int) *Canvas {
	c := &Canvas{width, height, make([]byte, width*height*3/2)}
	for i := width * height; i < len(c.Pixels); i++ {
		c.Pixels[i] = grey
	}
	return c
}

// planes are the three, with their strides.
func (c *Canvas) planes() (y, u, v []byte) {
	luma, chroma := c.Width*c.Height, c.Width*c.Height/4
	return c.Pixels[:luma], c.Pixels[luma : luma+chroma], c.Pixels[luma+chroma:]
}

// Put puts a picture into the i-th of n tiles, in the middle, no larger than that; nil makes
// the tile dark.
func (c *Canvas) Put(g Grid, i, n int, picture *image.YCbCr) {
	x, y := g.At(i, n)
	if x < 0 || y < 0 || x+g.TileWidth > c.Width || y+g.TileHeight > c.Height {
		return
	}
	luma, cb, cr := c.planes()
	fill(luma, c.Width, x, y, g.TileWidth, g.TileHeight, 0)
	fill(cb, c.Width/2, x/2, y/2, g.TileWidth/2, g.TileHeight/2, grey)
	fill(cr, c.Width/2, x/2, y/2, g.TileWidth/2, g.TileHeight/2, grey)
	if picture == nil {
		return
	}
	w, h := min(picture.Rect.Dx(), g.TileWidth)&^1, min(picture.Rect.Dy(), g.TileHeight)&^1
	x, y = x+(g.TileWidth-w)/2&^1, y+(g.TileHeight-h)/2&^1
	for row := range h {
		from := picture.YOffset(picture.Rect.Min.X, picture.Rect.Min.Y+row)
		copy(luma[(y+row)*c.Width+x:][:w], picture.Y[from:])
	}
	for row := range h / 2 {
		at := (y/2+row)*(c.Width/2) + x/2
		for column := range w / 2 {
			from := picture.COffset(picture.Rect.Min.X+2*column, picture.Rect.Min.Y+2*row)
			cb[at+column], cr[at+column] = picture.Cb[from], picture.Cr[from]
		}
	}
}

func fill(plane []byte, stride, x, y, w, h int, v byte) {
	for row := range h {
		line := plane[(y+row)*stride+x:][:w]
		for i := range line {
			line[i] = v
		}
	}
}
