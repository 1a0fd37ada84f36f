// Package de265 decodes H.265 with the libde265 library, in one thread.
package de265

/*
#cgo pkg-config: libde265
#include <stdint.h>
#include <libde265/de265.h>

// wb_push hands over an access unit and decodes it; whole says that nothing of it is
// to be held back for later ones.
static int wb_push(de265_decoder_context *d, const void *data, int n, int64_t token, int whole) {
	de265_error err = de265_push_data(d, data, n, token, NULL);
	if (!de265_isOK(err))
		return err;
	if (whole)
		de265_push_end_of_frame(d);
	else
		de265_push_end_of_NAL(d);
	// At the end of a frame there is "more" for as long as its picture was not taken.
	for (int more = 1; more && !(de265_get_number_of_NAL_units_pending(d) == 0 && de265_peek_next_picture(d));) {
		err = de265_decode(d, &more);
		if (err == DE265_ERROR_WAITING_FOR_INPUT_DATA || err == DE265_ERROR_IMAGE_BUFFER_FULL)
			break;
		if (!de265_isOK(err))
			return err;
	}
	while (de265_get_warning(d) != DE265_OK)
		;
	return DE265_OK;
}

// wb_narrow takes the highest 8 bits of samples of more.
static void wb_narrow(uint8_t *to, const uint8_t *from, int stride, int width, int height, int bits) {
	for (int y = 0; y < height; y++) {
		const uint16_t *row = (const uint16_t *)(from + (long)y * stride);
		for (int x = 0; x < width; x++)
			to[(long)y * width + x] = row[x] >> (bits - 8);
	}
}
*/
import "C"

import (
	"errors"
	"fmt"
	"unsafe"

	"webostrum/codecs/picture"
	"webostrum/core/h265"
	"webostrum/core/nalu"
	"webostrum/core/workerproto"
)

// mostHeld bounds the stamps that wait for their picture: more than a decoded picture
// buffer can hold (A.4.2).
const mostHeld = 64

// Decoder decodes H.265: Main and Main 10 profile, 4:2:0 or without colour. It is not safe
// for concurrent use.
type Decoder struct {
	c       unsafe.Pointer
	sets    []byte // as a byte stream, for keyframes
	colour  workerproto.Colour
	reorder bool
	stream  []byte
	stamps  map[int64]workerproto.Stamp
	token   int64
	last    int64 // PTS of the picture given out last
	any     bool
	begun   bool             // it has had a keyframe
	narrow  *picture.Picture // of a stream with more than 8 bits a sample, or without colour
}

// ErrChroma is returned for a stream whose colours are not sampled as browsers decode them.
var ErrChroma = errors.New("de265: only 4:2:0 can be decoded")

// NewDecoder opens a decoder for a stream with these parameter sets. Close it.
func NewDecoder(sets [][]byte) (*Decoder, error) {
	d := &Decoder{stamps: make(map[int64]workerproto.Stamp)}
	for _, set := range sets {
		d.sets = nalu.AppendStart(d.sets, set)
		if h265.TypeOf(set) != h265.NALSPS {
			continue
		}
		sps, err := h265.ParseSPS(set)
		if err != nil {
			return nil, err
		}
		if sps.Chroma > 1 {
			return nil, ErrChroma
		}
		d.reorder = sps.Reorder > 0
		d.colour = workerproto.Colour{FullRange: sps.FullRange, BT601: sps.BT601(sps.Height)}
	}
	return d, d.reopen()
}

// reopen begins with an empty decoder: pictures that it holds back are no longer wanted.
func (d *Decoder) reopen() error {
	d.Close()
	if d.c = C.de265_new_decoder(); d.c == nil {
		return errors.New("de265: no decoder can be had")
	}
	C.de265_set_parameter_bool(d.c, C.DE265_DECODER_PARAM_SUPPRESS_FAULTY_PICTURES, 1)
	d.any, d.begun = false, false
	clear(d.stamps)
	return nil
}

// Decode implements picture.Decoder. data is one access unit of length-prefixed NAL units.
func (d *Decoder) Decode(data []byte, stamp workerproto.Stamp) (picture.Decoded, bool, error) {
	if stamp.Key && d.any && stamp.PTS <= d.last { // frames come again, from an earlier one on
		if err := d.reopen(); err != nil {
			return picture.Decoded{}, false, err
		}
	}
	if d.begun = d.begun || stamp.Key; !d.begun {
		return picture.Decoded{}, false, nil
	}
	d.fill(data, stamp.Key)
	d.token++
	d.stamps[d.token] = stamp
	whole := C.int(1)
	if d.reorder {
		whole = 0
	}
	code := C.wb_push(d.c, unsafe.Pointer(unsafe.SliceData(d.stream)), C.int(len(d.stream)), C.int64_t(d.token), whole)
	if len(d.stamps) > mostHeld {
		clear(d.stamps)
	}
	if code != C.DE265_OK {
		err := fmt.Errorf("de265: decoding failed: %s", C.GoString(C.de265_get_error_text(C.de265_error(code))))
		return picture.Decoded{}, false, errors.Join(err, d.reopen())
	}
	return d.take()
}

// fill makes a byte stream of an access unit.
func (d *Decoder) fill(data []byte, key bool) {
	d.stream = d.stream[:0]
	if key {
		d.stream = append(d.stream, d.sets...)
	}
	for unit := range nalu.Units(data) {
		d.stream = nalu.AppendStart(d.stream, unit)
	}
}

// take hands out the next picture, if one is ready. Pictures leave in the order in which
// they are shown.
func (d *Decoder) take() (picture.Decoded, bool, error) {
	none := picture.Decoded{}
	img := C.de265_get_next_picture(d.c) // valid until the decoder is called again
	if img == nil {
		return none, false, nil
	}
	token := int64(C.de265_get_image_PTS(img))
	stamp, known := d.stamps[token]
	delete(d.stamps, token)
	if !known || d.any && stamp.PTS <= d.last {
		return none, false, nil
	}
	if format := C.de265_get_chroma_format(img); format != C.de265_chroma_420 && format != C.de265_chroma_mono {
		return none, false, ErrChroma
	}
	d.any, d.last = true, stamp.PTS
	return picture.Decoded{Picture: d.picture(img), Stamp: stamp}, true, nil
}

func (d *Decoder) picture(img *C.struct_de265_image) *picture.Picture {
	w, h := int(C.de265_get_image_width(img, 0)), int(C.de265_get_image_height(img, 0))
	mono := C.de265_get_chroma_format(img) == C.de265_chroma_mono
	if mono || C.de265_get_bits_per_pixel(img, 0) > 8 {
		return d.converted(img, w, h, mono)
	}
	p := &picture.Picture{Width: w, Height: h, Colour: d.colour}
	for i := range p.Planes {
		var stride C.int
		plane := C.de265_get_image_plane(img, C.int(i), &stride)
		p.Strides[i] = int(stride)
		p.Planes[i] = unsafe.Slice((*byte)(plane), int(stride)*int(C.de265_get_image_height(img, C.int(i))))
	}
	return p
}

// converted makes a picture of 8 bits a sample with colour.
func (d *Decoder) converted(img *C.struct_de265_image, w, h int, mono bool) *picture.Picture {
	const grey = 128
	d.narrow = picture.Reuse(d.narrow, w, h)
	d.narrow.Colour = d.colour
	for i, plane := range d.narrow.Planes {
		if i > 0 && mono {
			for at := range plane {
				plane[at] = grey
			}
			continue
		}
		var stride C.int
		from := C.de265_get_image_plane(img, C.int(i), &stride)
		width, height := C.de265_get_image_width(img, C.int(i)), C.de265_get_image_height(img, C.int(i))
		bits := C.de265_get_bits_per_pixel(img, C.int(i))
		if bits > 8 {
			C.wb_narrow((*C.uint8_t)(unsafe.SliceData(plane)), from, stride, width, height, bits)
			continue
		}
		rows := unsafe.Slice((*byte)(from), int(stride)*int(height))
		for y := range int(height) {
			copy(plane[y*int(width):(y+1)*int(width)], rows[y*int(stride):])
		}
	}
	return d.narrow
}

// Close frees the decoder.
func (d *Decoder) Close() {
	if d.c != nil {
		C.de265_free_decoder(d.c)
		d.c = nil
	}
}
