package h265

import (
	"encoding/binary"
	"fmt"
)

// ParseRecord reads an HEVCDecoderConfigurationRecord (ISO/IEC 14496-15, 8.3.3.1): the
// parameter sets in it, which share its bytes, and how many bytes the lengths before NAL
// units have.
func ParseRecord(b []byte) (sets [][]byte, lengthSize int, err error) {
	const head, arrayHead = 23, 3
	if len(b) < head || b[0] != 1 {
		return nil, 0, fmt.Errorf("%w: decoder configuration record of %d bytes", ErrMalformed, len(b))
	}
	lengthSize = int(b[21]&3) + 1
	cut := fmt.Errorf("%w: decoder configuration record is cut short", ErrMalformed)
	rest := b[head:]
	for range b[22] {
		if len(rest) < arrayHead {
			return sets, lengthSize, cut
		}
		count := int(binary.BigEndian.Uint16(rest[1:]))
		rest = rest[arrayHead:]
		for range count {
			if len(rest) < 2 || int(binary.BigEndian.Uint16(rest)) > len(rest)-2 {
				return sets, lengthSize, cut
			}
			n := int(binary.BigEndian.Uint16(rest))
			if set := rest[2 : 2+n]; TypeOf(set).IsParameterSet() {
				sets = append(sets, set)
			}
			rest = rest[2+n:]
		}
	}
	return sets, lengthSize, nil
}
