// Package text draws text on pictures: white with a dark edge, in the Go font,
// which comes with the program.
package text

import (
	"image"
	"image/color"
	"strings"
	"time"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"webostrum/codecs/picture"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// Drawer draws one text on pictures of one height. It is not safe for concurrent
// use.
type Drawer struct {
	text  rendition.Text
	face  font.Face
	edge  int // pixels around the letters
	shown string
	ink   *image.Alpha // of the letters
	dark  *image.Alpha // of letters and edge
}

// New makes a drawer for pictures of a height.
func New(t rendition.Text, height int) (*Drawer, error) {
	const smallest = 8
	f, err := opentype.Parse(gobold.TTF)
	if err != nil {
		return nil, err
	}
	size := max(smallest, t.Size*float64(height)/100)
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingFull})
	if err != nil {
		return nil, err
	}
	const edges = 14 // the edge is this part of the letters' size
	return &Drawer{text: t, face: face, edge: max(1, int(size)/edges)}, nil
}

// Words returns the text at a time.
func Words(t rendition.Text, at time.Time) string {
	return strings.NewReplacer("{date}", at.Format("2006-01-02"), "{time}", at.Format("15:04:05"), "{place}", t.Place).Replace(t.Template)
}

// Draw draws the text for a time.
func (d *Drawer) Draw(p *picture.Picture, at time.Time) {
	if words := Words(d.text, at); words != d.shown || d.ink == nil {
		d.shown = words
		d.render(words)
	}
	x, y := d.place(p)
	blend(p, d.dark, x, y, black(p.Colour))
	blend(p, d.ink, x, y, white(p.Colour))
	neutral(p, d.dark, x, y)
}

func black(c workerproto.Colour) int {
	if c.FullRange {
		return 0
	}
	return 16
}

func white(c workerproto.Colour) int {
	if c.FullRange {
		return 255
	}
	return 235
}

// render paints the letters once; they are blended into many pictures.
func (d *Drawer) render(words string) {
	m := d.face.Metrics()
	w := font.MeasureString(d.face, words).Ceil() + 2*d.edge
	h := m.Ascent.Ceil() + m.Descent.Ceil() + 2*d.edge
	const widest = 8192
	box := image.Rect(0, 0, min(w, widest), h)
	d.ink, d.dark = image.NewAlpha(box), image.NewAlpha(box)
	paint := func(dst *image.Alpha, dx, dy int) {
		pen := font.Drawer{Dst: dst, Src: image.NewUniform(color.Opaque), Face: d.face, Dot: fixed.P(d.edge+dx, d.edge+dy+m.Ascent.Ceil())}
		pen.DrawString(words)
	}
	paint(d.ink, 0, 0)
	for dy := -d.edge; dy <= d.edge; dy++ {
		for dx := -d.edge; dx <= d.edge; dx++ {
			paint(d.dark, dx, dy)
		}
	}
}

// place returns where the text's upper left corner is.
func (d *Drawer) place(p *picture.Picture) (x, y int) {
	margin := p.Height / 40
	x, y = margin, margin
	if d.text.Corner == rendition.TopRight || d.text.Corner == rendition.BottomRight {
		x = p.Width - d.ink.Rect.Dx() - margin
	}
	if d.text.Corner == rendition.BottomLeft || d.text.Corner == rendition.BottomRight {
		y = p.Height - d.ink.Rect.Dy() - margin
	}
	return max(0, x) &^ 1, max(0, y) &^ 1
}

// blend mixes a luma into the picture where the mask says so.
func blend(p *picture.Picture, mask *image.Alpha, x0, y0, luma int) {
	w := min(mask.Rect.Dx(), p.Width-x0)
	for y := range min(mask.Rect.Dy(), p.Height-y0) {
		row := p.Planes[0][(y0+y)*p.Strides[0]+x0:]
		alpha := mask.Pix[y*mask.Stride:]
		for x := range w {
			if a := int(alpha[x]); a > 0 {
				row[x] = byte((int(row[x])*(255-a) + luma*a) / 255)
			}
		}
	}
}

// neutral takes the colour away under the letters.
func neutral(p *picture.Picture, mask *image.Alpha, x0, y0 int) {
	const grey, half = 128, 128
	w := min(mask.Rect.Dx(), p.Width-x0)
	for y := 0; y < min(mask.Rect.Dy(), p.Height-y0); y += 2 {
		alpha := mask.Pix[y*mask.Stride:]
		for x := 0; x < w; x += 2 {
			if alpha[x] < half {
				continue
			}
			p.Planes[1][(y0+y)/2*p.Strides[1]+(x0+x)/2] = grey
			p.Planes[2][(y0+y)/2*p.Strides[2]+(x0+x)/2] = grey
		}
	}
}
