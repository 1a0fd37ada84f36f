// Package h265 reads the headers of H.265 bit streams (ITU-T H.265, ISO/IEC 23008-2): NAL
// units, parameter sets, slice segment headers as far as repackaging needs them. It decodes
// no pictures.
//
// Limits: a parameter set over 4 KiB is refused; sizes over 16,384 pixels a side are
// refused.
package h265

import (
	"errors"

	"webostrum/core/nalu"
)

// The two kinds of error. Wraps carry what was read and what was wanted.
var (
	ErrMalformed   = errors.New("h265: malformed")
	ErrUnsupported = errors.New("h265: valid but not supported")
)

// NALType is nal_unit_type (table 7-1).
type NALType uint8

// The NAL unit types that repackaging looks at.
const (
	NALRASLN     NALType = 8
	NALRASLR     NALType = 9
	NALBLAWLP    NALType = 16
	NALIDRWRADL  NALType = 19
	NALIDRNLP    NALType = 20
	NALCRA       NALType = 21
	NALVPS       NALType = 32
	NALSPS       NALType = 33
	NALPPS       NALType = 34
	NALAUD       NALType = 35
	NALEndOfSeq  NALType = 36
	NALEndStream NALType = 37
	NALFiller    NALType = 38
	NALPrefixSEI NALType = 39
	NALSuffixSEI NALType = 40

	lastVCL  NALType = 31
	lastIRAP NALType = 23
)

// HeadSize is the bytes of a NAL unit's header (7.3.1.2):
//
//	+-+------+------+---+
//	|F| Type | Layer|TID|
//	+-+------+------+---+
const HeadSize = 2

// TypeOf returns the type of a NAL unit. What is too short for a header is an end of stream,
// which says nothing.
func TypeOf(unit []byte) NALType {
	if len(unit) < HeadSize {
		return NALEndStream
	}
	return NALType(unit[0] >> 1 & 0x3f)
}

// IsVCL says whether a NAL unit holds a part of a picture.
func (t NALType) IsVCL() bool { return t <= lastVCL }

// IsIRAP says whether decoding can start at a picture of the type: IDR, BLA and CRA
// (3.69).
func (t NALType) IsIRAP() bool { return t >= NALBLAWLP && t <= lastIRAP }

// IsRASL says whether a picture of the type refers to pictures before the IRAP picture
// that it goes with: it is left out when decoding starts there (3.122).
func (t NALType) IsRASL() bool { return t == NALRASLN || t == NALRASLR }

// IsParameterSet says whether a NAL unit is a video, sequence or picture parameter set.
func (t NALType) IsParameterSet() bool { return t >= NALVPS && t <= NALPPS }

// Base says whether a NAL unit is of the base layer. Others are for scalability and further
// views, which no browser decodes.
func Base(unit []byte) bool {
	return len(unit) >= HeadSize && unit[0]&1 == 0 && unit[1]>>3 == 0
}

// FirstOfPicture says whether a picture begins with a slice segment
// (first_slice_segment_in_pic_flag, 7.3.6.1).
func FirstOfPicture(unit []byte) bool { return len(unit) > HeadSize && unit[HeadSize]&0x80 != 0 }

// RecoveryPoint returns after how many pictures they are right when decoding starts at that
// with a supplemental enhancement information NAL unit (recovery_poc_cnt, D.2.8); ok is
// false where it says nothing of that.
func RecoveryPoint(unit []byte) (pictures int, ok bool) {
	const payloadRecoveryPoint = 6
	if TypeOf(unit) != NALPrefixSEI {
		return 0, false
	}
	for kind, payload := range nalu.SEI(nalu.Unescape(unit[HeadSize:])) {
		if kind == payloadRecoveryPoint {
			r := nalu.NewReader(payload, ErrMalformed)
			n := r.SE()
			return int(n), r.Err == nil && n >= 0
		}
	}
	return 0, false
}
