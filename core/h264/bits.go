package h264

import "fmt"

// bitReader reads an RBSP most significant bit first (ISO/IEC 14496-10, 7.2).
// The first error sticks: later reads return zero.
type bitReader struct {
	data []byte
	pos  int // in bits
	err  error
}

func (r *bitReader) bit() uint32 {
	if r.err != nil {
		return 0
	}
	i := r.pos >> 3
	if i >= len(r.data) {
		r.err = fmt.Errorf("%w: ends at bit %d", ErrMalformed, r.pos)
		return 0
	}
	b := r.data[i] >> (7 - r.pos&7) & 1
	r.pos++
	return uint32(b)
}

func (r *bitReader) flag() bool { return r.bit() == 1 }

// u reads n bits, n at most 32: u(n) of clause 7.2.
func (r *bitReader) u(n int) uint32 {
	var v uint32
	for range n {
		v = v<<1 | r.bit()
	}
	return v
}

// ue reads an unsigned Exp-Golomb code (9.1).
func (r *bitReader) ue() uint32 {
	zeros := 0
	for r.err == nil && r.bit() == 0 {
		zeros++
		if zeros > 31 {
			r.fail("Exp-Golomb code longer than 32 bits")
		}
	}
	if r.err != nil {
		return 0
	}
	return 1<<zeros - 1 + r.u(zeros)
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
	if r.err == nil && v > limit {
		r.fail(fmt.Sprintf("%s is %d, at most %d allowed", name, v, limit))
		return 0
	}
	return v
}

func (r *bitReader) fail(why string) {
	if r.err == nil {
		r.err = fmt.Errorf("%w: %s", ErrMalformed, why)
	}
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
