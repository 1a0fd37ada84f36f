// Package h264 reads the headers of H.264 bit streams (ITU-T H.264, ISO/IEC
// 14496-10): NAL units, sequence parameter sets, slice headers as far as
// repackaging needs them. It decodes no pictures.
//
// Limits: a parameter set over 1 KiB is refused; sizes over 16,384 pixels a
// side are refused.
package h264

import "errors"

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
