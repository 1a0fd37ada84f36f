// Package voaac encodes AAC-LC with vo-aacenc.
package voaac

/*
#cgo pkg-config: vo-aacenc
#include <stdlib.h>
#include <string.h>
#include <vo-aacenc/voAAC.h>
#include <vo-aacenc/cmnMemory.h>

typedef struct {
	VO_AUDIO_CODECAPI api;
	VO_HANDLE handle;
	VO_MEM_OPERATOR memory;
	VO_CODEC_INIT_USERDATA user;
} encoder;

static encoder *encoder_new(int rate, int channels, int bits) {
	encoder *e = calloc(1, sizeof *e);
	if (!e) return NULL;
	e->memory.Alloc = cmnMemAlloc;
	e->memory.Copy = cmnMemCopy;
	e->memory.Free = cmnMemFree;
	e->memory.Set = cmnMemSet;
	e->memory.Check = cmnMemCheck;
	e->user.memflag = VO_IMF_USERMEMOPERATOR;
	e->user.memData = &e->memory;
	AACENC_PARAM p = {0};
	p.sampleRate = rate;
	p.bitRate = bits;
	p.nChannels = channels;
	p.adtsUsed = 0;
	if (voGetAACEncAPI(&e->api) != VO_ERR_NONE ||
	    e->api.Init(&e->handle, VO_AUDIO_CodingAAC, &e->user) != VO_ERR_NONE) {
		free(e);
		return NULL;
	}
	if (e->api.SetParam(e->handle, VO_PID_AAC_ENCPARAM, &p) != VO_ERR_NONE) {
		e->api.Uninit(e->handle);
		free(e);
		return NULL;
	}
	return e;
}

// encoder_encode returns the bytes written, 0 for none yet, or -1.
static int encoder_encode(encoder *e, void *in, int in_len, void *out, int room) {
	VO_CODECBUFFER input = {0}, output = {0};
	VO_AUDIO_OUTPUTINFO info = {0};
	input.Buffer = in;
	input.Length = in_len;
	if (e->api.SetInputData(e->handle, &input) != VO_ERR_NONE) return -1;
	output.Buffer = out;
	output.Length = room;
	VO_U32 r = e->api.GetOutputData(e->handle, &output, &info);
	if (r == VO_ERR_INPUT_BUFFER_SMALL) return 0;
	if (r != VO_ERR_NONE) return -1;
	return output.Length;
}

static void encoder_free(encoder *e) {
	e->api.Uninit(e->handle);
	free(e);
}
*/
import "C"

import (
	"errors"
	"fmt"
	"unsafe"
	"webostrum/core/workerproto"
)

const (
	blockSize = 1024
	// delay is what lies between a sample and the same one decoded, measured with a
	// click.
	delay    = 1600
	maxBytes = 1536 // 6,144 bits a channel (ISO/IEC 14496-3, 4.5.3.1)
)

// Encoder implements audio.Encoder.
type Encoder struct {
	c        *C.encoder
	channels int
	in       unsafe.Pointer
	out      unsafe.Pointer
}

// NewEncoder makes an encoder.
func NewEncoder(o workerproto.AudioOutput) (*Encoder, error) {
	c := C.encoder_new(C.int(o.SampleRate), C.int(o.Channels), C.int(o.BitRate))
	if c == nil {
		return nil, fmt.Errorf("vo-aacenc takes no %d Hz with %d channels and %d bit/s", o.SampleRate, o.Channels, o.BitRate)
	}
	return &Encoder{c: c, channels: o.Channels, in: C.malloc(blockSize * C.size_t(2*o.Channels)), out: C.malloc(maxBytes * C.size_t(o.Channels))}, nil
}

// Size implements audio.Encoder.
func (e *Encoder) Size() int { return blockSize }

// Delay implements audio.Encoder.
func (e *Encoder) Delay() int { return delay }

// Encode implements audio.Encoder.
func (e *Encoder) Encode(samples []int16) ([]byte, error) {
	if len(samples) != blockSize*e.channels {
		return nil, fmt.Errorf("vo-aacenc: %d samples, want %d", len(samples), blockSize*e.channels)
	}
	copy(unsafe.Slice((*int16)(e.in), len(samples)), samples)
	n := C.encoder_encode(e.c, e.in, C.int(2*len(samples)), e.out, C.int(maxBytes*e.channels))
	if n < 0 {
		return nil, errors.New("vo-aacenc: encoding failed")
	}
	return unsafe.Slice((*byte)(e.out), int(n)), nil
}

// Close implements audio.Encoder.
func (e *Encoder) Close() {
	C.encoder_free(e.c)
	C.free(e.in)
	C.free(e.out)
}
