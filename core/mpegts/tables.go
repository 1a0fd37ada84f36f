package mpegts

import (
	"encoding/binary"
	"fmt"
)

// sections puts a table's sections together (2.4.4).
type sections struct {
	buf  []byte
	open bool
}

const (
	maxSection  = 4096
	sectionHead = 3
	tableHead   = 8
	crcSize     = 4
	stuffing    = 0xff
)

// push takes a packet's payload and calls take with each whole section whose sum is right.
func (s *sections) push(p packet, take func([]byte)) {
	b := p.payload
	if p.start {
		if len(b) == 0 || int(b[0])+1 > len(b) {
			s.open = false
			return
		}
		pointer := int(b[0])
		if s.open {
			s.buf = append(s.buf, b[1:1+pointer]...)
			s.whole(take)
		}
		s.buf, s.open = append(s.buf[:0], b[1+pointer:]...), true
	} else if s.open {
		s.buf = append(s.buf, b...)
	}
	s.whole(take)
}

// whole gives the sections that are whole.
func (s *sections) whole(take func([]byte)) {
	for s.open && len(s.buf) >= sectionHead {
		if s.buf[0] == stuffing {
			s.open = false
			return
		}
		n := sectionHead + int(binary.BigEndian.Uint16(s.buf[1:])&0x0fff)
		if n > maxSection {
			s.open = false
			return
		}
		if len(s.buf) < n {
			return
		}
		if section := s.buf[:n]; n >= tableHead+crcSize && crc(section) == 0 {
			take(section)
		}
		s.buf = append(s.buf[:0], s.buf[n:]...)
	}
}

// crcTable is of the polynomial of annex A.
var crcTable = func() (t [256]uint32) {
	const polynomial = 0x04c11db7
	for i := range t {
		v := uint32(i) << 24
		for range 8 {
			v = v<<1 ^ polynomial*(v>>31)
		}
		t[i] = v
	}
	return t
}()

// crc is the sum over bytes; over a section with its sum behind it is zero.
func crc(b []byte) uint32 {
	v := ^uint32(0)
	for _, x := range b {
		v = v<<8 ^ crcTable[byte(v>>24)^x]
	}
	return v
}

// tableVersion reads what tables have in common: the number behind their length, their
// version, and whether they are in force (2.4.4.5).
func tableVersion(b []byte) (number uint16, version byte, current bool) {
	return binary.BigEndian.Uint16(b[3:]), b[5] >> 1 & 0x1f, b[5]&1 != 0
}

const (
	tablePAT = 0
	tablePMT = 2

	maxPrograms = 64
	maxStreams  = 64
)

// parsePAT reads a program association section (2.4.4.3): the PID of each program's map.
func parsePAT(b []byte) map[uint16]uint16 {
	maps := make(map[uint16]uint16)
	for b = b[tableHead : len(b)-crcSize]; len(b) >= 4 && len(maps) < maxPrograms; b = b[4:] {
		if number := binary.BigEndian.Uint16(b); number != 0 {
			maps[number] = binary.BigEndian.Uint16(b[2:]) & maxPID
		}
	}
	return maps
}

// Stream is one elementary stream of a program.
type Stream struct {
	PID         uint16
	Kind        byte // stream_type (table 2-34)
	Descriptors []byte
}

// parsePMT reads a program map section (2.4.4.8).
func parsePMT(b []byte) (pcr uint16, streams []Stream, err error) {
	const head, entry = tableHead + 4, 5
	if len(b) < head+crcSize {
		return 0, nil, fmt.Errorf("%w: program map of %d bytes", ErrMalformed, len(b))
	}
	pcr = binary.BigEndian.Uint16(b[8:]) & maxPID
	about := int(binary.BigEndian.Uint16(b[10:]) & 0x0fff)
	rest := b[head : len(b)-crcSize]
	if about > len(rest) {
		return pcr, nil, fmt.Errorf("%w: program descriptors of %d bytes", ErrMalformed, about)
	}
	for rest = rest[about:]; len(rest) >= entry && len(streams) < maxStreams; {
		n := int(binary.BigEndian.Uint16(rest[3:]) & 0x0fff)
		if n > len(rest)-entry {
			return pcr, streams, fmt.Errorf("%w: stream descriptors of %d bytes", ErrMalformed, n)
		}
		streams = append(streams, Stream{
			PID: binary.BigEndian.Uint16(rest[1:]) & maxPID, Kind: rest[0], Descriptors: append([]byte(nil), rest[entry:entry+n]...),
		})
		rest = rest[entry+n:]
	}
	return pcr, streams, nil
}

// Kinds of stream that are looked at (table 2-34, and what is used by broadcasters).
const (
	kindMPEG1Video = 0x01
	kindMPEG2Video = 0x02
	kindMPEG1Audio = 0x03
	kindMPEG2Audio = 0x04
	kindPrivate    = 0x06
	kindADTS       = 0x0f
	kindMPEG4Video = 0x10
	kindLATM       = 0x11
	kindH264       = 0x1b
	kindH265       = 0x24
	kindH266       = 0x33
	kindCAVS       = 0x42
	kindAC3        = 0x81
	kindDTS        = 0x82
	kindEAC3       = 0x87
	kindVC1        = 0xea
)

// Tags of descriptors that tell what a private stream is.
const (
	tagRegistration = 0x05
	tagAC3          = 0x6a
	tagEAC3         = 0x7a
	tagAAC          = 0x7c
	tagOpus         = "Opus"
)

// video says whether the stream is video, and how people call its codec.
func (s Stream) video() (name string, ok bool) {
	name, ok = map[byte]string{
		kindMPEG1Video: "MPEG-1 video", kindMPEG2Video: "MPEG-2 video", kindMPEG4Video: "MPEG-4 part 2", kindH264: "H.264", kindH265: "H.265",
		kindH266: "H.266", kindCAVS: "AVS", kindVC1: "VC-1",
	}[s.Kind]
	return name, ok
}

// audio says whether the stream is audio, and how people call its codec.
func (s Stream) audio() (name string, ok bool) {
	name, ok = map[byte]string{
		kindMPEG1Audio: "MPEG-1 audio", kindMPEG2Audio: "MPEG-2 audio (layer II)", kindADTS: "AAC", kindLATM: "AAC", kindAC3: "AC-3", kindEAC3: "E-AC-3", kindDTS: "DTS",
	}[s.Kind]
	if ok || s.Kind != kindPrivate {
		return name, ok
	}
	for b := s.Descriptors; len(b) >= 2 && len(b) >= 2+int(b[1]); b = b[2+int(b[1]):] {
		switch body := b[2 : 2+int(b[1])]; {
		case b[0] == tagAC3:
			return "AC-3", true
		case b[0] == tagEAC3:
			return "E-AC-3", true
		case b[0] == tagAAC:
			return "AAC in a private stream", true
		case b[0] == tagRegistration && string(body) == tagOpus:
			return "Opus", true
		}
	}
	return "", false
}
