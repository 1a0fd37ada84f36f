package vpx

/*
#include <stdlib.h>
#include <string.h>
#include <vpx/vpx_encoder.h>
#include <vpx/vp8cx.h>

typedef struct {
	vpx_codec_ctx_t codec;
	int width, height;
} wb_vp9;

// wb_open9 opens an encoder of VP9, profile 0, without look-ahead or hidden frames.
static wb_vp9 *wb_open9(int width, int height, int bits, int full, int bt601, int *failed) {
	wb_vp9 *e = calloc(1, sizeof *e);
	vpx_codec_enc_cfg_t cfg;
	if (e == NULL || (*failed = vpx_codec_enc_config_default(vpx_codec_vp9_cx(), &cfg, 0)) != 0) {
		free(e);
		return NULL;
	}
	cfg.g_w = width;
	cfg.g_h = height;
	cfg.g_timebase.num = 1;
	cfg.g_timebase.den = 1000;
	cfg.g_threads = 1;
	cfg.g_lag_in_frames = 0;
	cfg.rc_end_usage = VPX_VBR;
	cfg.rc_target_bitrate = bits / 1000;
	cfg.kf_mode = VPX_KF_DISABLED; // keyframes are asked for
	cfg.g_pass = VPX_RC_ONE_PASS;
	if ((*failed = vpx_codec_enc_init(&e->codec, vpx_codec_vp9_cx(), &cfg, 0)) != 0) {
		free(e);
		return NULL;
	}
	e->width = width;
	e->height = height;
	vpx_codec_control(&e->codec, VP8E_SET_CPUUSED, 6);
	vpx_codec_control(&e->codec, VP9E_SET_COLOR_SPACE, bt601 ? VPX_CS_BT_601 : VPX_CS_BT_709);
	vpx_codec_control(&e->codec, VP9E_SET_COLOR_RANGE, full ? VPX_CR_FULL_RANGE : VPX_CR_STUDIO_RANGE);
	return e;
}

// wb_encode9 encodes a picture; *out is what comes of it, valid until the next call.
static int wb_encode9(wb_vp9 *e, unsigned char *y, int ys, unsigned char *u, int us, unsigned char *v, int vs,
	long long ms, int key, const void **out, size_t *n, int *is_key) {
	vpx_image_t img;
	memset(&img, 0, sizeof img);
	vpx_img_wrap(&img, VPX_IMG_FMT_I420, e->width, e->height, 1, y);
	img.planes[0] = y;
	img.planes[1] = u;
	img.planes[2] = v;
	img.stride[0] = ys;
	img.stride[1] = us;
	img.stride[2] = vs;
	*n = 0;
	int code = vpx_codec_encode(&e->codec, &img, ms, 1, key ? VPX_EFLAG_FORCE_KF : 0, VPX_DL_GOOD_QUALITY);
	if (code != VPX_CODEC_OK)
		return code;
	vpx_codec_iter_t iter = NULL;
	const vpx_codec_cx_pkt_t *p;
	while ((p = vpx_codec_get_cx_data(&e->codec, &iter)) != NULL) {
		if (p->kind != VPX_CODEC_CX_FRAME_PKT)
			continue;
		*out = p->data.frame.buf;
		*n = p->data.frame.sz;
		*is_key = (p->data.frame.flags & VPX_FRAME_IS_KEY) != 0;
	}
	return 0;
}

static void wb_close9(wb_vp9 *e) {
	vpx_codec_destroy(&e->codec);
	free(e);
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

// Encoder encodes VP9. It is not safe for concurrent use.
type Encoder struct {
	c             *C.wb_vp9
	width, height int
}

// NewEncoder opens an encoder for pictures of an output's size and of a colour. Close it.
func NewEncoder(o rendition.Encoding, colour workerproto.Colour) (*Encoder, error) {
	if err := o.Validate(); err != nil {
		return nil, err
	}
	var failed C.int
	flag := func(b bool) C.int {
		if b {
			return 1
		}
		return 0
	}
	c := C.wb_open9(C.int(o.Width), C.int(o.Height), C.int(o.BitRate), flag(colour.FullRange), flag(colour.BT601), &failed)
	if c == nil {
		return nil, fmt.Errorf("vpx: no encoder for %dx%d: code %d", o.Width, o.Height, failed)
	}
	return &Encoder{c: c, width: o.Width, height: o.Height}, nil
}

// Encode implements picture.Encoder.
func (e *Encoder) Encode(p *picture.Picture, at time.Duration, key bool) ([]byte, bool, error) {
	if p.Width != e.width || p.Height != e.height {
		return nil, false, fmt.Errorf("vpx: picture of %dx%d, want %dx%d", p.Width, p.Height, e.width, e.height)
	}
	plane := func(i int) (*C.uchar, C.int) {
		return (*C.uchar)(unsafe.SliceData(p.Planes[i])), C.int(p.Strides[i])
	}
	y, ys := plane(0)
	u, us := plane(1)
	v, vs := plane(2)
	var out unsafe.Pointer
	var n C.size_t
	var isKey, force C.int
	if key {
		force = 1
	}
	if code := C.wb_encode9(e.c, y, ys, u, us, v, vs, C.longlong(at.Milliseconds()), force, &out, &n, &isKey); code != 0 {
		return nil, false, fmt.Errorf("vpx: encoding failed: code %d", code)
	}
	if n == 0 {
		return nil, false, nil
	}
	return C.GoBytes(out, C.int(n)), isKey != 0, nil
}

// Close frees the encoder.
func (e *Encoder) Close() {
	if e.c != nil {
		C.wb_close9(e.c)
		e.c = nil
	}
}
