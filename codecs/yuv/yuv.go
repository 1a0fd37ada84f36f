// Package yuv scales pictures and changes what their numbers mean, with libyuv.
package yuv

/*
#cgo LDFLAGS: -lyuv
#include <libyuv/convert_argb.h>
#include <libyuv/convert_from_argb.h>
#include <libyuv/planar_functions.h>
#include <libyuv/scale.h>

static const struct YuvConstants *wb_matrix(int full, int bt601) {
	if (full)
		return bt601 ? &kYuvJPEGConstants : &kYuvF709Constants;
	return bt601 ? &kYuvI601Constants : &kYuvH709Constants;
}

static int wb_to_argb(const uint8_t *y, int ys, const uint8_t *u, int us, const uint8_t *v, int vs,
		uint8_t *argb, int stride, int full, int bt601, int w, int h) {
	return I420ToARGBMatrix(y, ys, u, us, v, vs, argb, stride, wb_matrix(full, bt601), w, h);
}
*/
import "C"

import (
	"fmt"
	"unsafe"

	"webostrum/codecs/picture"
	"webostrum/core/workerproto"
)

func at(p []byte) *C.uint8_t { return (*C.uint8_t)(unsafe.SliceData(p)) }

// Scale fills dst with src in dst's size. Both have the same colour then.
func Scale(dst, src *picture.Picture) {
	sw, sh := src.Chroma()
	dw, dh := dst.Chroma()
	Plane(dst.Planes[0], dst.Strides[0], dst.Width, dst.Height, src.Planes[0], src.Strides[0], src.Width, src.Height)
	for i := 1; i < 3; i++ {
		Plane(dst.Planes[i], dst.Strides[i], dw, dh, src.Planes[i], src.Strides[i], sw, sh)
	}
	dst.Colour = src.Colour
}

// Plane scales one plane. A plane of the same size is copied.
func Plane(dst []byte, dstStride, dw, dh int, src []byte, srcStride, sw, sh int) {
	C.ScalePlane(at(src), C.int(srcStride), C.int(sw), C.int(sh), at(dst), C.int(dstStride), C.int(dw), C.int(dh), C.kFilterBox)
}

// Recolour makes pictures of JPEG's colour from others. It keeps buffers between
// pictures; the zero value is ready. It is not safe for concurrent use.
type Recolour struct {
	argb []byte
	out  *picture.Picture
}

// JPEG returns p with JPEG's colour: p itself when it has it, else a picture that
// is valid until the next call.
func (r *Recolour) JPEG(p *picture.Picture) (*picture.Picture, error) {
	if p.Colour == workerproto.ColourJPEG {
		return p, nil
	}
	stride := p.Width * 4
	if len(r.argb) != stride*p.Height {
		r.argb = make([]byte, stride*p.Height)
	}
	r.out = picture.Reuse(r.out, p.Width, p.Height)
	w, h := C.int(p.Width), C.int(p.Height)
	code := C.wb_to_argb(at(p.Planes[0]), C.int(p.Strides[0]), at(p.Planes[1]), C.int(p.Strides[1]), at(p.Planes[2]), C.int(p.Strides[2]),
		at(r.argb), C.int(stride), flag(p.Colour.FullRange), flag(p.Colour.BT601), w, h)
	if code == 0 {
		o := r.out
		code = C.ARGBToJ420(at(r.argb), C.int(stride), at(o.Planes[0]), C.int(o.Strides[0]), at(o.Planes[1]), C.int(o.Strides[1]),
			at(o.Planes[2]), C.int(o.Strides[2]), w, h)
	}
	if code != 0 {
		return nil, fmt.Errorf("libyuv: colours of a %dx%d picture: code %d", p.Width, p.Height, code)
	}
	r.out.Colour = workerproto.ColourJPEG
	return r.out, nil
}

func flag(b bool) C.int {
	if b {
		return 1
	}
	return 0
}

// Fit scales a picture into another one as large as its shape allows, in the middle, with black
// around it.
func Fit(dst, src *picture.Picture) {
	const evenly = 2 // chroma has half the samples
	w, h := dst.Width, dst.Height
	if src.Width*dst.Height > dst.Width*src.Height {
		h = max(evenly, dst.Width*src.Height/src.Width) &^ 1
	} else {
		w = max(evenly, dst.Height*src.Width/src.Height) &^ 1
	}
	w, h = min(w, dst.Width), min(h, dst.Height)
	x, y := (dst.Width-w)/2&^1, (dst.Height-h)/2&^1
	for i, black := range [3]byte{0, 128, 128} {
		if w != dst.Width || h != dst.Height {
			plane := dst.Planes[i]
			for at := range plane {
				plane[at] = black
			}
		}
		px, py, pw, ph, sw, sh := x, y, w, h, src.Width, src.Height
		if i > 0 {
			px, py, pw, ph = x/evenly, y/evenly, (w+1)/evenly, (h+1)/evenly
			sw, sh = src.Chroma()
		}
		Plane(dst.Planes[i][py*dst.Strides[i]+px:], dst.Strides[i], pw, ph, src.Planes[i], src.Strides[i], sw, sh)
	}
	dst.Colour = src.Colour
}
