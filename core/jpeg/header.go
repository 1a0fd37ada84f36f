// Package jpeg reads the headers of JPEG pictures (ITU-T T.81, ISO/IEC 10918-1)
// and finds whole pictures in what Motion JPEG cameras send. It decodes nothing.
//
// Limits: sides of 16,384 pixels, 64 million pixels, 16 MiB a picture, 64 KiB of
// anything else between two pictures.
package jpeg

import (
	"encoding/binary"
	"errors"
	"fmt"

	"webostrum/core/media"
)

// The two kinds of error; wraps carry what was read and what was wanted.
var (
	ErrMalformed   = errors.New("malformed JPEG")
	ErrUnsupported = errors.New("JPEG that is valid but not supported")
)

// Markers (table B.1). Each follows a byte FF.
const (
	markerSOF0 = 0xc0 // baseline
	markerSOF1 = 0xc1 // extended sequential
	markerSOF2 = 0xc2 // progressive
	markerDHT  = 0xc4
	markerJPG  = 0xc8
	markerDAC  = 0xcc
	markerRST0 = 0xd0
	markerRST7 = 0xd7
	markerSOI  = 0xd8
	markerEOI  = 0xd9
	markerSOS  = 0xda
	markerDRI  = 0xdd
	markerTEM  = 0x01

	markerLen = 2
	lengthLen = 2

	maxSide    = 16384
	maxPixels  = 64 << 20
	maxPicture = 16 << 20
)

// Header is what a picture says of itself before its first scan.
type Header struct {
	Width, Height   int    // pixels
	Sampling        string // "4:2:0", "4:2:2", "4:4:4", "4:4:0", "4:1:1", or "4:0:0" for grey
	RestartInterval int    // MCUs between restart markers; 0 when there are none
	Progressive     bool   // browsers show it, and the worker decodes it; some players do not
	HuffmanTables   bool   // false: the picture leaves out the tables, meaning the standard ones (K.3)

	scanAt int // offset of the SOS marker
}

// Parse reads the header of one picture that begins with SOI.
func Parse(data []byte) (*Header, error) {
	if len(data) < markerLen || data[0] != 0xff || data[1] != markerSOI {
		return nil, fmt.Errorf("%w: it begins with %x, want ffd8", ErrMalformed, data[:min(len(data), markerLen)])
	}
	h := &Header{}
	at := markerLen
	for {
		marker, body, next, err := segment(data, at)
		if err != nil {
			return nil, err
		}
		switch {
		case marker == markerSOS:
			if h.Width == 0 {
				return nil, fmt.Errorf("%w: a scan before any frame header", ErrMalformed)
			}
			h.scanAt = at
			return h, nil
		case isFrame(marker):
			if err := h.frame(marker, body); err != nil {
				return nil, err
			}
		case marker == markerDHT:
			h.HuffmanTables = true
		case marker == markerDRI:
			if len(body) < 2 {
				return nil, fmt.Errorf("%w: restart interval of %d bytes", ErrMalformed, len(body))
			}
			h.RestartInterval = int(binary.BigEndian.Uint16(body))
		case marker == markerEOI || marker == markerSOI:
			return nil, fmt.Errorf("%w: marker %02x before the first scan", ErrMalformed, marker)
		}
		at = next
	}
}

// segment reads the marker segment at an offset (B.1.1.4). Bytes FF in front
// of a marker are fill (B.1.1.2).
func segment(data []byte, at int) (marker byte, body []byte, next int, err error) {
	for at+1 < len(data) && data[at] == 0xff && data[at+1] == 0xff {
		at++
	}
	if at+markerLen > len(data) {
		return 0, nil, 0, fmt.Errorf("%w: ends at byte %d, within the header", ErrMalformed, len(data))
	}
	if data[at] != 0xff || data[at+1] == 0 {
		return 0, nil, 0, fmt.Errorf("%w: %02x%02x at byte %d, want a marker", ErrMalformed, data[at], data[at+1], at)
	}
	marker = data[at+1]
	at += markerLen
	if alone(marker) {
		return marker, nil, at, nil
	}
	if at+lengthLen > len(data) {
		return 0, nil, 0, fmt.Errorf("%w: ends at byte %d, within the header", ErrMalformed, len(data))
	}
	n := int(binary.BigEndian.Uint16(data[at:]))
	if n < lengthLen || at+n > len(data) {
		return 0, nil, 0, fmt.Errorf("%w: segment %02x of %d bytes with %d left", ErrMalformed, marker, n, len(data)-at)
	}
	return marker, data[at+lengthLen : at+n], at + n, nil
}

// alone says whether a marker has no segment behind it.
func alone(marker byte) bool {
	return marker == markerTEM || marker == markerSOI || marker == markerEOI || (marker >= markerRST0 && marker <= markerRST7)
}

func isFrame(marker byte) bool {
	return marker >= markerSOF0 && marker <= 0xcf && marker != markerDHT && marker != markerJPG && marker != markerDAC
}

// frame reads a frame header (B.2.2):
//
//	| precision, 8 | lines, 16 | samples a line, 16 | components, 8 | then three bytes each: id, sampling factors, table
func (h *Header) frame(marker byte, b []byte) error {
	const fixed, each = 6, 3
	if len(b) < fixed {
		return fmt.Errorf("%w: frame header of %d bytes", ErrMalformed, len(b))
	}
	switch {
	case marker != markerSOF0 && marker != markerSOF1 && marker != markerSOF2:
		return fmt.Errorf("%w: coding process %02x, neither baseline, extended sequential nor progressive", ErrUnsupported, marker)
	case b[0] != 8:
		return fmt.Errorf("%w: %d bits a sample, want 8", ErrUnsupported, b[0])
	}
	height, width, n := int(binary.BigEndian.Uint16(b[1:])), int(binary.BigEndian.Uint16(b[3:])), int(b[5])
	switch {
	case len(b) < fixed+n*each:
		return fmt.Errorf("%w: frame header of %d bytes for %d components", ErrMalformed, len(b), n)
	case width == 0 || height == 0:
		return fmt.Errorf("%w: a picture of %dx%d", ErrMalformed, width, height)
	case width > maxSide || height > maxSide || width*height > maxPixels:
		return fmt.Errorf("%w: a picture of %dx%d; up to %d pixels a side and %d in all are handled", ErrUnsupported, width, height, maxSide, maxPixels)
	}
	sampling, err := samplingOf(b[fixed : fixed+n*each])
	if err != nil {
		return err
	}
	h.Width, h.Height, h.Sampling, h.Progressive = width, height, sampling, marker == markerSOF2
	return nil
}

// samplings by the factors of luma, horizontal in the high half of the byte;
// both chroma components have 1x1.
var samplings = map[byte]string{0x11: "4:4:4", 0x21: "4:2:2", 0x22: "4:2:0", 0x12: "4:4:0", 0x41: "4:1:1"}

func samplingOf(components []byte) (string, error) {
	const each, factorsAt, chroma = 3, 1, 0x11
	switch len(components) / each {
	case 1:
		return "4:0:0", nil
	case 3:
		luma, cb, cr := components[factorsAt], components[each+factorsAt], components[2*each+factorsAt]
		if name := samplings[luma]; name != "" && cb == chroma && cr == chroma {
			return name, nil
		}
		return "", fmt.Errorf("%w: sampling factors %02x %02x %02x", ErrUnsupported, luma, cb, cr)
	}
	return "", fmt.Errorf("%w: %d components (such as CMYK), want 1 or 3", ErrUnsupported, len(components)/each)
}

// Complete returns the picture with the standard Huffman tables put in when it
// leaves them out, which decoders and browsers need. A picture that has its own
// is returned as it is.
func (h *Header) Complete(data []byte) []byte {
	if h.HuffmanTables {
		return data
	}
	out := make([]byte, 0, len(data)+len(standardTables))
	out = append(out, data[:h.scanAt]...)
	out = append(out, standardTables...)
	return append(out, data[h.scanAt:]...)
}

// Config is the configuration of a stream of such pictures; its profile is the sampling.
func (h *Header) Config() *media.VideoConfig {
	return &media.VideoConfig{Codec: media.JPEG, Width: h.Width, Height: h.Height, Profile: h.Sampling}
}
