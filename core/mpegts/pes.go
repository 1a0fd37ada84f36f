package mpegts

import "encoding/binary"

// pes puts a stream's packetised units together (2.4.3.6).
type pes struct {
	maxBody int
	body    []byte // of the unit in the making
	open    bool
	want    int // bytes that the unit's length tells; 0 when it does not
	hasPTS  bool
	pts     uint64
}

const (
	pesHead  = 9
	pesFixed = 6 // in front of what the length counts
	ptsSize  = 5
)

// begin begins a unit with a packet's payload.
//
//	| 000001 | stream 8 | length 16 | flags 8 | PTS 1 | DTS 1 | flags 6 | header length 8 | PTS | DTS | …
func (u *pes) begin(b []byte) bool {
	u.open = false
	if len(b) < pesHead || b[0] != 0 || b[1] != 0 || b[2] != 1 {
		return false
	}
	head := pesHead + int(b[8])
	if head > len(b) {
		return false
	}
	u.open, u.want, u.hasPTS = true, 0, false
	if n := int(binary.BigEndian.Uint16(b[4:])); n > 0 {
		u.want = max(n+pesFixed-head, 0)
	}
	if b[7]&0x80 != 0 && int(b[8]) >= ptsSize {
		u.hasPTS, u.pts = true, stamp(b[pesHead:])
	}
	u.body = append(u.body[:0], b[head:]...)
	return true
}

// stamp reads 33 bits that are spread over 5 bytes (2.4.3.7).
func stamp(b []byte) uint64 {
	return uint64(b[0]>>1&7)<<30 | uint64(binary.BigEndian.Uint16(b[1:])>>1)<<15 | uint64(binary.BigEndian.Uint16(b[3:])>>1)
}

// more takes the payload of a packet within a unit; false means that it became too large.
func (u *pes) more(b []byte) bool {
	if len(u.body)+len(b) > u.maxBody {
		u.open = false
		return false
	}
	u.body = append(u.body, b...)
	return true
}

// whole says that the unit has as many bytes as its length tells.
func (u *pes) whole() bool { return u.open && u.want > 0 && len(u.body) >= u.want }

// taken returns the unit's bytes, and ends it.
func (u *pes) taken() []byte {
	u.open = false
	if u.want > 0 && len(u.body) > u.want {
		return u.body[:u.want]
	}
	return u.body
}
