package h264

import (
	"encoding/binary"
	"fmt"
)

// ParseRecord reads an AVCDecoderConfigurationRecord (ISO/IEC 14496-15, 5.3.3.1): the
// parameter sets in it, which share its bytes, and how many bytes the lengths before NAL
// units have.
func ParseRecord(b []byte) (sets [][]byte, lengthSize int, err error) {
	const head, countMask = 6, 0x1f
	if len(b) < head || b[0] != 1 {
		return nil, 0, fmt.Errorf("%w: decoder configuration record of %d bytes", ErrMalformed, len(b))
	}
	lengthSize = int(b[4]&3) + 1
	count, rest := int(b[5]&countMask), b[head:]
	for kind := range 2 { // sequence, then picture parameter sets
		if kind == 1 {
			if len(rest) == 0 {
				return sets, lengthSize, fmt.Errorf("%w: decoder configuration record without picture parameter sets", ErrMalformed)
			}
			count, rest = int(rest[0]), rest[1:]
		}
		for range count {
			if len(rest) < 2 || int(binary.BigEndian.Uint16(rest)) > len(rest)-2 {
				return sets, lengthSize, fmt.Errorf("%w: decoder configuration record is cut short", ErrMalformed)
			}
			n := int(binary.BigEndian.Uint16(rest))
			sets = append(sets, rest[2:2+n])
			rest = rest[2+n:]
		}
	}
	return sets, lengthSize, nil
}
