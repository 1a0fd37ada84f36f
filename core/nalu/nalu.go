// Package nalu takes NAL units out of the forms in which they travel, and reads their
// fields: what H.264 and H.265 have in common (ITU-T H.264 and H.265, 7.3.1 and annex B;
// ISO/IEC 14496-15, 5.3). What a unit's header says is for core/h264 and core/h265.
package nalu

import (
	"bytes"
	"encoding/binary"
)

// lengthSize is the length field before each unit of media.Sample.Data.
const lengthSize = 4

// Append appends a unit behind its 4-byte length.
func Append(dst, unit []byte) []byte {
	dst = binary.BigEndian.AppendUint32(dst, uint32(len(unit)))
	return append(dst, unit...)
}

// Units calls yield with each unit of length-prefixed data, in order, until yield
// returns false or the data ends or does not add up.
func Units(data []byte) func(yield func([]byte) bool) {
	return func(yield func([]byte) bool) {
		for len(data) > lengthSize {
			n := binary.BigEndian.Uint32(data)
			data = data[lengthSize:]
			if uint64(n) > uint64(len(data)) {
				return
			}
			if !yield(data[:n]) {
				return
			}
			data = data[n:]
		}
	}
}

var startCode = []byte{0, 0, 1}

// SplitByteStream calls yield with each unit of a byte stream with start codes (annex B).
// Trailing zero bytes are not part of a unit.
func SplitByteStream(stream []byte) func(yield func([]byte) bool) {
	return func(yield func([]byte) bool) {
		_, rest, found := bytes.Cut(stream, startCode)
		for found {
			var unit []byte
			unit, rest, found = bytes.Cut(rest, startCode)
			if !yieldTrimmed(unit, yield) {
				return
			}
		}
	}
}

func yieldTrimmed(unit []byte, yield func([]byte) bool) bool {
	for len(unit) > 0 && unit[len(unit)-1] == 0 {
		unit = unit[:len(unit)-1]
	}
	return len(unit) == 0 || yield(unit)
}

// FromByteStream rewrites a byte stream with start codes to length-prefixed units.
func FromByteStream(stream []byte) []byte {
	out := make([]byte, 0, len(stream)+lengthSize)
	for unit := range SplitByteStream(stream) {
		out = Append(out, unit)
	}
	return out
}

// AppendStart appends a unit behind a start code (annex B).
func AppendStart(dst, unit []byte) []byte { return append(append(dst, 0, 0, 0, 1), unit...) }

// Unescape removes the emulation prevention bytes of a unit (7.3.1): the 03 in each
// 00 00 03.
func Unescape(unit []byte) []byte {
	out := make([]byte, 0, len(unit))
	zeros := 0
	for _, b := range unit {
		if zeros >= 2 && b == 3 {
			zeros = 0
			continue
		}
		if b == 0 {
			zeros++
		} else {
			zeros = 0
		}
		out = append(out, b)
	}
	return out
}

// Sized calls yield with each unit of data in which lengths have another size than 4 bytes,
// or may be wrong. It returns false when they do not add up; units before that were given.
func Sized(data []byte, size int, yield func([]byte) error) (whole bool, err error) {
	for len(data) > 0 {
		if len(data) < size {
			return false, nil
		}
		n := 0
		for _, b := range data[:size] {
			n = n<<8 | int(b)
		}
		if data = data[size:]; n < 0 || n > len(data) {
			return false, nil
		}
		if n > 0 {
			if err := yield(data[:n]); err != nil {
				return true, err
			}
		}
		data = data[n:]
	}
	return true, nil
}
