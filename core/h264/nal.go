// Package h264 reads the headers of H.264 bit streams (ITU-T H.264, ISO/IEC
// 14496-10): NAL units, sequence parameter sets, slice headers as far as
// repackaging needs them. It decodes no pictures.
//
// Limits: a parameter set over 1 KiB is refused; sizes over 16,384 pixels a
// side are refused.
package h264

import (
	"encoding/binary"
	"errors"
)

// The two kinds of error. Wraps carry what was read and what was wanted.
var (
	ErrMalformed   = errors.New("h264: malformed")
	ErrUnsupported = errors.New("h264: valid but not supported")
)

// NALType is nal_unit_type (table 7-1).
type NALType uint8

// The NAL unit types that repackaging looks at.
const (
	NALSlice     NALType = 1
	NALPartA     NALType = 2
	NALIDR       NALType = 5
	NALSEI       NALType = 6
	NALSPS       NALType = 7
	NALPPS       NALType = 8
	NALAUD       NALType = 9
	NALEndOfSeq  NALType = 10
	NALEndStream NALType = 11
	NALFiller    NALType = 12
)

// TypeOf returns the type of a NAL unit; zero for an empty one.
//
//	+-+---+-----+
//	|F|NRI|Type |
//	+-+---+-----+
func TypeOf(nal []byte) NALType {
	if len(nal) == 0 {
		return 0
	}
	return NALType(nal[0] & 0x1f)
}

// IsVCL says whether a NAL unit holds a part of a picture.
func (t NALType) IsVCL() bool { return t >= NALSlice && t <= NALIDR }

// lengthSize is the length field before each NAL unit of Sample.Data.
const lengthSize = 4

// AppendNAL appends a NAL unit behind its 4-byte length.
func AppendNAL(dst, nal []byte) []byte {
	dst = binary.BigEndian.AppendUint32(dst, uint32(len(nal)))
	return append(dst, nal...)
}

// NALs calls yield with each NAL unit of length-prefixed data, in order, until
// yield returns false or the data ends or does not add up.
func NALs(data []byte) func(yield func([]byte) bool) {
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

// SplitAnnexB calls yield with each NAL unit of a byte stream with start codes
// (annex B). Trailing zero bytes are not part of a NAL unit.
func SplitAnnexB(stream []byte) func(yield func([]byte) bool) {
	return func(yield func([]byte) bool) {
		begin := -1
		for i := 0; i+2 < len(stream); i++ {
			if stream[i] != 0 || stream[i+1] != 0 || stream[i+2] != 1 {
				continue
			}
			if begin >= 0 && !yieldTrimmed(stream[begin:i], yield) {
				return
			}
			begin = i + 3
			i += 2
		}
		if begin >= 0 {
			yieldTrimmed(stream[begin:], yield)
		}
	}
}

func yieldTrimmed(nal []byte, yield func([]byte) bool) bool {
	for len(nal) > 0 && nal[len(nal)-1] == 0 {
		nal = nal[:len(nal)-1]
	}
	return len(nal) == 0 || yield(nal)
}

// FromAnnexB rewrites a byte stream with start codes to length-prefixed NAL
// units.
func FromAnnexB(stream []byte) []byte {
	out := make([]byte, 0, len(stream)+lengthSize)
	for nal := range SplitAnnexB(stream) {
		out = AppendNAL(out, nal)
	}
	return out
}
