package openh264

/*
#include <stdlib.h>
#include <string.h>
#include <stdbool.h>
#include <wels/codec_api.h>

typedef struct {
	ISVCDecoder *decoder;
	unsigned char *planes[3];
	SBufferInfo info;
} wb_decoder;

static wb_decoder *wb_open_decoder(void) {
	wb_decoder *d = calloc(1, sizeof *d);
	if (d == NULL || WelsCreateDecoder(&d->decoder) != 0) {
		free(d);
		return NULL;
	}
	int quiet = 0;
	(*d->decoder)->SetOption(d->decoder, DECODER_OPTION_TRACE_LEVEL, &quiet);
	SDecodingParam p;
	memset(&p, 0, sizeof p);
	p.uiTargetDqLayer = 255;
	p.eEcActiveIdc = ERROR_CON_DISABLE; // no picture rather than a broken one
	p.sVideoProperty.eVideoBsType = VIDEO_BITSTREAM_AVC;
	if ((*d->decoder)->Initialize(d->decoder, &p) != 0) {
		WelsDestroyDecoder(d->decoder);
		free(d);
		return NULL;
	}
	return d;
}

static int wb_decode(wb_decoder *d, const unsigned char *src, int n, unsigned long long token) {
	memset(d->planes, 0, sizeof d->planes);
	memset(&d->info, 0, sizeof d->info);
	d->info.uiInBsTimeStamp = token;
	return (*d->decoder)->DecodeFrameNoDelay(d->decoder, src, n, d->planes, &d->info);
}

// wb_flush takes a picture that is held back, when there is exactly one.
static int wb_flush(wb_decoder *d) {
	int left = 0;
	(*d->decoder)->GetOption(d->decoder, DECODER_OPTION_NUM_OF_FRAMES_REMAINING_IN_BUFFER, &left);
	if (left != 1)
		return 0;
	memset(&d->info, 0, sizeof d->info);
	return (*d->decoder)->FlushFrame(d->decoder, d->planes, &d->info);
}

static void wb_close_decoder(wb_decoder *d) {
	(*d->decoder)->Uninitialize(d->decoder);
	WelsDestroyDecoder(d->decoder);
	free(d);
}

static SSysMEMBuffer *wb_picture(wb_decoder *d) { return &d->info.UsrData.sSystemBuffer; }
*/
import "C"

import (
	"errors"
	"fmt"
	"unsafe"

	"webostrum/codecs/picture"
	"webostrum/core/h264"
	"webostrum/core/nalu"
	"webostrum/core/workerproto"
)

// mostHeld bounds the stamps that wait for their picture: more than a decoded
// picture buffer can hold (A.3.1).
const mostHeld = 64

// Decoder decodes H.264: baseline, main and high profile, progressive. It is not
// safe for concurrent use.
type Decoder struct {
	c        *C.wb_decoder
	sets     []byte // as a byte stream, for keyframes
	colour   workerproto.Colour
	stream   []byte
	stamps   map[uint64]workerproto.Stamp
	token    uint64
	reorders bool  // there have been B slices
	last     int64 // PTS of the picture given out last
	any      bool
}

// ErrMonochrome is returned for a stream that the library would decode wrongly
// without saying so; ErrInterlaced for one that it refuses.
var (
	ErrMonochrome = errors.New("openh264: pictures without colour cannot be decoded")
	ErrInterlaced = errors.New("openh264: interlaced pictures cannot be decoded")
)

// NewDecoder opens a decoder for a stream with these parameter sets. Close it.
func NewDecoder(sets [][]byte) (*Decoder, error) {
	sps, err := h264.ParseSPS(sets[0])
	switch {
	case err != nil:
		return nil, err
	case sps.Chroma == 0:
		return nil, ErrMonochrome
	case sps.Interlaced:
		return nil, ErrInterlaced
	}
	d := &Decoder{
		stamps: make(map[uint64]workerproto.Stamp),
		colour: workerproto.Colour{FullRange: sps.FullRange, BT601: sps.BT601(sps.Height)},
	}
	if err := d.reopen(); err != nil {
		return nil, err
	}
	for _, set := range sets {
		d.sets = nalu.AppendStart(d.sets, set)
	}
	return d, nil
}

// reopen begins with an empty decoder: pictures that it holds back are no longer wanted.
func (d *Decoder) reopen() error {
	d.Close()
	if d.c = C.wb_open_decoder(); d.c == nil {
		return errors.New("openh264: no decoder can be had")
	}
	d.any = false
	clear(d.stamps)
	return nil
}

// Decode implements picture.Decoder. data is one access unit of length-prefixed
// NAL units.
func (d *Decoder) Decode(data []byte, stamp workerproto.Stamp) (picture.Decoded, bool, error) {
	if stamp.Key && d.any && stamp.PTS <= d.last { // frames come again, from an earlier one on
		if err := d.reopen(); err != nil {
			return picture.Decoded{}, false, err
		}
	}
	d.fill(data, stamp.Key)
	d.token++
	d.stamps[d.token] = stamp
	code := C.wb_decode(d.c, (*C.uchar)(unsafe.SliceData(d.stream)), C.int(len(d.stream)), C.ulonglong(d.token))
	if code == 0 && d.c.info.iBufferStatus != 1 && !d.reorders {
		code = C.wb_flush(d.c)
	}
	if len(d.stamps) > mostHeld {
		clear(d.stamps)
	}
	if code != 0 {
		return picture.Decoded{}, false, fmt.Errorf("openh264: decoding failed with code 0x%x", int(code))
	}
	return d.take()
}

// fill makes a byte stream of an access unit, and notes B slices.
func (d *Decoder) fill(data []byte, key bool) {
	d.stream = d.stream[:0]
	if key {
		d.stream = append(d.stream, d.sets...)
	}
	for nal := range nalu.Units(data) {
		d.stream = nalu.AppendStart(d.stream, nal)
		if !d.reorders && h264.TypeOf(nal).IsVCL() {
			s, err := h264.ParseSlice(nal)
			d.reorders = err == nil && s.Kind == h264.SliceB
		}
	}
}

// take hands out the picture that came out, if one did. Pictures leave in the
// order in which they are shown.
func (d *Decoder) take() (picture.Decoded, bool, error) {
	none := picture.Decoded{}
	if d.c.info.iBufferStatus != 1 {
		return none, false, nil
	}
	token := uint64(d.c.info.uiOutYuvTimeStamp)
	stamp, known := d.stamps[token]
	delete(d.stamps, token)
	b := C.wb_picture(d.c)
	w, h := int(b.iWidth), int(b.iHeight)
	if !known || d.any && stamp.PTS <= d.last || w <= 0 || h <= 0 {
		return none, false, nil
	}
	d.any, d.last = true, stamp.PTS
	p := &picture.Picture{Width: w, Height: h, Colour: d.colour}
	ch := (h + 1) / 2
	for i, rows := range [3]int{h, ch, ch} {
		p.Strides[i] = int(b.iStride[min(i, 1)])
		p.Planes[i] = unsafe.Slice((*byte)(d.c.planes[i]), p.Strides[i]*rows)
	}
	return picture.Decoded{Picture: p, Stamp: stamp}, true, nil
}

// Close frees the decoder.
func (d *Decoder) Close() {
	if d.c != nil {
		C.wb_close_decoder(d.c)
		d.c = nil
	}
}
