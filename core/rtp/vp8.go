package rtp

import (
	"bytes"
	"fmt"
	"time"

	"github.com/pion/rtp"

	"webostrum/core/accessunit"
	"webostrum/core/media"
	"webostrum/core/vp8"
)

// Bits of the payload descriptor (RFC 7741, 4.2).
const (
	vp8Extended  = 0x80
	vp8Start     = 0x10
	vp8Partition = 0x07
	vp8PictureID = 0x80
	vp8TL0       = 0x40
	vp8TID       = 0x20
	vp8KeyIndex  = 0x10
	vp8LongID    = 0x80
)

// vp8Payload reads a payload's descriptor: where the frame's bytes are, and whether they are
// its first.
//
//	| X 1 | R 1 | N 1 | S 1 | R 1 | partition 3 |
//	| I 1 | L 1 | T 1 | K 1 | R 4 |, with X; then a picture ID of 7 or 15 bits with I, an octet with L, one with T or K
func vp8Payload(b []byte) (body []byte, first bool, err error) {
	cut := fmt.Errorf("rtp: VP8 payload of %d bytes", len(b))
	if len(b) < 1 {
		return nil, false, cut
	}
	head := 1
	first = b[0]&vp8Start != 0 && b[0]&vp8Partition == 0
	if b[0]&vp8Extended != 0 {
		if len(b) < 2 {
			return nil, false, cut
		}
		more := b[1]
		head++
		if more&vp8PictureID != 0 {
			if len(b) <= head {
				return nil, false, cut
			}
			if b[head]&vp8LongID != 0 {
				head++
			}
			head++
		}
		if more&vp8TL0 != 0 {
			head++
		}
		if more&(vp8TID|vp8KeyIndex) != 0 {
			head++
		}
	}
	if len(b) <= head {
		return nil, false, cut
	}
	return b[head:], first, nil
}

// vp8Units puts frames together. Since what follows refers to a frame that was dropped,
// nothing is passed on then until the next keyframe.
type vp8Units struct {
	sink      accessunit.Sink
	buf       []byte
	open      bool
	bad       accessunit.DropReason
	time      uint32
	arrived   time.Time
	config    *media.VideoConfig // of the newest keyframe
	decodable bool
}

// Restart implements Depacketizer.
func (u *vp8Units) Restart() { u.open, u.decodable = false, false }

// Push implements Depacketizer.
func (u *vp8Units) Push(p *rtp.Packet, lost int, now time.Time) {
	if len(p.Payload) == 0 {
		return // padding
	}
	body, first, err := vp8Payload(p.Payload)
	if lost > 0 {
		u.spoil(accessunit.DropHole)
		u.decodable = false
	}
	if u.open && (p.Timestamp != u.time || first && len(u.buf) > 0) {
		u.spoil(accessunit.DropHole) // its marker is missing
		u.finish()
	}
	if !u.open {
		u.open, u.time, u.arrived, u.bad, u.buf = true, p.Timestamp, now, accessunit.DropUnknown, u.buf[:0]
		if !first {
			u.spoil(accessunit.DropHole)
		}
	}
	switch {
	case err != nil:
		u.spoil(accessunit.DropMalformed)
	case len(u.buf)+len(body) > accessunit.MaxPicture:
		u.spoil(accessunit.DropTooLarge)
	case u.bad == accessunit.DropUnknown:
		u.buf = append(u.buf, body...)
	}
	if p.Marker {
		u.finish()
	}
}

func (u *vp8Units) spoil(why accessunit.DropReason) {
	if u.open && u.bad == accessunit.DropUnknown {
		u.bad = why
	}
}

func (u *vp8Units) finish() {
	u.open = false
	f, err := vp8.Parse(u.buf)
	if err != nil && u.bad == accessunit.DropUnknown {
		u.bad = accessunit.DropMalformed
	}
	if u.bad != accessunit.DropUnknown {
		u.decodable = false
		u.sink.Dropped(u.bad)
		return
	}
	if f.Key {
		u.decodable = true
		if u.config == nil || u.config.Width != f.Width || u.config.Height != f.Height {
			u.config = vp8.Config(f.Width, f.Height)
		}
	}
	if !u.decodable {
		u.sink.Dropped(accessunit.DropWaiting)
		return
	}
	u.sink.Unit(&accessunit.Unit{Data: bytes.Clone(u.buf), Stamp: uint64(u.time), Arrived: u.arrived, Key: f.Key, Slices: 1, Config: u.config})
}

// vp8Payloads cuts a frame, with a descriptor that says where it begins and no more.
func vp8Payloads(frame []byte, room int) (list [][]byte) {
	for rest, first := frame, true; len(rest) > 0; first = false {
		n := min(len(rest), room-1)
		head := byte(0)
		if first {
			head = vp8Start
		}
		list = append(list, append([]byte{head}, rest[:n]...))
		rest = rest[n:]
	}
	return list
}
