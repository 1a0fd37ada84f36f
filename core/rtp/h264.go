package rtp

import "fmt"

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

// h264Format is the payload format of RFC 6184, sections 5.6 to 5.8.
type h264Format struct{}

func (x h264Format) unpack(b []byte, to *units) error {
	if len(b) == 0 {
		return nil // keepalive packets of some senders
	}
	switch kind := b[0] & nalTypeMask; {
	case kind >= 1 && kind < typeSTAPA:
		return to.NAL(b)
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
func (x h264Format) fragment(b []byte, to *units) error {
	const headLen = 2
	if len(b) < headLen {
		return fmt.Errorf("rtp: fragment of %d bytes", len(b))
	}
	head := []byte{b[0]&nalHeadMask | b[1]&nalTypeMask}
	return to.Part(head, b[headLen:], b[1]&fuStart != 0, b[1]&fuEnd != 0)
}

func (x h264Format) first(payload []byte) []byte {
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
