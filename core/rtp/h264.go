package rtp

import (
	"fmt"

	"webostrum/core/h264"
	"webostrum/core/media"
)

// RFC 6184, table 1.
const (
	typeSTAPA = 24
	typeFUA   = 28
	typeFUB   = 29

	nalTypeMask = 0x1f
	nalHeadMask = 0xe0 // F and NRI
	fuStart     = 0x80
	fuEnd       = 0x40
)

// h264Syntax is the payload format of RFC 6184, sections 5.6 to 5.8.
type h264Syntax struct{ params h264.ParamKeeper }

func (x *h264Syntax) add(set []byte) error       { return x.params.Add(set) }
func (x *h264Syntax) config() *media.VideoConfig { return x.params.Current() }

func (x *h264Syntax) unpack(b []byte, to *units) error {
	if len(b) == 0 {
		return nil // keepalive packets of some senders
	}
	switch kind := b[0] & nalTypeMask; {
	case kind >= 1 && kind < typeSTAPA:
		return to.unit(b)
	case kind == typeSTAPA:
		return to.aggregate(b[1:], func(int) int { return 0 })
	case kind == typeFUA:
		return x.fragment(b, to)
	case kind == 0 || kind > typeFUB:
		return nil // reserved: to be ignored (5.2)
	default:
		return fmt.Errorf("rtp: packet type %d needs interleaved mode, which is not handled", kind)
	}
}

// fragment reads FU-A (5.8):
//
//	| F NRI 28 | S E R type | part of the NAL unit, without its first byte
func (x *h264Syntax) fragment(b []byte, to *units) error {
	const headLen = 2
	if len(b) < headLen {
		return fmt.Errorf("rtp: fragment of %d bytes", len(b))
	}
	head := []byte{b[0]&nalHeadMask | b[1]&nalTypeMask}
	return to.part(head, b[headLen:], b[1]&fuStart != 0, b[1]&fuEnd != 0)
}

func (x *h264Syntax) first(payload []byte) []byte {
	const stapHead, shortest = 3, 3
	if len(payload) < shortest {
		return nil
	}
	switch payload[0] & nalTypeMask {
	case typeFUA:
		if payload[1]&fuStart == 0 {
			return nil
		}
		return append([]byte{payload[0]&nalHeadMask | payload[1]&nalTypeMask}, payload[2:min(len(payload), 16)]...)
	case typeSTAPA:
		return payload[stapHead:]
	}
	return payload
}

// look follows 7.4.1.2.3 of H.264: a delimiter, a parameter set, a message or the first
// slice begin an access unit.
func (x *h264Syntax) look(unit []byte) (a about, err error) {
	switch kind := h264.TypeOf(unit); {
	case kind == h264.NALSPS || kind == h264.NALPPS:
		return about{set: true, leads: true}, nil
	case kind == h264.NALAUD:
		return about{leads: true}, nil
	case kind == h264.NALFiller || kind == h264.NALEndOfSeq || kind == h264.NALEndStream:
		return about{}, nil
	case kind == h264.NALSEI:
		frames, ok := h264.RecoveryPoint(unit)
		return about{keep: true, leads: true, key: ok && frames == 0, refresh: ok && frames > 0}, nil
	case kind.IsVCL():
		slice, err := h264.ParseSlice(unit)
		if err != nil && (kind == h264.NALSlice || kind == h264.NALIDR) {
			return about{}, err
		}
		opens := slice.First && (kind == h264.NALSlice || kind == h264.NALIDR || kind == h264.NALPartA)
		return about{keep: true, picture: true, opens: opens, key: kind == h264.NALIDR, b: slice.Kind == h264.SliceB}, nil
	}
	return about{keep: true}, nil
}
