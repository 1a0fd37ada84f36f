package h264

import "webostrum/core/nalu"

// SliceKind is slice_type without its "all slices alike" half (table 7-6).
type SliceKind uint8

// The kinds of slice.
const (
	SliceUnknown SliceKind = iota
	SliceP
	SliceB
	SliceI
	SliceSP
	SliceSI
)

// Slice is the beginning of a slice header (7.3.3).
type Slice struct {
	First bool // first_mb_in_slice is 0: a picture begins
	Kind  SliceKind
}

// sliceHead is enough of a slice NAL unit for the two fields that are read.
const sliceHead = 12

// ParseSlice reads the beginning of a slice's header.
func ParseSlice(nal []byte) (Slice, error) {
	if len(nal) < 2 {
		return Slice{}, ErrMalformed
	}
	r := nalu.NewReader(nalu.Unescape(nal[1:min(len(nal), sliceHead)]), ErrMalformed)
	first := r.UE()
	kind := r.UEMax(9, "slice_type")
	if r.Err != nil {
		return Slice{}, r.Err
	}
	return Slice{First: first == 0, Kind: SliceKind(kind%5) + SliceP}, nil
}

// frameNumHead is enough of a slice NAL unit for everything up to frame_num.
const frameNumHead = 32

// FrameNum reads frame_num of a slice NAL unit (7.4.3) under the sequence parameter
// set in force, and by what it wraps: a missing reference frame shows as a gap.
func FrameNum(nal []byte, s *SPS) (num, modulus uint32, err error) {
	if len(nal) < 2 {
		return 0, 0, ErrMalformed
	}
	r := nalu.NewReader(nalu.Unescape(nal[1:min(len(nal), frameNumHead)]), ErrMalformed)
	r.UE() // first_mb_in_slice
	r.UEMax(9, "slice_type")
	r.UEMax(255, "pic_parameter_set_id")
	num = r.U(s.frameNumBits)
	return num, 1 << s.frameNumBits, r.Err
}

// RecoveryPoint returns after how many frames the picture is right when decoding starts at
// that with a supplemental enhancement information NAL unit (recovery_frame_cnt, D.1.8); ok
// is false where it says nothing of that.
func RecoveryPoint(sei []byte) (frames int, ok bool) {
	const payloadRecoveryPoint, most = 6, 1 << 16
	if TypeOf(sei) != NALSEI {
		return 0, false
	}
	for kind, payload := range nalu.SEI(nalu.Unescape(sei[1:])) {
		if kind == payloadRecoveryPoint {
			r := nalu.NewReader(payload, ErrMalformed)
			n := r.UEMax(most, "recovery_frame_cnt")
			return int(n), r.Err == nil
		}
	}
	return 0, false
}
