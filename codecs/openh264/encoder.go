// Package openh264 encodes pictures as H.264 with the OpenH264 library: profile
// constrained baseline, no reordering, no look-ahead.
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

static wb_encoder *wb_open(int width, int height, float rate, int bits, int key, int *failed) {
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
	p.uiIntraPeriod = key;
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
	l->uiProfileIdc = PRO_BASELINE;
	l->sSliceArgument.uiSliceMode = SM_SINGLE_SLICE;
	l->bVideoSignalTypePresent = true;
	l->uiVideoFormat = VF_UNDEF;
	l->bFullRange = false;
	l->bColorDescriptionPresent = true;
	l->uiColorPrimaries = CP_BT709;
	l->uiTransferCharacteristics = TRC_BT709;
	l->uiColorMatrix = CM_BT709;
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

static int wb_encode(wb_encoder *e, unsigned char *i420, long long ms) {
	SSourcePicture p;
	memset(&p, 0, sizeof p);
	int luma = e->width * e->height;
	p.iColorFormat = videoFormatI420;
	p.iPicWidth = e->width;
	p.iPicHeight = e->height;
	p.iStride[0] = e->width;
	p.iStride[1] = p.iStride[2] = e->width / 2;
	p.pData[0] = i420;
	p.pData[1] = i420 + luma;
	p.pData[2] = i420 + luma + luma / 4;
	p.uiTimeStamp = ms;
	return (*e->encoder)->EncodeFrame(e->encoder, &p, &e->info);
}

// The C declaration of ForceIntraFrame lacks the layer argument of the real one.
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

	"webostrum/core/convert"
)

// Encoder is one H.264 encoder. It is not safe for concurrent use.
type Encoder struct {
	c     *C.wb_encoder
	order convert.EncodeOrder
}

// NewEncoder opens an encoder. Close it.
func NewEncoder(o convert.EncodeOrder) (*Encoder, error) {
	if err := o.Validate(); err != nil {
		return nil, err
	}
	var failed C.int
	c := C.wb_open(C.int(o.Width), C.int(o.Height), C.float(o.FrameRate), C.int(o.BitRate), C.int(o.KeyEvery), &failed)
	if c == nil {
		return nil, fmt.Errorf("openh264: no encoder for %dx%d: code %d", o.Width, o.Height, failed)
	}
	return &Encoder{c: c, order: o}, nil
}

// Encode encodes one raw picture (see EncodeOrder.PictureSize) and returns a
// byte stream with start codes, parameter sets before each keyframe. The bytes
// are the caller's. It returns nothing when the encoder left the picture out.
func (e *Encoder) Encode(i420 []byte, at time.Duration, key bool) (stream []byte, isKey bool, err error) {
	if len(i420) != e.order.PictureSize() {
		return nil, false, fmt.Errorf("openh264: picture of %d bytes, want %d", len(i420), e.order.PictureSize())
	}
	if key {
		C.wb_key(e.c)
	}
	if code := C.wb_encode(e.c, (*C.uchar)(unsafe.SliceData(i420)), C.longlong(at.Milliseconds())); code != 0 {
		return nil, false, fmt.Errorf("openh264: encoding failed with code %d", code)
	}
	info := &e.c.info
	if info.eFrameType == C.videoFrameTypeSkip || info.eFrameType == C.videoFrameTypeInvalid {
		return nil, false, nil
	}
	for i := range int(info.iLayerNum) {
		n := C.wb_layer_size(e.c, C.int(i))
		stream = append(stream, C.GoBytes(unsafe.Pointer(C.wb_layer_data(e.c, C.int(i))), n)...)
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
