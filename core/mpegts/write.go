package mpegts

import (
	"encoding/binary"
	"slices"

	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/nalu"
)

// Writer writes a transport stream of one program: video in H.264 or H.265, and audio in AAC
// if there is any. It is not safe for concurrent use.
type Writer struct {
	video, audio *media.Track
	counters     map[uint16]byte
	version      byte
}

// The PIDs of what is written.
const (
	writtenMap   = 0x100
	writtenVideo = 0x101
	writtenAudio = 0x102

	writtenProgram = 1
	streamVideo    = 0xe0
	streamAudio    = 0xc0
)

// NewWriter makes a writer; audio may be nil.
func NewWriter(video, audio *media.Track) *Writer {
	return &Writer{video: video, audio: audio, counters: make(map[uint16]byte)}
}

// Renew makes the program's map another version from here on.
func (w *Writer) Renew() { w.version = (w.version + 1) & 0x1f }

// AppendTables appends the program tables, to be repeated a few times a second.
func (w *Writer) AppendTables(dst []byte) []byte {
	pat := []byte{0, writtenProgram, 0xe0 | writtenMap>>8, writtenMap & 0xff}
	pmt := []byte{0xe0 | writtenVideo>>8, writtenVideo & 0xff, 0xf0, 0}
	kind := byte(kindH264)
	if w.video.Codec == media.H265 {
		kind = kindH265
	}
	pmt = append(pmt, kind, 0xe0|writtenVideo>>8, writtenVideo&0xff, 0xf0, 0)
	if w.audio != nil {
		pmt = append(pmt, kindADTS, 0xe0|writtenAudio>>8, writtenAudio&0xff, 0xf0, 0)
	}
	dst = w.appendSection(dst, pidPAT, tablePAT, writtenProgram, pat)
	return w.appendSection(dst, writtenMap, tablePMT, writtenProgram, pmt)
}

// appendSection appends a packet with one section.
func (w *Writer) appendSection(dst []byte, pid uint16, table byte, number uint16, body []byte) []byte {
	const inForce, reserved = 1, 0xc0
	n := tableHead - sectionHead + len(body) + crcSize
	s := binary.BigEndian.AppendUint16([]byte{0, table}, 0xb000|uint16(n))
	s = binary.BigEndian.AppendUint16(s, number)
	s = append(append(s, reserved|w.version<<1|inForce, 0, 0), body...)
	s = binary.BigEndian.AppendUint32(s, crc(s[1:]))
	for len(s) < PacketSize-headSize {
		s = append(s, stuffing)
	}
	return append(w.appendHead(dst, pid, true, false), s...)
}

func (w *Writer) appendHead(dst []byte, pid uint16, start, adaptation bool) []byte {
	flags := byte(0x10)
	if adaptation {
		flags |= 0x20
	}
	c := w.counters[pid]
	w.counters[pid] = (c + 1) & 0x0f
	head := binary.BigEndian.AppendUint16([]byte{syncByte}, pid)
	if start {
		head[1] |= 0x40
	}
	return append(append(dst, head...), flags|c)
}

// AppendSample appends a sample; pts is in 90 kHz, and dts that of video.
func (w *Writer) AppendSample(dst []byte, s *media.Sample, pts, dts uint64) []byte {
	if s.Track.Kind == media.KindAudio {
		frame := aac.AppendADTS(nil, s.Track.AAC, s.Data)
		return w.appendUnit(dst, writtenAudio, append(pesHeader(streamAudio, pts, pts, len(frame)), frame...), nil)
	}
	unit := nalu.AppendStart(pesHeader(streamVideo, pts, dts, 0), delimiter(s.Track.Codec))
	if s.Key {
		for _, set := range s.Track.Video.Sets {
			unit = nalu.AppendStart(unit, set)
		}
	}
	for nal := range nalu.Units(s.Data) {
		unit = nalu.AppendStart(unit, nal)
	}
	return w.appendUnit(dst, writtenVideo, unit, clockReference(dts))
}

// delimiter is an access unit delimiter of any kind of picture.
func delimiter(codec media.Codec) []byte {
	if codec == media.H265 {
		return []byte{0x46, 0x01, 0x50}
	}
	return []byte{0x09, 0xf0}
}

// clockReference is an adaptation field's flags and PCR.
func clockReference(at uint64) []byte {
	return []byte{flagPCR, byte(at >> 25), byte(at >> 17), byte(at >> 9), byte(at >> 1), byte(at&1)<<7 | 0x7e, 0}
}

func pesHeader(stream byte, pts, dts uint64, size int) []byte {
	const marked, both, one = 0x80, 0xc0, 0x80
	stamps, flags := appendStamp(nil, 2, pts), byte(one)
	if dts != pts {
		stamps, flags = appendStamp(appendStamp(nil, 3, pts), 1, dts), both
	}
	n := 0
	if size > 0 {
		n = pesHead - pesFixed + len(stamps) + size
	}
	b := []byte{0, 0, 1, stream, byte(n >> 8), byte(n), marked, flags, byte(len(stamps))}
	return append(b, stamps...)
}

// appendStamp appends 33 bits behind 4 of a kind, with the bits between that are always set.
func appendStamp(dst []byte, kind byte, at uint64) []byte {
	return append(dst, kind<<4|byte(at>>29)&0x0e|1, byte(at>>22), byte(at>>14)|1, byte(at>>7), byte(at<<1)|1)
}

// appendUnit cuts a unit into packets; the first may have an adaptation field, and the last
// is filled up by one.
func (w *Writer) appendUnit(dst []byte, pid uint16, unit, first []byte) []byte {
	const room = PacketSize - headSize
	for start := true; len(unit) > 0; start = false {
		field := first
		first = nil
		space := room
		if field != nil {
			space -= 1 + len(field)
		}
		if missing := space - len(unit); missing > 0 {
			field = fill(field, missing)
			space = len(unit)
		}
		dst = w.appendHead(dst, pid, start, field != nil)
		if field != nil {
			dst = append(append(dst, byte(len(field))), field...)
		}
		dst = append(dst, unit[:space]...)
		unit = unit[space:]
	}
	return dst
}

// fill makes an adaptation field n bytes longer, with its length where there is none yet.
func fill(field []byte, n int) []byte {
	if field == nil {
		if n--; n == 0 {
			return []byte{}
		}
		field = []byte{0}
		n--
	}
	return append(slices.Clone(field), slices.Repeat([]byte{stuffing}, n)...)
}
