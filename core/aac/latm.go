package aac

import (
	"fmt"

	"webostrum/core/bits"
)

const maxSubFrames = 64

// LATM takes access units out of multiplex elements (14496-3, 1.7.3) of one
// program with one layer, as cameras send them.
type LATM struct {
	// InBand says that elements carry their configuration (muxConfigPresent).
	InBand bool

	known     bool
	subFrames int
	otherBits int
	config    []byte
	parsed    Config
}

// Configured takes a StreamMuxConfig from elsewhere, as a session description has
// it.
func (l *LATM) Configured(mux []byte) error {
	return l.readMux(&bits.Reader{Data: mux, Malformed: ErrMalformed})
}

// Config returns the AudioSpecificConfig in force, as bytes and as read; ok is
// false as long as none has come.
func (l *LATM) Config() (raw []byte, c Config, ok bool) { return l.config, l.parsed, l.known }

// readMux reads StreamMuxConfig (table 1.42).
func (l *LATM) readMux(r *bits.Reader) error {
	l.known = false
	version := r.Flag()
	if version && r.Flag() {
		return fmt.Errorf("%w: audioMuxVersionA 1", ErrUnsupported)
	}
	if version {
		latmValue(r) // taraBufferFullness
	}
	sameTiming := r.Flag()
	l.subFrames = int(r.U(6)) + 1
	programs, layers := r.U(4), r.U(3)
	if r.Err == nil && (!sameTiming || programs > 0 || layers > 0 || l.subFrames > maxSubFrames) {
		return fmt.Errorf("%w: LATM of several programs, layers or timings", ErrUnsupported)
	}
	if err := l.readConfigIn(r, version); err != nil {
		return err
	}
	const bufferFullness = 8
	if lengthType := r.U(3); lengthType != 0 && r.Err == nil {
		return fmt.Errorf("%w: LATM frame length type %d", ErrUnsupported, lengthType)
	}
	r.U(bufferFullness)
	l.readOther(r, version)
	if r.Flag() {
		r.U(8) // crcCheckSum
	}
	l.known = r.Err == nil
	return r.Err
}

// readConfigIn reads the AudioSpecificConfig within, and keeps its bytes, which
// need not begin at one.
func (l *LATM) readConfigIn(r *bits.Reader, version bool) (err error) {
	length := 0
	if version {
		length = int(latmValue(r))
	}
	begin := r.Pos
	if l.parsed, err = readConfig(r); err != nil {
		return err
	}
	if version {
		if length < r.Pos-begin || length > r.Left()+(r.Pos-begin) {
			return fmt.Errorf("%w: configuration of %d bits", ErrMalformed, length)
		}
		l.config = aligned(r.Data, begin, length)
		l.parsed, err = ParseConfig(l.config)
		r.Pos = begin + length
		return err
	}
	l.config = aligned(r.Data, begin, r.Pos-begin)
	return nil
}

// readOther notes how much stands behind the payloads.
func (l *LATM) readOther(r *bits.Reader, version bool) {
	l.otherBits = 0
	if !r.Flag() {
		return
	}
	if version {
		l.otherBits = int(latmValue(r))
		return
	}
	for more := true; more && r.Err == nil; {
		more = r.Flag()
		l.otherBits = l.otherBits<<8 + int(r.U(8))
		if l.otherBits > 1<<20 {
			r.Fail("more than a megabit of other data")
		}
	}
}

// Element takes an AudioMuxElement (table 1.41) and calls unit with each access
// unit in it, whose bytes are a copy. Elements that come before any configuration
// are left out.
func (l *LATM) Element(data []byte, unit func([]byte)) error {
	r := &bits.Reader{Data: data, Malformed: ErrMalformed}
	if l.InBand && !r.Flag() {
		if err := l.readMux(r); err != nil {
			return err
		}
	}
	if !l.known {
		return r.Err
	}
	var units [][]byte
	for range l.subFrames {
		n := payloadLength(r)
		if r.Err != nil || n*8 > r.Left() {
			return fmt.Errorf("%w: access unit of %d bytes with %d bits left", ErrMalformed, n, r.Left())
		}
		units = append(units, aligned(data, r.Pos, n*8))
		r.Pos += n * 8
	}
	for _, u := range units {
		if len(u) > 0 {
			unit(u)
		}
	}
	return nil
}

// payloadLength reads PayloadLengthInfo (table 1.44): bytes up to one below 255.
func payloadLength(r *bits.Reader) (n int) {
	const more = 255
	for {
		b := int(r.U(8))
		n += b
		if b != more || r.Err != nil {
			return n
		}
	}
}

// latmValue reads LatmGetValue (table 1.43).
func latmValue(r *bits.Reader) uint32 {
	return r.U(8 * int(r.U(2)+1))
}

// aligned copies n bits from a place that need not be the beginning of a byte.
func aligned(data []byte, from, n int) []byte {
	out := make([]byte, (n+7)/8)
	r := bits.Reader{Data: data, Pos: from}
	for i := range out {
		width := min(8, n-8*i)
		out[i] = byte(r.U(width) << (8 - width))
	}
	return out
}
