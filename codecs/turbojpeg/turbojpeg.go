// Package turbojpeg decodes and encodes JPEG with the TurboJPEG library.
package turbojpeg

/*
#cgo pkg-config: libturbojpeg
#include <stdlib.h>
#include <turbojpeg.h>

static int wb_compress(tjhandle t, const unsigned char *y, int ys, const unsigned char *u, int us, const unsigned char *v, int vs,
		int w, int h, unsigned char *out, unsigned long *size, int quality) {
	const unsigned char *planes[3] = {y, u, v};
	int strides[3] = {ys, us, vs};
	return tjCompressFromYUVPlanes(t, planes, w, strides, h, TJSAMP_420, &out, size, quality, TJFLAG_NOREALLOC);
}
*/
import "C"

import (
	"errors"
	"fmt"
	"time"
	"unsafe"

	"webostrum/codecs/picture"
	"webostrum/codecs/yuv"
	"webostrum/core/jpeg"
	"webostrum/core/workerproto"
)

// planes is what the library fills: pointers in C memory, as cgo wants it.
type planes struct {
	data    **C.uchar
	strides *C.int
}

func newPlanes() planes {
	return planes{
		data:    (**C.uchar)(C.calloc(3, C.size_t(unsafe.Sizeof(uintptr(0))))),
		strides: (*C.int)(C.calloc(3, C.sizeof_int)),
	}
}

func (p planes) free() {
	C.free(unsafe.Pointer(p.data))
	C.free(unsafe.Pointer(p.strides))
}

// Decoder decodes JPEG. It is not safe for concurrent use.
type Decoder struct {
	handle C.tjhandle
	planes planes
	mem    unsafe.Pointer // the decoded planes, in the picture's own sampling
	size   int
	out    *picture.Picture
}

// NewDecoder opens a decoder. Close it.
func NewDecoder() (*Decoder, error) {
	d := &Decoder{planes: newPlanes()}
	if err := d.open(); err != nil {
		d.planes.free()
		return nil, err
	}
	return d, nil
}

func (d *Decoder) open() error {
	if d.handle = C.tjInitDecompress(); d.handle == nil {
		return errors.New("turbojpeg: no decoder can be had")
	}
	return nil
}

// Decode implements picture.Decoder. The picture has 4:2:0 whatever came.
func (d *Decoder) Decode(data []byte, stamp workerproto.Stamp) (picture.Decoded, bool, error) {
	none := picture.Decoded{}
	// Our own reading of the header bounds what the library is let near.
	if _, err := jpeg.Parse(data); err != nil {
		return none, false, err
	}
	src, length := (*C.uchar)(unsafe.SliceData(data)), C.ulong(len(data))
	var w, h, sampling, space C.int
	if C.tjDecompressHeader3(d.handle, src, length, &w, &h, &sampling, &space) != 0 || sampling < 0 {
		return none, false, d.failed("header")
	}
	d.room(w, h, sampling)
	if C.tjDecompressToYUVPlanes(d.handle, src, length, d.planes.data, 0, d.planes.strides, 0, 0) != 0 &&
		C.tjGetErrorCode(d.handle) != C.TJERR_WARNING { // a warning comes with a picture
		return none, false, d.failed("picture")
	}
	return picture.Decoded{Picture: d.picture(int(w), int(h), sampling), Stamp: stamp}, true, nil
}

// room makes the planes fit a picture.
func (d *Decoder) room(w, h, sampling C.int) {
	var sizes [3]int
	total := 0
	strides := unsafe.Slice(d.planes.strides, 3)
	for i := range sizes {
		if sampling == C.TJSAMP_GRAY && i > 0 {
			break
		}
		sizes[i] = int(C.tjPlaneSizeYUV(C.int(i), w, 0, h, sampling))
		strides[i] = C.tjPlaneWidth(C.int(i), w, sampling)
		total += sizes[i]
	}
	if total > d.size {
		C.free(d.mem)
		d.mem, d.size = C.malloc(C.size_t(total)), total
	}
	pointers := unsafe.Slice(d.planes.data, 3)
	at := 0
	for i, size := range sizes {
		pointers[i] = (*C.uchar)(unsafe.Add(d.mem, at))
		at += size
	}
}

// picture makes 4:2:0 of what was decoded.
func (d *Decoder) picture(w, h int, sampling C.int) *picture.Picture {
	pointers, strides := unsafe.Slice(d.planes.data, 3), unsafe.Slice(d.planes.strides, 3)
	plane := func(i int) (data []byte, stride, pw, ph int) {
		stride = int(strides[i])
		pw = int(C.tjPlaneWidth(C.int(i), C.int(w), sampling))
		ph = int(C.tjPlaneHeight(C.int(i), C.int(h), sampling))
		return unsafe.Slice((*byte)(pointers[i]), stride*ph), stride, pw, ph
	}
	if sampling == C.TJSAMP_420 { // as it is, in the library's memory
		p := &picture.Picture{Width: w, Height: h, Colour: workerproto.ColourJPEG}
		for i := range p.Planes {
			p.Planes[i], p.Strides[i], _, _ = plane(i)
		}
		return p
	}
	d.out = picture.Reuse(d.out, w, h)
	o := d.out
	o.Colour = workerproto.ColourJPEG
	cw, ch := o.Chroma()
	luma, stride, pw, ph := plane(0)
	yuv.Plane(o.Planes[0], o.Strides[0], w, h, luma, stride, min(pw, w), min(ph, h))
	for i := 1; i < 3; i++ {
		if sampling == C.TJSAMP_GRAY {
			grey(o.Planes[i])
			continue
		}
		data, stride, pw, ph := plane(i)
		yuv.Plane(o.Planes[i], o.Strides[i], cw, ch, data, stride, pw, ph)
	}
	return o
}

func grey(plane []byte) {
	const neutral = 128
	for i := range plane {
		plane[i] = neutral
	}
}

// failed says what the library said, and opens it anew: after an error it
// refuses good pictures too.
func (d *Decoder) failed(what string) error {
	err := fmt.Errorf("turbojpeg: %s: %s", what, C.GoString(C.tjGetErrorStr2(d.handle)))
	C.tjDestroy(d.handle)
	return errors.Join(err, d.open())
}

// Close frees the decoder.
func (d *Decoder) Close() {
	if d.handle != nil {
		C.tjDestroy(d.handle)
		d.handle = nil
	}
	C.free(d.mem)
	d.mem, d.size = nil, 0
	d.planes.free()
	d.planes = planes{}
}

// Encoder encodes JPEG with 4:2:0. It is not safe for concurrent use.
type Encoder struct {
	handle   C.tjhandle
	quality  int
	recolour yuv.Recolour
	mem      *C.uchar // what the last picture was written to
	size     C.ulong
}

// NewEncoder opens an encoder of a quality from 1 to 100. Close it.
func NewEncoder(quality int) (*Encoder, error) {
	e := &Encoder{handle: C.tjInitCompress(), quality: quality}
	if e.handle == nil {
		return nil, errors.New("turbojpeg: no encoder can be had")
	}
	return e, nil
}

// Encode implements picture.Encoder: every picture is a keyframe.
func (e *Encoder) Encode(p *picture.Picture, _ time.Duration, _ bool) (data []byte, isKey bool, err error) {
	if p, err = e.recolour.JPEG(p); err != nil {
		return nil, false, err
	}
	if need := C.tjBufSize(C.int(p.Width), C.int(p.Height), C.TJSAMP_420); need > e.size {
		C.tjFree(e.mem)
		e.mem, e.size = C.tjAlloc(C.int(need)), need
	}
	plane := func(i int) (*C.uchar, C.int) {
		return (*C.uchar)(unsafe.SliceData(p.Planes[i])), C.int(p.Strides[i])
	}
	y, ys := plane(0)
	u, us := plane(1)
	v, vs := plane(2)
	length := e.size
	if C.wb_compress(e.handle, y, ys, u, us, v, vs, C.int(p.Width), C.int(p.Height), e.mem, &length, C.int(e.quality)) != 0 {
		return nil, false, fmt.Errorf("turbojpeg: encoding: %s", C.GoString(C.tjGetErrorStr2(e.handle)))
	}
	return C.GoBytes(unsafe.Pointer(e.mem), C.int(length)), true, nil
}

// Close frees the encoder.
func (e *Encoder) Close() {
	if e.handle == nil {
		return
	}
	C.tjDestroy(e.handle)
	C.tjFree(e.mem)
	e.handle, e.mem, e.size = nil, nil, 0
}
