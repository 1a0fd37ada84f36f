// Package fmp4 writes and reads fragmented MP4: ISO/IEC 14496-12 boxes and
// ISO/IEC 14496-15 sample entries, as HLS wants them (RFC 8216, 3.3).
package fmp4

import (
	"encoding/binary"
	"errors"
	"fmt"
)

// ErrMalformed is wrapped by every error of the reading side.
var ErrMalformed = errors.New("fmp4: malformed")

// writer appends boxes to a buffer. Sizes are filled in when a box ends.
type writer struct{ b []byte }

const boxHeader = 8

func (w *writer) u16(v uint16)    { w.b = binary.BigEndian.AppendUint16(w.b, v) }
func (w *writer) u32(v uint32)    { w.b = binary.BigEndian.AppendUint32(w.b, v) }
func (w *writer) u64(v uint64)    { w.b = binary.BigEndian.AppendUint64(w.b, v) }
func (w *writer) bytes(v ...byte) { w.b = append(w.b, v...) }
func (w *writer) zeros(n int)     { w.b = append(w.b, make([]byte, n)...) }

// box writes a box (14496-12, 4.2) around what body writes.
func (w *writer) box(kind string, body func()) {
	begin := len(w.b)
	w.u32(0)
	w.b = append(w.b, kind...)
	body()
	binary.BigEndian.PutUint32(w.b[begin:], uint32(len(w.b)-begin))
}

// full writes a full box: version and flags in front of the body.
func (w *writer) full(kind string, version uint8, flags uint32, body func()) {
	w.box(kind, func() {
		w.u32(uint32(version)<<24 | flags)
		body()
	})
}

// Box is one box as read: its kind and its body, both parts of the input.
type Box struct {
	Kind string
	Body []byte
}

// Boxes splits data into the boxes that stand in it, one level deep. The error
// wraps ErrMalformed when a size does not fit.
func Boxes(data []byte) ([]Box, error) {
	var boxes []Box
	for len(data) > 0 {
		if len(data) < boxHeader {
			return boxes, fmt.Errorf("%w: %d bytes left over", ErrMalformed, len(data))
		}
		size := uint64(binary.BigEndian.Uint32(data))
		if size < boxHeader || size > uint64(len(data)) {
			return boxes, fmt.Errorf("%w: box %q of %d bytes with %d left", ErrMalformed, data[4:8], size, len(data))
		}
		boxes = append(boxes, Box{string(data[4:8]), data[boxHeader:size]})
		data = data[size:]
	}
	return boxes, nil
}

// Find follows a path of kinds into nested boxes and returns the body of the
// first that fits, or nil.
func Find(data []byte, path ...string) []byte {
	for _, kind := range path {
		boxes, _ := Boxes(data)
		data = nil
		for _, b := range boxes {
			if b.Kind == kind {
				data = b.Body
				break
			}
		}
		if data == nil {
			return nil
		}
	}
	return data
}
