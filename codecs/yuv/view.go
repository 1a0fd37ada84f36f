package yuv

import (
	"webostrum/codecs/picture"
	"webostrum/core/projection"
)

// View cuts a flat view out of pictures of another projection. Its tables are made for the
// first picture, and anew when sizes change. It is not safe for concurrent use.
type View struct {
	view          projection.View
	from          [3]int // width, height and stride of what the tables are for
	luma, chroma  []int32
	width, height int
}

// NewView makes a view.
func NewView(v projection.View) *View { return &View{view: v} }

// Cut puts the view of a picture into another one.
func (v *View) Cut(dst, src *picture.Picture) {
	from := [3]int{src.Width, src.Height, src.Strides[0]}
	cw, ch := dst.Chroma()
	if from != v.from || v.width != dst.Width || v.height != dst.Height {
		sw, sh := src.Chroma()
		v.from, v.width, v.height = from, dst.Width, dst.Height
		v.luma = v.view.Table(dst.Width, dst.Height, src.Width, src.Height, src.Strides[0])
		v.chroma = v.view.Table(cw, ch, sw, sh, src.Strides[1])
	}
	gather(dst.Planes[0], dst.Strides[0], dst.Width, v.luma, src.Planes[0], 0)
	if src.Strides[1] != src.Strides[2] {
		return // no decoder here has such planes
	}
	const grey = 128
	for i := 1; i < len(dst.Planes); i++ {
		gather(dst.Planes[i], dst.Strides[i], cw, v.chroma, src.Planes[i], grey)
	}
	dst.Colour = src.Colour
}

func gather(dst []byte, stride, width int, table []int32, src []byte, outside byte) {
	for begin, row := 0, 0; begin < len(table); begin, row = begin+width, row+1 {
		line := dst[row*stride:][:width]
		for i, at := range table[begin : begin+width] {
			if uint(at) < uint(len(src)) {
				line[i] = src[at]
			} else {
				line[i] = outside
			}
		}
	}
}
