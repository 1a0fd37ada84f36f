package jpeg

import (
	"bytes"
	"encoding/binary"
	"fmt"
)

// Baseline describes a picture whose header is not sent: baseline, three components, the
// standard Huffman tables (RFC 2435, appendix B).
type Baseline struct {
	Width, Height   int
	Halved          bool // chroma has half the lines, too: 4:2:0 and not 4:2:2
	RestartInterval int  // MCUs between restart markers; 0 when there are none

	// Quantisation holds the tables of luma and chroma one after the other, in zigzag
	// order, with Wide saying of each, from the lowest bit, whether its numbers have 16 bits.
	Quantisation []byte
	Wide         uint8

	// Own are marker segments of the picture that were sent all the same; they stand in for
	// what is said above. What is no segment ends them.
	Own []byte
}

const (
	markerDQT = 0xdb
	tableSize = 64
)

// Header returns what stands before the entropy-coded segment of the picture.
func (p Baseline) Header() []byte {
	own, sent := p.segments()
	b := append([]byte{0xff, markerSOI}, own...)
	if !sent[markerDQT] {
		b = p.appendTables(b)
	}
	if p.RestartInterval > 0 && !sent[markerDRI] {
		b = binary.BigEndian.AppendUint16(appendSegment(b, markerDRI, 2), uint16(p.RestartInterval))
	}
	if !sent[markerSOF0] {
		b = p.appendFrame(b)
	}
	if !sent[markerDHT] {
		b = append(b, standardTables...)
	}
	const components = 3
	b = append(appendSegment(b, markerSOS, 10), components, 1, 0, 2, 0x11, 3, 0x11)
	return append(b, 0, 63, 0)
}

// segments are those that were sent, and which there are.
func (p Baseline) segments() (own []byte, sent map[byte]bool) {
	sent = map[byte]bool{}
	for at := 0; at < len(p.Own); {
		marker, body, next, err := segment(p.Own, at)
		if err != nil || alone(marker) || marker == markerSOS {
			break
		}
		own = append(appendSegment(own, marker, len(body)), body...)
		sent[marker] = true
		at = next
	}
	return own, sent
}

func (p Baseline) appendTables(b []byte) []byte {
	for id, table := range p.tables() {
		wide := uint8(max(len(table)/tableSize, 1) - 1)
		b = append(appendSegment(b, markerDQT, 1+len(table)), wide<<4|uint8(id))
		b = append(b, table...)
	}
	return b
}

func (p Baseline) appendFrame(b []byte) []byte {
	const bits, components, each, fixed = 8, 3, 3, 6
	luma := byte(0x21)
	if p.Halved {
		luma = 0x22
	}
	b = append(appendSegment(b, markerSOF0, fixed+components*each), bits)
	b = binary.BigEndian.AppendUint16(b, uint16(p.Height))
	b = binary.BigEndian.AppendUint16(b, uint16(p.Width))
	return append(b, components, 1, luma, 0, 2, 0x11, 1, 3, 0x11, 1)
}

// tables are the quantisation tables; one that is missing is like the one before it.
func (p Baseline) tables() (list [2][]byte) {
	rest := p.Quantisation
	for i := range list {
		size := tableSize
		if p.Wide>>i&1 == 1 {
			size *= 2
		}
		if len(rest) < size {
			list[i] = list[max(i-1, 0)]
			continue
		}
		list[i], rest = rest[:size], rest[size:]
	}
	return list
}

func appendSegment(b []byte, marker byte, length int) []byte {
	return binary.BigEndian.AppendUint16(append(b, 0xff, marker), uint16(lengthLen+length))
}

// QuantisationOf makes the tables of luma and chroma for a quality from 1 to 99, in zigzag
// order (RFC 2435, appendix A).
func QuantisationOf(quality int) []byte {
	const half, whole, least, most = 50, 100, 1, 99
	q := min(max(quality, least), most)
	scale := 2 * (whole - q)
	if q < half {
		scale = half * whole / q
	}
	b := make([]byte, 0, 2*tableSize)
	for _, table := range standardQuantisation {
		for _, v := range table {
			b = append(b, byte(min(max((int(v)*scale+half)/whole, 1), 255)))
		}
	}
	return b
}

// standardQuantisation are tables K.1 and K.2 in zigzag order.
var standardQuantisation = [2][tableSize]byte{
	{
		16, 11, 12, 14, 12, 10, 16, 14, 13, 14, 18, 17, 16, 19, 24, 40,
		26, 24, 22, 22, 24, 49, 35, 37, 29, 40, 58, 51, 61, 60, 57, 51,
		56, 55, 64, 72, 92, 78, 64, 68, 87, 69, 55, 56, 80, 109, 81, 87,
		95, 98, 103, 104, 103, 62, 77, 113, 121, 112, 100, 120, 92, 101, 103, 99,
	},
	{
		17, 18, 18, 24, 21, 24, 47, 26, 26, 47, 99, 66, 56, 66, 99, 99,
		99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
		99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
		99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
	},
}

// Split takes a baseline picture apart: what its header says, and its entropy-coded segment.
// Its Huffman tables are taken to be the standard ones. It is the inverse of Header.
func Split(data []byte) (p Baseline, scan []byte, err error) {
	h, err := Parse(data)
	if err != nil {
		return p, nil, err
	}
	p = Baseline{Width: h.Width, Height: h.Height, RestartInterval: h.RestartInterval, Halved: h.Sampling == "4:2:0"}
	if h.Progressive || !p.Halved && h.Sampling != "4:2:2" {
		return p, nil, fmt.Errorf("%w: sampling %s, progressive %t; want baseline and 4:2:0 or 4:2:2", ErrUnsupported, h.Sampling, h.Progressive)
	}
	var tables [2][]byte
	for at := markerLen; scan == nil; {
		marker, body, next, err := segment(data, at)
		if err != nil {
			return p, nil, err
		}
		switch marker {
		case markerDQT:
			splitTables(body, &tables)
		case markerSOS:
			scan = bytes.TrimSuffix(data[next:], []byte{0xff, markerEOI})
		}
		at = next
	}
	for i, t := range tables {
		if len(t) > tableSize {
			p.Wide |= 1 << i
		}
		p.Quantisation = append(p.Quantisation, t...)
	}
	return p, scan, nil
}

// splitTables takes the tables of a DQT segment apart (B.2.4.1).
func splitTables(body []byte, into *[2][]byte) {
	for len(body) > tableSize {
		size, id := tableSize*int(1+body[0]>>4&1), int(body[0]&0xf)
		if len(body) < 1+size {
			return
		}
		if id < len(into) {
			into[id] = body[1 : 1+size]
		}
		body = body[1+size:]
	}
}
