package h264

import (
	"fmt"

	"webostrum/core/bits"
)

// bitReader reads an RBSP (ISO/IEC 14496-10, 7.2).
type bitReader struct{ bits.Reader }

func newBitReader(data []byte) *bitReader {
	return &bitReader{bits.Reader{Data: data, Malformed: ErrMalformed}}
}

// ue reads an unsigned Exp-Golomb code (9.1).
func (r *bitReader) ue() uint32 {
	zeros := 0
	for r.Err == nil && r.Bit() == 0 {
		zeros++
		if zeros > 31 {
			r.Fail("Exp-Golomb code longer than 32 bits")
		}
	}
	if r.Err != nil {
		return 0
	}
	return 1<<zeros - 1 + r.U(zeros)
}

// se reads a signed Exp-Golomb code (9.1.1).
func (r *bitReader) se() int32 {
	v := r.ue()
	if v&1 == 1 {
		return int32((v + 1) / 2)
	}
	return -int32(v / 2)
}

// ueMax reads ue() and refuses a value over limit.
func (r *bitReader) ueMax(limit uint32, name string) uint32 {
	v := r.ue()
	if r.Err == nil && v > limit {
		r.Fail(fmt.Sprintf("%s is %d, at most %d allowed", name, v, limit))
		return 0
	}
	return v
}

// unescape removes the emulation prevention bytes of a NAL unit (7.3.1): the
// 03 in each 00 00 03.
func unescape(nal []byte) []byte {
	out := make([]byte, 0, len(nal))
	zeros := 0
	for _, b := range nal {
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
