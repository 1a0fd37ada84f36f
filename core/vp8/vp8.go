// Package vp8 reads what repackaging needs of VP8 (RFC 6386): whether decoding can start at a
// frame, and its size. It decodes no pictures.
package vp8

import (
	"errors"
	"fmt"

	"webostrum/core/media"
)

// ErrMalformed is wrapped by what Parse returns.
var ErrMalformed = errors.New("vp8: malformed")

// Frame is a frame's header.
type Frame struct {
	Key           bool
	Width, Height int // of keyframes
}

const (
	tagSize  = 3
	keySize  = 7 // start code, width, height
	sizeMask = 0x3fff
)

// Parse reads a frame's header (9.1):
//
//	| key 0 is yes, 1 | version 3 | shown 1 | size of the first partition 19 |, little-endian
//	| 9d 01 2a | width 14, scale 2 | height 14, scale 2 |, of keyframes
func Parse(b []byte) (f Frame, err error) {
	if len(b) < tagSize {
		return f, fmt.Errorf("%w: frame of %d bytes", ErrMalformed, len(b))
	}
	if f.Key = b[0]&1 == 0; !f.Key {
		return f, nil
	}
	k := b[tagSize:]
	if len(k) < keySize || k[0] != 0x9d || k[1] != 0x01 || k[2] != 0x2a {
		return f, fmt.Errorf("%w: keyframe without its start code", ErrMalformed)
	}
	f.Width, f.Height = (int(k[3])|int(k[4])<<8)&sizeMask, (int(k[5])|int(k[6])<<8)&sizeMask
	if f.Width == 0 || f.Height == 0 {
		return f, fmt.Errorf("%w: %dx%d", ErrMalformed, f.Width, f.Height)
	}
	return f, nil
}

// Config is the configuration of frames of a size. Files of ISO/IEC 14496-12 do not carry the
// codec here.
func Config(width, height int) *media.VideoConfig {
	return &media.VideoConfig{Codec: media.VP8, Width: width, Height: height}
}
