// Package bits reads bit fields, most significant bit first, as the headers of
// MPEG and ITU streams are written.
package bits

import "fmt"

// Reader reads Data. The first error sticks: later reads return zero.
type Reader struct {
	Data      []byte
	Pos       int   // in bits
	Err       error // wraps Malformed
	Malformed error // the error of the format that is read; must be set
}

// Bit reads one bit.
func (r *Reader) Bit() uint32 {
	if r.Err != nil {
		return 0
	}
	i := r.Pos >> 3
	if i >= len(r.Data) {
		r.Err = fmt.Errorf("%w: ends at bit %d", r.Malformed, r.Pos)
		return 0
	}
	b := r.Data[i] >> (7 - r.Pos&7) & 1
	r.Pos++
	return uint32(b)
}

// Flag reads one bit.
func (r *Reader) Flag() bool { return r.Bit() == 1 }

// U reads n bits, n at most 32: u(n) of ISO/IEC 14496-10, 7.2, and uimsbf of
// 14496-3.
func (r *Reader) U(n int) uint32 {
	var v uint32
	for range n {
		v = v<<1 | r.Bit()
	}
	return v
}

// Left is how many bits are left.
func (r *Reader) Left() int { return len(r.Data)*8 - r.Pos }

// Fail makes an error stick.
func (r *Reader) Fail(why string) {
	if r.Err == nil {
		r.Err = fmt.Errorf("%w: %s", r.Malformed, why)
	}
}
