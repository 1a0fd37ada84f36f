// Package openh264 decodes and encodes H.264 with the OpenH264 library. The
// encoder makes constrained baseline or main profile without reordering or
// look-ahead.
package openh264

/*
#cgo pkg-config: openh264
#include <stdlib.h>
#include <string.h>
#include <stdbool.h>
#include <wels/codec_api.h>

typedef struct {
	ISVCEncoder *encoder;
	SFrameBSInfo info;
	int width, height;
} wb_encoder;

static wb_encoder *wb_open(int width, int height, float rate, int bits, int main, int full, int bt601, int *failed) {
	wb_encoder *e = calloc(1, sizeof *e);
	if (e == NULL || (*failed = WelsCreateSVCEncoder(&e->encoder)) != 0) {
		free(e);
		return NULL;
	}
	int quiet = 0;
	(*e->encoder)->SetOption(e->encoder, ENCODER_OPTION_TRACE_LEVEL, &quiet);
	SEncParamExt p;
	memset(&p, 0, sizeof p);
	(*e->encoder)->GetDefaultParams(e->encoder, &p);
	p.iUsageType = CAMERA_VIDEO_REAL_TIME;
	p.iPicWidth = width;
	p.iPicHeight = height;
	p.iTargetBitrate = bits;
	p.iRCMode = RC_TIMESTAMP_MODE;
	p.fMaxFrameRate = rate;
	p.uiIntraPeriod = 0; // keyframes are asked for, by the clock
	p.iEntropyCodingModeFlag = main;
	p.eSpsPpsIdStrategy = CONSTANT_ID;
	p.bEnableFrameSkip = false;
	p.iMultipleThreadIdc = 1;
	p.bEnableSceneChangeDetect = false;
	p.bEnableBackgroundDetection = true;
	p.iSpatialLayerNum = 1;
	SSpatialLayerConfig *l = &p.sSpatialLayers[0];
	l->iVideoWidth = width;
	l->iVideoHeight = height;
	l->fFrameRate = rate;
	l->iSpatialBitrate = bits;
	l->uiProfileIdc = main ? PRO_MAIN : PRO_BASELINE;
	l->sSliceArgument.uiSliceMode = SM_SINGLE_SLICE;
	l->bVideoSignalTypePresent = true;
	l->uiVideoFormat = VF_UNDEF;
	l->bFullRange = full;
	l->bColorDescriptionPresent = true;
	l->uiColorPrimaries = bt601 ? CP_SMPTE170M : CP_BT709;
	l->uiTransferCharacteristics = bt601 ? TRC_SMPTE170M : TRC_BT709;
	l->uiColorMatrix = bt601 ? CM_SMPTE170M : CM_BT709;
	e->width = width;
	e->height = height;
	*failed = (*e->encoder)->InitializeExt(e->encoder, &p);
	if (*failed != 0) {
		WelsDestroySVCEncoder(e->encoder);
		free(e);
		return NULL;
	}
	return e;
}

static int wb_encode(wb_encoder *e, unsigned char *y, int ys, unsigned char *u, int us, unsigned char *v, int vs, long long ms) {
	SSourcePicture p;
	memset(&p, 0, sizeof p);
	p.iColorFormat = videoFormatI420;
	p.iPicWidth = e->width;
	p.iPicHeight = e->height;
	p.iStride[0] = ys;
	p.iStride[1] = us;
	p.iStride[2] = vs;
	p.pData[0] = y;
	p.pData[1] = u;
	p.pData[2] = v;
	p.uiTimeStamp = ms;
	return (*e->encoder)->EncodeFrame(e->encoder, &p, &e->info);
}

// The C declaration of ForceIntraFrame has no layer argument of the real one.
typedef int (*wb_force)(ISVCEncoder *, bool, int);

static int wb_key(wb_encoder *e) {
	wb_force force = (wb_force)(*e->encoder)->ForceIntraFrame;
	return force(e->encoder, true, -1);
}

static void wb_close(wb_encoder *e) {
	(*e->encoder)->Uninitialize(e->encoder);
	WelsDestroySVCEncoder(e->encoder);
	free(e);
}

static int wb_layer_size(wb_encoder *e, int layer) {
	SLayerBSInfo *l = &e->info.sLayerInfo[layer];
	int size = 0;
	for (int i = 0; i < l->iNalCount; i++)
		size += l->pNalLengthInByte[i];
	return size;
}

static unsigned char *wb_layer_data(wb_encoder *e, int layer) {
	return e->info.sLayerInfo[layer].pBsBuf;
}
*/
import "C"

import (
	"fmt"
	"time"
	"unsafe"

	"webostrum/codecs/picture"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// Encoder is one H.264 encoder. It is not safe for concurrent use.
type Encoder struct {
	c             *C.wb_encoder
	width, height int
}

// NewEncoder opens an encoder for pictures of an output's size and of a colour.
// Close it.
func NewEncoder(o rendition.Encoding, colour workerproto.Colour) (*Encoder, error) {
	if err := o.Validate(); err != nil {
		return nil, err
	}
	var failed C.int
	c := C.wb_open(C.int(o.Width), C.int(o.Height), C.float(o.Rate()), C.int(o.BitRate),
		flag(o.Profile == rendition.Main), flag(colour.FullRange), flag(colour.BT601), &failed)
	if c == nil {
		return nil, fmt.Errorf("openh264: no encoder for %dx%d: code %d", o.Width, o.Height, failed)
	}
	return &Encoder{c: c, width: o.Width, height: o.Height}, nil
}

func flag(b bool) C.int {
	if b {
		return 1
	}
	return 0
}

// Encode implements picture.Encoder. The bytes are a byte stream with start
// codes, parameter sets before each keyframe.
func (e *Encoder) Encode(p *picture.Picture, at time.Duration, key bool) (stream []byte, isKey bool, err error) {
	if p.Width != e.width || p.Height != e.height {
		return nil, false, fmt.Errorf("openh264: picture of %dx%d, want %dx%d", p.Width, p.Height, e.width, e.height)
	}
	if key {
		C.wb_key(e.c)
	}
	plane := func(i int) (*C.uchar, C.int) {
		return (*C.uchar)(unsafe.SliceData(p.Planes[i])), C.int(p.Strides[i])
	}
	y, ys := plane(0)
	u, us := plane(1)
	v, vs := plane(2)
	if code := C.wb_encode(e.c, y, ys, u, us, v, vs, C.longlong(at.Milliseconds())); code != 0 {
		return nil, false, fmt.Errorf("openh264: encoding failed with code %d", code)
	}
	info := &e.c.info
	if info.eFrameType == C.videoFrameTypeSkip || info.eFrameType == C.videoFrameTypeInvalid {
		return nil, false, nil
	}
	for i := range int(info.iLayerNum) {
		n := C.wb_layer_size(e.c, C.int(i))
		stream = append(stream, unsafe.Slice((*byte)(C.wb_layer_data(e.c, C.int(i))), n)...)
	}
	return stream, info.eFrameType == C.videoFrameTypeIDR, nil
}

// Close frees the encoder.
func (e *Encoder) Close() {
	if e.c != nil {
		C.wb_close(e.c)
		e.c = nil
	}
}
