// Package mpegts reads and writes MPEG-2 transport streams (ISO/IEC 13818-1): packets of 188
// bytes, also behind a time of 4 bytes or before 16 bytes of error correction; program
// tables; packetised elementary streams of H.264, H.265 and AAC.
//
// Limits: 64 programs, 64 streams of the chosen one, sections of 4 KiB, a picture of 8 MiB, a
// unit of audio of 64 KiB.
package mpegts

import (
	"encoding/binary"
	"errors"
	"fmt"
)

// ErrMalformed is wrapped for what does not make sense.
var ErrMalformed = errors.New("mpegts: malformed")

// PacketSize is the bytes of a packet (2.4.3.2).
const PacketSize = 188

const (
	syncByte = 0x47
	headSize = 4
	maxPID   = 0x1fff
	pidPAT   = 0
	pidNull  = maxPID
	clock    = 90_000 // ticks a second of PTS and DTS
)

// packet is a transport packet's head and what is in it.
//
//	| 47 | error 1 | start 1 | priority 1 | PID 13 | scrambled 2 | adaptation 1 | payload 1 | counter 4 |
type packet struct {
	damaged       bool // transport_error_indicator
	start         bool // payload_unit_start_indicator
	pid           uint16
	scrambled     bool
	counter       byte
	hasPayload    bool
	payload       []byte
	discontinuity bool // discontinuity_indicator
	stuffed       bool // it carries less than it could: as a rule it is the last of its unit
	hasPCR        bool
	pcr           uint64 // 90 kHz
}

// Flags of an adaptation field (2.4.3.4).
const (
	flagDiscontinuity = 0x80
	flagPCR           = 0x10
	pcrSize           = 6
)

func parsePacket(b []byte) (p packet, err error) {
	if len(b) != PacketSize || b[0] != syncByte {
		return p, fmt.Errorf("%w: no packet", ErrMalformed)
	}
	p.damaged, p.start = b[1]&0x80 != 0, b[1]&0x40 != 0
	p.pid = binary.BigEndian.Uint16(b[1:]) & maxPID
	p.scrambled, p.counter = b[3]&0xc0 != 0, b[3]&0x0f
	p.hasPayload = b[3]&0x10 != 0
	rest := b[headSize:]
	if b[3]&0x20 != 0 {
		n := int(rest[0])
		if n >= len(rest) {
			return p, fmt.Errorf("%w: adaptation field of %d bytes", ErrMalformed, n)
		}
		p.adaptation(rest[1 : 1+n])
		rest = rest[1+n:]
	}
	if p.hasPayload {
		p.payload = rest
	}
	return p, nil
}

func (p *packet) adaptation(b []byte) {
	used := 0
	if len(b) > 0 {
		p.discontinuity = b[0]&flagDiscontinuity != 0
		used = 1
	}
	if len(b) > pcrSize && b[0]&flagPCR != 0 {
		p.hasPCR, p.pcr = true, uint64(binary.BigEndian.Uint32(b[1:]))<<1|uint64(b[5]>>7)
		used += pcrSize
	}
	p.stuffed = len(b) > used || len(b) == 0
}
