package aac

import "fmt"

// ADTS is the head in front of an access unit (ISO/IEC 13818-7, 6.2; 14496-3, 1.A.2.2):
//
//	| FFF 12 | version 1 | layer 2 | no sum 1 | profile 2 | rate 4 | private 1 | channels 3 | … | length 13 | fullness 11 | blocks 2 |
type ADTS struct {
	ObjectType int
	Rate       int // index
	Channels   int // configuration
	Head       int // bytes in front of the access unit
	Length     int // bytes in all
	Blocks     int // access units in it
}

// ADTSHead is the bytes that ParseADTS wants.
const ADTSHead = 7

// ParseADTS reads a head.
func ParseADTS(b []byte) (h ADTS, err error) {
	const sumSize, layerMask = 2, 0x06
	if len(b) < ADTSHead || b[0] != 0xff || b[1]&0xf0 != 0xf0 || b[1]&layerMask != 0 {
		return h, fmt.Errorf("%w: no ADTS head", ErrMalformed)
	}
	h = ADTS{
		ObjectType: int(b[2]>>6) + 1, Rate: int(b[2] >> 2 & 0x0f), Channels: int(b[2]&1)<<2 | int(b[3]>>6),
		Head: ADTSHead, Length: int(b[3]&3)<<11 | int(b[4])<<3 | int(b[5]>>5), Blocks: int(b[6]&3) + 1,
	}
	if b[1]&1 == 0 {
		h.Head += sumSize
	}
	if h.Length <= h.Head || h.Rate >= len(rates) {
		return h, fmt.Errorf("%w: ADTS frame of %d bytes at frequency %d", ErrMalformed, h.Length, h.Rate)
	}
	return h, nil
}

// Config is the AudioSpecificConfig of the stream.
func (h ADTS) Config() []byte {
	v := uint16(h.ObjectType)<<11 | uint16(h.Rate)<<7 | uint16(h.Channels)<<3
	return []byte{byte(v >> 8), byte(v)}
}

// AppendADTS appends an access unit behind a head, for a stream with an AudioSpecificConfig of
// two bytes; others are written wrong.
func AppendADTS(dst, config, unit []byte) []byte {
	object, rate, channels := config[0]>>3, config[0]&7<<1|config[1]>>7, config[1]>>3&0x0f
	n := ADTSHead + len(unit)
	dst = append(dst, 0xff, 0xf1, (object-1)<<6|rate<<2|channels>>2, channels&3<<6|byte(n>>11), byte(n>>3), byte(n&7)<<5|0x1f, 0xfc)
	return append(dst, unit...)
}
