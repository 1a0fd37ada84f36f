// Package webm writes WebM: Matroska (RFC 9559) in EBML (RFC 8794) with one track of VP9.
//
// A film is written while it comes; what is known only at its end, sizes and the duration, is
// written over what was left free for it. Limits: 2^31 milliseconds.
package webm

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"time"
)

// IDs of elements (RFC 9559, 5.1; RFC 8794, 11.2).
const (
	idEBML            = 0x1A45DFA3
	idEBMLVersion     = 0x4286
	idEBMLReadVersion = 0x42F7
	idEBMLMaxID       = 0x42F2
	idEBMLMaxSize     = 0x42F3
	idDocType         = 0x4282
	idDocTypeVersion  = 0x4287
	idDocTypeRead     = 0x4285
	idSegment         = 0x18538067
	idInfo            = 0x1549A966
	idTimestampScale  = 0x2AD7B1
	idDuration        = 0x4489
	idMuxingApp       = 0x4D80
	idWritingApp      = 0x5741
	idTracks          = 0x1654AE6B
	idTrackEntry      = 0xAE
	idTrackNumber     = 0xD7
	idTrackUID        = 0x73C5
	idTrackType       = 0x83
	idFlagLacing      = 0x9C
	idCodecID         = 0x86
	idVideo           = 0xE0
	idPixelWidth      = 0xB0
	idPixelHeight     = 0xBA
	idCluster         = 0x1F43B675
	idTimestamp       = 0xE7
	idSimpleBlock     = 0xA3
	idCues            = 0x1C53BB6B
	idCuePoint        = 0xBB
	idCueTime         = 0xB3
	idCuePositions    = 0xB7
	idCueTrack        = 0xF7
	idCueCluster      = 0xF1
)

const (
	application  = "Webostrum"
	trackNumber  = 1
	typeVideo    = 1
	sizeBytes    = 8       // of sizes that are written over
	millisecond  = 1000000 // TimestampScale, nanoseconds
	flagKey      = 0x80    // of a SimpleBlock
	mostRelative = math.MaxInt16
)

// ErrOrder is returned for frames that do not follow the one before.
var ErrOrder = errors.New("webm: a frame that does not follow the one before")

// Writer writes one film. The first error stays, and later calls do nothing.
type Writer struct {
	out     io.WriteSeeker
	err     error
	at      int64 // bytes written
	segment int64 // where the segment's content begins
	length  int64 // where the duration stands
	cluster []byte
	begins  int64 // of the cluster, milliseconds
	last    int64 // of the newest frame
	cues    []cue
}

type cue struct {
	at     int64 // milliseconds
	offset int64 // in the segment
}

// New begins a film of a size in pixels.
func New(out io.WriteSeeker, width, height int) *Writer {
	w := &Writer{out: out, last: -1}
	var e element
	e.group(idEBML, func() {
		e.uint(idEBMLVersion, 1)
		e.uint(idEBMLReadVersion, 1)
		e.uint(idEBMLMaxID, 4)
		e.uint(idEBMLMaxSize, 8)
		e.text(idDocType, "webm")
		e.uint(idDocTypeVersion, 4)
		e.uint(idDocTypeRead, 2)
	})
	e.id(idSegment)
	e.b = append(e.b, 1, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff) // not known yet
	w.segment = int64(len(e.b))
	e.group(idInfo, func() {
		e.uint(idTimestampScale, millisecond)
		e.text(idMuxingApp, application)
		e.text(idWritingApp, application)
		e.id(idDuration)
		e.size(sizeBytes)
		e.b = append(e.b, make([]byte, sizeBytes)...)
	})
	w.length = int64(len(e.b)) - sizeBytes
	e.group(idTracks, func() {
		e.group(idTrackEntry, func() {
			e.uint(idTrackNumber, trackNumber)
			e.uint(idTrackUID, trackNumber)
			e.uint(idTrackType, typeVideo)
			e.uint(idFlagLacing, 0)
			e.text(idCodecID, "V_VP9")
			e.group(idVideo, func() {
				e.uint(idPixelWidth, uint64(width))
				e.uint(idPixelHeight, uint64(height))
			})
		})
	})
	w.write(e.b)
	return w
}

func (w *Writer) write(b []byte) {
	if w.err == nil {
		var n int
		n, w.err = w.out.Write(b)
		w.at += int64(n)
	}
}

// Frame writes the next frame, which is shown at a time from the film's beginning. Clusters
// begin with keyframes, so that players can go to them.
func (w *Writer) Frame(data []byte, at time.Duration, key bool) {
	ms := at.Milliseconds()
	switch {
	case w.err != nil:
		return
	case ms <= w.last || w.last < 0 && !key:
		w.err = fmt.Errorf("%w: at %v", ErrOrder, at)
		return
	case key || ms-w.begins > mostRelative:
		w.flush()
		w.begins = ms
		if key {
			w.cues = append(w.cues, cue{ms, w.at - w.segment})
		}
		var e element
		e.uint(idTimestamp, uint64(ms))
		w.cluster = e.b
	}
	w.last = ms
	var e element
	e.id(idSimpleBlock)
	e.size(4 + len(data))
	e.b = append(e.b, 0x80|trackNumber)
	e.b = binary.BigEndian.AppendUint16(e.b, uint16(ms-w.begins))
	flags := byte(0)
	if key {
		flags = flagKey
	}
	w.cluster = append(append(w.cluster, append(e.b, flags)...), data...)
}

// flush writes the cluster in the making.
func (w *Writer) flush() {
	if len(w.cluster) == 0 {
		return
	}
	var e element
	e.id(idCluster)
	e.size(len(w.cluster))
	w.write(e.b)
	w.write(w.cluster)
	w.cluster = nil
}

// Close ends the film: length is all of it.
func (w *Writer) Close(length time.Duration) error {
	w.flush()
	var e element
	e.group(idCues, func() {
		for _, c := range w.cues {
			e.group(idCuePoint, func() {
				e.uint(idCueTime, uint64(c.at))
				e.group(idCuePositions, func() {
					e.uint(idCueTrack, trackNumber)
					e.uint(idCueCluster, uint64(c.offset))
				})
			})
		}
	})
	w.write(e.b)
	w.over(w.segment-sizeBytes, 1<<56|uint64(w.at-w.segment))
	w.over(w.length, math.Float64bits(float64(length)/float64(time.Millisecond)))
	if w.err == nil {
		_, w.err = w.out.Seek(w.at, io.SeekStart)
	}
	return w.err
}

// over writes 8 bytes over those at an offset.
func (w *Writer) over(offset int64, v uint64) {
	if w.err != nil {
		return
	}
	if _, w.err = w.out.Seek(offset, io.SeekStart); w.err == nil {
		_, w.err = w.out.Write(binary.BigEndian.AppendUint64(nil, v))
	}
}

// element writes elements into memory.
type element struct{ b []byte }

// id writes an element's ID, which says itself how long it is.
func (e *element) id(id uint32) {
	for shift := 24; shift >= 0; shift -= 8 {
		if id>>shift != 0 {
			e.b = append(e.b, byte(id>>shift))
		}
	}
}

// size writes a data size (RFC 8794, 4), in as few bytes as hold it.
func (e *element) size(n int) {
	for length := 1; length <= 8; length++ {
		if uint64(n) < 1<<(7*length)-1 {
			v := uint64(n) | 1<<(7*length)
			for shift := 8 * (length - 1); shift >= 0; shift -= 8 {
				e.b = append(e.b, byte(v>>shift))
			}
			return
		}
	}
}

func (e *element) uint(id uint32, v uint64) {
	length := 1
	for length < 8 && v>>(8*length) != 0 {
		length++
	}
	e.id(id)
	e.size(length)
	for shift := 8 * (length - 1); shift >= 0; shift -= 8 {
		e.b = append(e.b, byte(v>>shift))
	}
}

func (e *element) text(id uint32, v string) {
	e.id(id)
	e.size(len(v))
	e.b = append(e.b, v...)
}

// group writes an element around others.
func (e *element) group(id uint32, body func()) {
	outer := e.b
	e.b = nil
	body()
	inner := e.b
	e.b = outer
	e.id(id)
	e.size(len(inner))
	e.b = append(e.b, inner...)
}
