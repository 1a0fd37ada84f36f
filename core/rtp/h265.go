package rtp

import (
	"encoding/binary"
	"fmt"
	"slices"

	"webostrum/core/h265"
	"webostrum/core/media"
	"webostrum/core/nalu"
)

// RFC 7798, 4.4.
const (
	typeAP   = 48
	typeFU   = 49
	typePACI = 50

	fuTypeMask = 0x3f
	donlLen    = 2 // decoding order number, in front of the first unit of a packet
	dondLen    = 1 // and by how much it grows, in front of the others
)

// h265Format is the payload format of RFC 7798, section 4.4. Decoding order numbers are
// read over: units that are interleaved are not put in order.
type h265Format struct{ donl bool }

// decodingOrder is the bytes of a packet's first decoding order number.
func (x *h265Format) decodingOrder() int {
	if x.donl {
		return donlLen
	}
	return 0
}

func (x *h265Format) unpack(b []byte, to *units) error {
	if len(b) == 0 {
		return nil // keepalive packets of some senders
	}
	if len(b) < h265.HeadSize {
		return fmt.Errorf("rtp: payload of %d bytes", len(b))
	}
	switch kind := h265.TypeOf(b); {
	case kind < typeAP && x.donl:
		return x.numbered(b, to)
	case kind < typeAP:
		return to.NAL(b)
	case kind == typeAP:
		return to.aggregate(b[h265.HeadSize:], func(i int) int {
			if i > 0 && x.donl {
				return dondLen
			}
			return x.decodingOrder()
		})
	case kind == typeFU:
		return x.fragment(b, to)
	case kind == typePACI:
		return fmt.Errorf("rtp: packets with extensions of their own (PACI) are not handled")
	}
	return nil // reserved: to be ignored
}

// numbered reads a single unit with its decoding order number behind the header (4.4.1).
func (x *h265Format) numbered(b []byte, to *units) error {
	if len(b) < h265.HeadSize+donlLen {
		return fmt.Errorf("rtp: payload of %d bytes", len(b))
	}
	unit := append([]byte{}, b[:h265.HeadSize]...)
	return to.NAL(append(unit, b[h265.HeadSize+donlLen:]...))
}

// fragment reads a fragmentation unit (4.4.3):
//
//	| F 49 layer TID | S E type | DONL, in the first | part of the NAL unit, without its header
func (x *h265Format) fragment(b []byte, to *units) error {
	const headLen = h265.HeadSize + 1
	if len(b) < headLen {
		return fmt.Errorf("rtp: fragment of %d bytes", len(b))
	}
	start, body := b[2]&fuStart != 0, b[headLen:]
	if start {
		if len(body) < x.decodingOrder() {
			return fmt.Errorf("rtp: fragment of %d bytes", len(b))
		}
		body = body[x.decodingOrder():]
	}
	return to.Part(fragmentedHead(b), body, start, b[2]&fuEnd != 0)
}

// fragmentedHead is the header of the unit that a fragment is of.
func fragmentedHead(b []byte) []byte {
	return []byte{b[0]&0x81 | b[2]&fuTypeMask<<1, b[1]}
}

func (x *h265Format) first(payload []byte) []byte {
	const shortest, sizeLen, most = 4, 2, 16
	if len(payload) < shortest {
		return nil
	}
	switch h265.TypeOf(payload) {
	case typeFU:
		begin := h265.HeadSize + 1 + x.decodingOrder()
		if payload[2]&fuStart == 0 || len(payload) < begin {
			return nil
		}
		return append(fragmentedHead(payload), payload[begin:min(len(payload), begin+most)]...)
	case typeAP:
		return payload[min(len(payload), h265.HeadSize+x.decodingOrder()+sizeLen):]
	}
	if x.donl {
		unit := append([]byte{}, payload[:h265.HeadSize]...)
		return append(unit, payload[min(len(payload), h265.HeadSize+donlLen):min(len(payload), most)]...)
	}
	return payload
}

// h265Payloads cuts a sample (RFC 7798, 4.4). Parameter sets go in front of each keyframe.
func h265Payloads(s *media.Sample, room int) (list [][]byte) {
	if s.Key {
		list = h265Sets(s.Track.Video.Sets, room)
	}
	for unit := range nalu.Units(s.Data) {
		list = appendH265(list, unit, room)
	}
	return list
}

// h265Sets is one aggregation packet, when it has room.
func h265Sets(sets [][]byte, room int) [][]byte {
	ap := []byte{typeAP << 1, 1} // layer 0, the lowest temporal sub-layer
	for _, set := range sets {
		ap = append(binary.BigEndian.AppendUint16(ap, uint16(len(set))), set...)
	}
	if len(ap) > room {
		return slices.Clone(sets)
	}
	return [][]byte{ap}
}

func appendH265(list [][]byte, unit []byte, room int) [][]byte {
	if len(unit) <= h265.HeadSize {
		return list
	}
	if len(unit) <= room {
		return append(list, unit)
	}
	const heads = h265.HeadSize + 1
	kind := byte(h265.TypeOf(unit))
	for rest, start := unit[h265.HeadSize:], byte(fuStart); len(rest) > 0; start = 0 {
		n := min(len(rest), room-heads)
		head := start | kind
		if n == len(rest) {
			head |= fuEnd
		}
		part := append(make([]byte, 0, heads+n), unit[0]&0x81|typeFU<<1, unit[1], head)
		list = append(list, append(part, rest[:n]...))
		rest = rest[n:]
	}
	return list
}
