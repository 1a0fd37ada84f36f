package rtp

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"time"

	"github.com/pion/rtp"

	"webostrum/core/h264"
	"webostrum/core/media"
)

const maxPicture = 8 << 20

// RFC 6184, table 1.
const (
	typeSTAPA = 24
	typeSTAPB = 25
	typeFUA   = 28
	typeFUB   = 29

	nalTypeMask = 0x1f
	nalHeadMask = 0xe0 // F and NRI
	fuStart     = 0x80
	fuEnd       = 0x40
)

// Picture is one access unit as it came, whole.
type Picture struct {
	Data    []byte // NAL units behind 4-byte lengths, without parameter sets and delimiters
	RTPTime uint32
	Arrived time.Time // of its first packet
	Key     bool
	B       bool                 // holds a B slice
	Slices  int                  // NAL units that hold picture data
	Sets    *media.ParameterSets // in force; never nil
}

// DropReason says why a picture was not passed on.
type DropReason uint8

// The reasons for dropping a picture.
const (
	DropUnknown   DropReason = iota
	DropHole                 // a packet of it is missing
	DropWaiting              // a picture that it refers to is missing, or there was no keyframe yet
	DropMalformed            // the packets do not make sense
	DropTooLarge
)

// H264Depacketizer makes pictures out of the packets of one stream (RFC 6184,
// packetization modes 0 and 1). Packets must come in order, see Reorderer.
//
// A picture with a hole is dropped whole. Since what follows refers to it,
// nothing is passed on then until the next picture that can be decoded by
// itself.
type H264Depacketizer struct {
	Params  h264.ParamKeeper
	Picture func(*Picture)
	Dropped func(DropReason)

	buf       []byte // the access unit in the making; reused, never handed out
	fragment  int    // offset in buf of the NAL unit being put together, -1 if none
	open      bool
	time      uint32
	arrived   time.Time
	bad       DropReason
	key       bool
	b         bool
	slices    int
	decodable bool // a keyframe was passed on and nothing since was lost
	closed    bool // the marker of the picture with closedAt was seen
	closedAt  uint32
	noMarker  bool // the sender's marker bits are not to be trusted
}

// Restart drops the picture in the making: what comes next is another stream.
func (d *H264Depacketizer) Restart() {
	d.open, d.closed, d.decodable, d.fragment, d.buf = false, false, false, -1, d.buf[:0]
	d.bad, d.key, d.b, d.slices = DropUnknown, false, false, 0
}

// Push takes the next packet. lost is how many are missing just before it.
func (d *H264Depacketizer) Push(p *rtp.Packet, lost int, now time.Time) {
	if lost > 0 {
		d.hole(p, now)
	}
	// A clock that stands still ends no picture; the next one's beginning does.
	if d.open && (p.Timestamp != d.time || d.slices > 0 && d.bad == DropUnknown && startsPicture(p.Payload)) {
		d.finish()
	}
	if !d.open {
		if d.closed && p.Timestamp == d.closedAt && !d.noMarker && continuesPicture(p.Payload) {
			// Some cameras set the marker on every slice. What was passed on was a
			// part of a picture; from here on only the timestamp ends one.
			d.noMarker = true
			d.decodable = false
		}
		d.begin(p.Timestamp, now)
	}
	if err := d.payload(p.Payload); err != nil {
		d.spoil(DropMalformed)
	}
	if p.Marker && !d.noMarker {
		d.finish()
	}
}

// hole marks what is open as incomplete, and the picture of p too, unless p is
// plainly its beginning.
func (d *H264Depacketizer) hole(p *rtp.Packet, now time.Time) {
	begins := startsPicture(p.Payload)
	if d.open {
		d.spoil(DropHole)
		if begins || p.Timestamp != d.time {
			d.finish()
		}
	}
	d.decodable = false
	if !d.open && !begins {
		d.begin(p.Timestamp, now)
		d.bad = DropHole
	}
}

func (d *H264Depacketizer) begin(ts uint32, now time.Time) {
	d.open, d.time, d.arrived = true, ts, now
	d.buf, d.fragment = d.buf[:0], -1
	d.bad, d.key, d.b, d.slices = DropUnknown, false, false, 0
}

func (d *H264Depacketizer) spoil(why DropReason) {
	if d.bad == DropUnknown {
		d.bad = why
	}
	d.fragment = -1
	d.buf = d.buf[:0]
}

// finish ends the picture: passes it on, or says why not.
func (d *H264Depacketizer) finish() {
	if !d.open {
		return
	}
	d.open = false
	if d.fragment >= 0 {
		d.spoil(DropHole)
	}
	if d.bad == DropUnknown && d.slices == 0 {
		return // parameter sets or messages alone: they belong to what follows
	}
	d.closed, d.closedAt = true, d.time
	sets := d.Params.Current()
	if d.key && d.bad == DropUnknown && sets != nil {
		d.decodable = true
	}
	switch {
	case d.bad != DropUnknown:
		d.decodable = false
		d.Dropped(d.bad)
	case !d.decodable:
		d.Dropped(DropWaiting)
	default:
		d.Picture(&Picture{
			Data: bytes.Clone(d.buf), RTPTime: d.time, Arrived: d.arrived,
			Key: d.key, B: d.b, Slices: d.slices, Sets: sets,
		})
	}
}

// payload follows RFC 6184, sections 5.6 to 5.8.
func (d *H264Depacketizer) payload(b []byte) error {
	if len(b) == 0 {
		return nil // keepalive packets of some senders
	}
	switch kind := b[0] & nalTypeMask; {
	case kind >= 1 && kind < typeSTAPA:
		return d.nal(b)
	case kind == typeSTAPA:
		return d.aggregate(b[1:])
	case kind == typeFUA:
		return d.fragmentUnit(b)
	case kind == 0 || kind > typeFUB:
		return nil // reserved: to be ignored (5.2)
	default:
		return fmt.Errorf("rtp: packet type %d needs interleaved mode, which is not handled", kind)
	}
}

// aggregate reads STAP-A: units behind 16-bit sizes (5.7.1).
func (d *H264Depacketizer) aggregate(b []byte) error {
	const sizeLen = 2
	for len(b) > 0 {
		if len(b) < sizeLen {
			return fmt.Errorf("rtp: %d bytes left over in an aggregation packet", len(b))
		}
		n := int(binary.BigEndian.Uint16(b))
		b = b[sizeLen:]
		if n > len(b) {
			return fmt.Errorf("rtp: unit of %d bytes in an aggregation packet with %d left", n, len(b))
		}
		if err := d.nal(b[:n]); err != nil {
			return err
		}
		b = b[n:]
	}
	return nil
}

// fragmentUnit reads FU-A (5.8):
//
//	| F NRI 28 | S E R type | part of the NAL unit, without its first byte
func (d *H264Depacketizer) fragmentUnit(b []byte) error {
	const headLen = 2
	if len(b) < headLen {
		return fmt.Errorf("rtp: fragment of %d bytes", len(b))
	}
	head := b[1]
	if head&fuStart != 0 {
		if d.fragment >= 0 {
			return errUnfinished
		}
		d.fragment = len(d.buf)
		d.buf = append(d.buf, 0, 0, 0, 0, b[0]&nalHeadMask|head&nalTypeMask)
	} else if d.fragment < 0 {
		return fmt.Errorf("rtp: fragment without a beginning")
	}
	if len(d.buf)+len(b) > maxPicture {
		d.spoil(DropTooLarge)
		return nil
	}
	d.buf = append(d.buf, b[headLen:]...)
	if head&fuEnd != 0 {
		return d.endFragment()
	}
	return nil
}

func (d *H264Depacketizer) endFragment() error {
	const lengthLen = 4
	begin := d.fragment
	d.fragment = -1
	nal := d.buf[begin+lengthLen:]
	binary.BigEndian.PutUint32(d.buf[begin:], uint32(len(nal)))
	keep, err := d.look(nal)
	if !keep {
		d.buf = d.buf[:begin]
	}
	return err
}

// errUnfinished is returned for a unit that begins before the fragmented one
// before it has ended.
var errUnfinished = errors.New("rtp: a unit begins within a fragmented one")

func (d *H264Depacketizer) nal(nal []byte) error {
	if d.fragment >= 0 {
		return errUnfinished
	}
	if len(d.buf)+len(nal) > maxPicture {
		d.spoil(DropTooLarge)
		return nil
	}
	keep, err := d.look(nal)
	if keep {
		d.buf = h264.AppendNAL(d.buf, nal)
	}
	return err
}

// look takes note of what a NAL unit is and says whether it stays in the
// picture.
func (d *H264Depacketizer) look(nal []byte) (keep bool, err error) {
	switch kind := h264.TypeOf(nal); {
	case kind == h264.NALSPS || kind == h264.NALPPS:
		return false, d.Params.Add(nal)
	case kind == h264.NALAUD || kind == h264.NALFiller || kind == h264.NALEndOfSeq || kind == h264.NALEndStream:
		return false, nil
	case kind == h264.NALSEI:
		d.key = d.key || h264.RecoveryPoint(nal)
		return true, nil
	case kind.IsVCL():
		slice, err := h264.ParseSlice(nal)
		if err != nil && (kind == h264.NALSlice || kind == h264.NALIDR) {
			return false, err
		}
		d.slices++
		d.key = d.key || kind == h264.NALIDR
		d.b = d.b || slice.Kind == h264.SliceB
		return true, nil
	}
	return true, nil
}

// firstUnit returns the head of the first NAL unit of a payload, as far as it
// is in it; nil for the inner part of a fragmented one.
func firstUnit(payload []byte) []byte {
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

// startsPicture says whether a payload is plainly the beginning of an access
// unit (7.4.1.2.3 of H.264): a delimiter, a parameter set, or the first slice.
func startsPicture(payload []byte) bool {
	unit := firstUnit(payload)
	switch kind := h264.TypeOf(unit); kind {
	case h264.NALAUD, h264.NALSPS, h264.NALPPS, h264.NALSEI:
		return true
	case h264.NALSlice, h264.NALIDR, h264.NALPartA:
		slice, err := h264.ParseSlice(unit)
		return err == nil && slice.First
	}
	return false
}

// continuesPicture says whether a payload begins with a part of a picture that
// is not its beginning.
func continuesPicture(payload []byte) bool {
	unit := firstUnit(payload)
	if unit == nil {
		return len(payload) > 1
	}
	if !h264.TypeOf(unit).IsVCL() {
		return false
	}
	slice, err := h264.ParseSlice(unit)
	return err == nil && !slice.First
}
