//go:build faad

// Package faad decodes AAC with faad2. A worker that is built with it, by the build
// tag faad, is under the GPL as faad2 is.
package faad

/*
#cgo LDFLAGS: -lfaad
#include <stdlib.h>
#include <neaacdec.h>

// open_raw opens a decoder by AudioSpecificConfig and asks for 16-bit samples.
static NeAACDecHandle open_raw(unsigned char *config, unsigned long n, unsigned long *rate, unsigned char *channels) {
	NeAACDecHandle h = NeAACDecOpen();
	if (!h) return NULL;
	NeAACDecConfigurationPtr c = NeAACDecGetCurrentConfiguration(h);
	c->outputFormat = FAAD_FMT_16BIT;
	c->downMatrix = 1;
	c->dontUpSampleImplicitSBR = 1;
	if (!NeAACDecSetConfiguration(h, c) || (signed char)NeAACDecInit2(h, config, n, rate, channels) < 0) {
		NeAACDecClose(h);
		return NULL;
	}
	return h;
}
*/
import "C"

import (
	"errors"
	"fmt"
	"unsafe"

	"webostrum/codecs/audio"
)

// Present says that AAC can be decoded.
const Present = true

// Decoder implements audio.Decoder.
type Decoder struct {
	config []byte
	h      C.NeAACDecHandle
}

// NewDecoder makes a decoder for an AudioSpecificConfig.
func NewDecoder(config []byte) (*Decoder, error) {
	d := &Decoder{config: config}
	return d, d.open()
}

func (d *Decoder) open() error {
	var rate C.ulong
	var channels C.uchar
	p := C.CBytes(d.config)
	defer C.free(p)
	if d.h = C.open_raw((*C.uchar)(p), C.ulong(len(d.config)), &rate, &channels); d.h == nil {
		return errors.New("faad2 takes no AAC of that configuration")
	}
	return nil
}

// Decode implements audio.Decoder. After a damaged unit the library stays broken, so
// it is opened anew.
func (d *Decoder) Decode(data []byte) (audio.Block, error) {
	if d.h == nil {
		if err := d.open(); err != nil {
			return audio.Block{}, err
		}
	}
	p := C.CBytes(data)
	defer C.free(p)
	var info C.NeAACDecFrameInfo
	samples := C.NeAACDecDecode(d.h, &info, (*C.uchar)(p), C.ulong(len(data)))
	if info.error != 0 {
		why := C.GoString(C.NeAACDecGetErrorMessage(info.error))
		d.Close()
		return audio.Block{}, fmt.Errorf("faad2: %s", why)
	}
	if info.samples == 0 || samples == nil || info.channels == 0 {
		return audio.Block{}, nil // it begins one unit late
	}
	return audio.Block{
		Samples: unsafe.Slice((*int16)(samples), int(info.samples)), Rate: int(info.samplerate), Channels: int(info.channels),
	}, nil
}

// Close implements audio.Decoder.
func (d *Decoder) Close() {
	if d.h != nil {
		C.NeAACDecClose(d.h)
		d.h = nil
	}
}
