package scene

import "image"

// i420 is a raw picture: planes Y, Cb, Cr, one after the other, BT.709 with
// limited range (ITU-R BT.709, 3.4 and 4.6).
type i420 struct {
	pix           []byte
	width, height int
}

func (p *i420) planes() (y, cb, cr []byte) {
	luma, chroma := p.width*p.height, p.width*p.height/4
	return p.pix[:luma], p.pix[luma : luma+chroma], p.pix[luma+chroma:]
}

// Coefficients of BT.709 in 1/65536, scaled to limited range.
const (
	yR, yG, yB    = 11966, 40254, 4064
	cbR, cbG, cbB = -6596, -22189, 28784
	crR, crG, crB = 28784, -26145, -2639
	half          = 1 << 15
)

func lumaOf(r, g, b int) byte { return byte((yR*r+yG*g+yB*b+half)>>16 + 16) }
func cbOf(r, g, b int) byte   { return byte((cbR*r+cbG*g+cbB*b+half)>>16 + 128) }
func crOf(r, g, b int) byte   { return byte((crR*r+crG*g+crB*b+half)>>16 + 128) }

func fromRGBA(img *image.RGBA) *i420 {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	p := &i420{pix: make([]byte, w*h*3/2), width: w, height: h}
	p.over(&canvas{img: img})
	return p
}

// over lays a canvas, whose colours are premultiplied, over the picture.
func (p *i420) over(c *canvas) {
	y, cb, cr := p.planes()
	w, h := c.img.Rect.Dx(), c.img.Rect.Dy()
	for row := range h {
		line := c.img.Pix[row*c.img.Stride:]
		at := (row+c.origin.Y)*p.width + c.origin.X
		for col := range w {
			px := line[col*4 : col*4+4]
			if a := int(px[3]); a != 0 {
				l := int(lumaOf(int(px[0]), int(px[1]), int(px[2])))
				y[at+col] = byte(l - 16 + 16*a/255 + int(y[at+col])*(255-a)/255)
			}
		}
		if row%2 == 0 {
			p.chromaRow(cb, cr, c, row, line)
		}
	}
}

func (p *i420) chromaRow(cb, cr []byte, c *canvas, row int, line []byte) {
	at := (row+c.origin.Y)/2*(p.width/2) + c.origin.X/2
	for col := 0; col+1 < c.img.Rect.Dx(); col += 2 {
		px := line[col*4 : col*4+4]
		a := int(px[3])
		if a == 0 {
			continue
		}
		r, g, b := int(px[0]), int(px[1]), int(px[2])
		i := at + col/2
		u, v := int(cbOf(r, g, b))-128, int(crOf(r, g, b))-128
		cb[i] = byte(128 + u + (int(cb[i])-128)*(255-a)/255)
		cr[i] = byte(128 + v + (int(cr[i])-128)*(255-a)/255)
	}
}

// fill paints a grey of this luma.
func (p *i420) fill(r image.Rectangle, luma byte) {
	p.luma(r, luma)
	_, cb, cr := p.planes()
	for row := r.Min.Y / 2; row < r.Max.Y/2; row++ {
		for i := row*(p.width/2) + r.Min.X/2; i < row*(p.width/2)+r.Max.X/2; i++ {
			cb[i], cr[i] = 128, 128
		}
	}
}

func (p *i420) luma(r image.Rectangle, v byte) {
	for row := max(r.Min.Y, 0); row < min(r.Max.Y, p.height); row++ {
		line := p.pix[row*p.width : (row+1)*p.width]
		for i := max(r.Min.X, 0); i < min(r.Max.X, p.width); i++ {
			line[i] = v
		}
	}
}
