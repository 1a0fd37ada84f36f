package nalu

import (
	"fmt"

	"webostrum/core/bits"
)

// Reader reads an RBSP: what Unescape returns (ITU-T H.264 and H.265, 7.2).
type Reader struct{ bits.Reader }

// NewReader reads data; errors wrap malformed.
func NewReader(data []byte, malformed error) *Reader {
	return &Reader{bits.Reader{Data: data, Malformed: malformed}}
}

// UE reads an unsigned Exp-Golomb code (9.1 and 9.2).
func (r *Reader) UE() uint32 {
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

// SE reads a signed Exp-Golomb code.
func (r *Reader) SE() int32 {
	v := r.UE()
	if v&1 == 1 {
		return int32((v + 1) / 2)
	}
	return -int32(v / 2)
}

// UEMax reads UE and refuses a value over limit.
func (r *Reader) UEMax(limit uint32, name string) uint32 {
	v := r.UE()
	if r.Err == nil && v > limit {
		r.Fail(fmt.Sprintf("%s is %d, at most %d allowed", name, v, limit))
		return 0
	}
	return v
}

// SEI calls yield with each message of a supplemental enhancement information RBSP (7.3.2.3),
// until yield returns false or the messages do not add up.
func SEI(data []byte) func(yield func(kind int, payload []byte) bool) {
	return func(yield func(int, []byte) bool) {
		for len(data) > 2 {
			kind, rest, ok := seiNumber(data)
			if !ok {
				return
			}
			size, body, ok := seiNumber(rest)
			if !ok || size > len(body) || !yield(kind, body[:size]) {
				return
			}
			data = body[size:]
		}
	}
}

// seiNumber reads a payloadType or payloadSize: a run of FF bytes and a last one.
func seiNumber(data []byte) (n int, rest []byte, ok bool) {
	for i, b := range data {
		n += int(b)
		if b != 0xff {
			return n, data[i+1:], true
		}
	}
	return 0, nil, false
}
