package h264

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
	r := newBitReader(unescape(nal[1:min(len(nal), sliceHead)]))
	first := r.ue()
	kind := r.ueMax(9, "slice_type")
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
	r := newBitReader(unescape(nal[1:min(len(nal), frameNumHead)]))
	r.ue() // first_mb_in_slice
	r.ueMax(9, "slice_type")
	r.ueMax(255, "pic_parameter_set_id")
	num = r.U(s.frameNumBits)
	return num, 1 << s.frameNumBits, r.Err
}

// RecoveryPoint says whether a supplemental enhancement information NAL unit
// holds a recovery point with a count of zero (D.1.8): decoding can start at
// this very picture, though it is no IDR.
func RecoveryPoint(sei []byte) bool {
	const payloadRecoveryPoint = 6
	if TypeOf(sei) != NALSEI {
		return false
	}
	data := unescape(sei[1:])
	for len(data) > 2 {
		kind, rest, ok := seiNumber(data)
		if !ok {
			return false
		}
		size, body, ok := seiNumber(rest)
		if !ok || size > len(body) {
			return false
		}
		if kind == payloadRecoveryPoint {
			r := newBitReader(body[:size])
			return r.ue() == 0 && r.Err == nil
		}
		data = body[size:]
	}
	return false
}

// seiNumber reads a payloadType or payloadSize: a run of FF bytes and a last
// one (7.3.2.3.1).
func seiNumber(data []byte) (n int, rest []byte, ok bool) {
	for i, b := range data {
		n += int(b)
		if b != 0xff {
			return n, data[i+1:], true
		}
	}
	return 0, nil, false
}
