// Package vpx decodes VP8 and encodes VP9 with the libvpx library, in one thread.
package vpx

/*
#cgo pkg-config: vpx
#include <stdlib.h>
#include <vpx/vpx_decoder.h>
#include <vpx/vp8dx.h>

// wb_open opens a decoder; the library's own call is a macro.
static int wb_open(vpx_codec_ctx_t *c) {
	vpx_codec_dec_cfg_t cfg = {.threads = 1};
	return vpx_codec_dec_init(c, vpx_codec_vp8_dx(), &cfg, 0);
}

// wb_decode decodes a frame and returns the picture of it, or NULL.
static int wb_decode(vpx_codec_ctx_t *c, const void *data, unsigned n, vpx_image_t **out) {
	vpx_codec_iter_t iter = NULL;
	int code = vpx_codec_decode(c, data, n, NULL, 0);
	*out = code == VPX_CODEC_OK ? vpx_codec_get_frame(c, &iter) : NULL;
	return code;
}
*/
import "C"

import (
	"errors"
	"fmt"
	"unsafe"

	"webostrum/codecs/picture"
	"webostrum/core/workerproto"
)

// Decoder decodes VP8. It is not safe for concurrent use.
type Decoder struct {
	c    *C.vpx_codec_ctx_t
	good bool // a keyframe was decoded, and nothing since went wrong
}

// NewDecoder opens a decoder. Close it.
func NewDecoder() (*Decoder, error) {
	d := &Decoder{}
	return d, d.reopen()
}

func (d *Decoder) reopen() error {
	d.Close()
	d.good = false
	d.c = (*C.vpx_codec_ctx_t)(C.calloc(1, C.sizeof_vpx_codec_ctx_t))
	if code := C.wb_open(d.c); code != C.VPX_CODEC_OK {
		C.free(unsafe.Pointer(d.c))
		d.c = nil
		return fmt.Errorf("vpx: no decoder can be had: code %d", code)
	}
	return nil
}

// Decode implements picture.Decoder. What follows a frame that cannot be decoded is left out
// until the next keyframe.
func (d *Decoder) Decode(data []byte, stamp workerproto.Stamp) (picture.Decoded, bool, error) {
	none := picture.Decoded{}
	if len(data) == 0 || !d.good && !stamp.Key {
		return none, false, nil
	}
	var img *C.vpx_image_t
	if code := C.wb_decode(d.c, unsafe.Pointer(unsafe.SliceData(data)), C.unsigned(len(data)), &img); code != C.VPX_CODEC_OK {
		err := fmt.Errorf("vpx: decoding failed: code %d", code)
		return none, false, errors.Join(err, d.reopen())
	}
	d.good = true
	if img == nil {
		return none, false, nil // a frame that is not shown
	}
	if img.fmt != C.VPX_IMG_FMT_I420 {
		return none, false, fmt.Errorf("vpx: pictures of format %d", img.fmt)
	}
	return picture.Decoded{Picture: wrap(img), Stamp: stamp}, true, nil
}

// wrap is a picture of the library's planes, which are valid until the next call. VP8 is of
// BT.601 (RFC 6386, 9.2).
func wrap(img *C.vpx_image_t) *picture.Picture {
	p := &picture.Picture{Width: int(img.d_w), Height: int(img.d_h), Colour: workerproto.Colour{BT601: true}}
	_, half := p.Chroma()
	for i, rows := range []int{p.Height, half, half} {
		p.Strides[i] = int(img.stride[i])
		p.Planes[i] = unsafe.Slice((*byte)(img.planes[i]), p.Strides[i]*rows)
	}
	return p
}

// Close frees the decoder.
func (d *Decoder) Close() {
	if d.c != nil {
		C.vpx_codec_destroy(d.c)
		C.free(unsafe.Pointer(d.c))
		d.c = nil
	}
}
