package rtp

import (
	"bytes"
	"errors"
	"fmt"
	"time"

	"encoding/binary"

	"github.com/pion/rtp"

	"webostrum/core/media"
	"webostrum/core/nalu"
)

const maxPicture = 8 << 20

// AccessUnit is one coded picture as it came, whole.
type AccessUnit struct {
	Data    []byte // as in media.Sample, without parameter sets and delimiters
	RTPTime uint32
	Arrived time.Time // of its first packet
	Key     bool
	B       bool               // holds a B slice; false where the payload format does not tell
	Slices  int                // NAL units that hold picture data
	Sets    bool               // parameter sets came with it
	Config  *media.VideoConfig // in force; never nil
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

// Depacketizer makes access units out of the packets of one stream, which must come in
// order, see Reorderer. A picture with a hole is dropped whole.
type Depacketizer interface {
	// Push takes the next packet. lost is how many are missing just before it.
	Push(p *rtp.Packet, lost int, now time.Time)

	// Restart drops the picture in the making: what comes next is another stream.
	Restart()
}

// Sink is where a depacketiser's pictures go.
type Sink struct {
	Unit    func(*AccessUnit)
	Dropped func(DropReason)
}

// NewDepacketizer makes a depacketiser for a codec's payload format: RFC 6184, packetisation
// modes 0 and 1, for H.264; RFC 7798, without interleaving, for H.265; RFC 2435 for JPEG. The
// format's own settings are Params; parameter sets that do not parse are left out, since the
// stream brings its own.
func NewDepacketizer(codec media.Codec, params Params, sink Sink) (Depacketizer, error) {
	switch codec {
	case media.H264:
		return newUnits(&h264Syntax{}, params, sink), nil
	case media.H265:
		return newUnits(&h265Syntax{donl: params.DecodingOrder}, params, sink), nil
	case media.JPEG:
		return newJPEGUnits(params, sink), nil
	}
	return nil, fmt.Errorf("rtp: no payload format for %s", codec)
}

// Params are what a session description says of a payload format.
type Params struct {
	Sets          [][]byte // parameter set NAL units; may be empty
	DecodingOrder bool     // H.265: packets carry decoding order numbers (sprop-max-don-diff over 0)
	Width, Height int      // JPEG: of pictures too large for the payload header; 0 when not said
}

// syntax is a payload format of NAL units.
type syntax interface {
	// unpack hands a payload's units and fragments over.
	unpack(payload []byte, to *units) error

	// first returns the head of the first unit of a payload, as far as it is in it; nil
	// for the inner part of a fragmented one.
	first(payload []byte) []byte

	// look says what a unit is, by its beginning.
	look(unit []byte) (about, error)

	add(set []byte) error
	config() *media.VideoConfig
}

// about is what there is to know of a NAL unit.
type about struct {
	set     bool // a parameter set
	keep    bool // it stays in the picture
	leads   bool // a picture begins with it, whatever it is
	picture bool // it holds a part of the picture
	opens   bool // the first part
	key     bool // decoding can start at the picture
	refresh bool // it can, and the picture is right some frames later
	b       bool
	skip    bool // the picture cannot be decoded after joining at the last keyframe
}

// units puts access units together from a payload format of NAL units.
//
// Since what follows refers to a picture that was dropped, nothing is passed on then until
// the next that can be decoded by itself.
type units struct {
	syntax
	sink Sink

	buf       []byte // the access unit in the making; reused, never handed out
	fragment  int    // offset in buf of the NAL unit being put together, -1 if none
	open      bool
	time      uint32
	arrived   time.Time
	bad       DropReason
	seen      about // of all units so far
	slices    int
	decodable bool // a keyframe was passed on and nothing since was lost
	joined    bool // decoding began at the keyframe before
	closed    bool // the marker of the picture with closedAt was seen
	closedAt  uint32
	noMarker  bool // the sender's marker bits are not to be trusted
	refreshes int  // pictures with a gradual refresh since the last keyframe
}

// gradual is how many gradual refreshes without a keyframe between them show that there are
// no keyframes: then each of them counts as one.
const gradual = 2

// countRefresh takes note of whether a picture that is whole begins a gradual refresh.
func (u *units) countRefresh() {
	switch {
	case u.seen.key:
		u.refreshes = 0
	case u.seen.refresh:
		u.refreshes++
		u.seen.key = u.refreshes >= gradual
	}
}

func newUnits(s syntax, params Params, sink Sink) *units {
	u := &units{syntax: s, sink: sink, fragment: -1}
	for _, set := range params.Sets {
		_ = u.add(set)
	}
	return u
}

// Restart implements Depacketizer.
func (u *units) Restart() {
	u.open, u.closed, u.decodable = false, false, false
	u.reset()
}

func (u *units) reset() {
	u.buf, u.fragment = u.buf[:0], -1
	u.bad, u.seen, u.slices = DropUnknown, about{}, 0
}

// Push implements Depacketizer.
func (u *units) Push(p *rtp.Packet, lost int, now time.Time) {
	if lost > 0 {
		u.hole(p, now)
	}
	// A clock that stands still ends no picture; the next one's beginning does.
	if u.open && (p.Timestamp != u.time || u.slices > 0 && u.bad == DropUnknown && u.starts(p.Payload)) {
		u.finish()
	}
	if !u.open {
		if u.closed && p.Timestamp == u.closedAt && !u.noMarker && u.continues(p.Payload) {
			// Some cameras set the marker on every slice. What was passed on was a
			// part of a picture; from here on only the timestamp ends one.
			u.noMarker = true
			u.decodable = false
		}
		u.begin(p.Timestamp, now)
	}
	if err := u.unpack(p.Payload, u); err != nil {
		u.spoil(DropMalformed)
	}
	if p.Marker && !u.noMarker {
		u.finish()
	}
}

// hole marks what is open as incomplete, and the picture of p too, unless p is
// plainly its beginning.
func (u *units) hole(p *rtp.Packet, now time.Time) {
	begins := u.starts(p.Payload)
	if u.open {
		u.spoil(DropHole)
		if begins || p.Timestamp != u.time {
			u.finish()
		}
	}
	u.decodable = false
	if !u.open && !begins {
		u.begin(p.Timestamp, now)
		u.bad = DropHole
	}
}

func (u *units) begin(ts uint32, now time.Time) {
	u.open, u.time, u.arrived = true, ts, now
	u.reset()
}

func (u *units) spoil(why DropReason) {
	if u.bad == DropUnknown {
		u.bad = why
	}
	u.fragment = -1
	u.buf = u.buf[:0]
}

// finish ends the picture: passes it on, or says why not.
func (u *units) finish() {
	if !u.open {
		return
	}
	u.open = false
	if u.fragment >= 0 {
		u.spoil(DropHole)
	}
	if u.bad == DropUnknown && u.slices == 0 {
		return // parameter sets or messages alone: they belong to what follows
	}
	u.closed, u.closedAt = true, u.time
	config := u.config()
	if u.bad == DropUnknown {
		u.countRefresh()
	}
	if u.seen.key && u.bad == DropUnknown && config != nil {
		u.joined = !u.decodable
		u.decodable = true
	}
	switch {
	case u.bad != DropUnknown:
		u.decodable = false
		u.sink.Dropped(u.bad)
	case !u.decodable || u.seen.skip && u.joined:
		u.sink.Dropped(DropWaiting)
	default:
		u.sink.Unit(&AccessUnit{
			Data: bytes.Clone(u.buf), RTPTime: u.time, Arrived: u.arrived,
			Key: u.seen.key, B: u.seen.b, Slices: u.slices, Sets: u.seen.set, Config: config,
		})
	}
}

// errUnfinished is returned for a unit that begins before the fragmented one
// before it has ended.
var errUnfinished = errors.New("rtp: a unit begins within a fragmented one")

// unit takes a whole NAL unit.
func (u *units) unit(unit []byte) error {
	if u.fragment >= 0 {
		return errUnfinished
	}
	if len(u.buf)+len(unit) > maxPicture {
		u.spoil(DropTooLarge)
		return nil
	}
	keep, err := u.note(unit)
	if keep {
		u.buf = nalu.Append(u.buf, unit)
	}
	return err
}

// part takes a part of a fragmented unit; head is its header, as it was before.
func (u *units) part(head, b []byte, start, end bool) error {
	if start {
		if u.fragment >= 0 {
			return errUnfinished
		}
		u.fragment = len(u.buf)
		u.buf = append(append(u.buf, 0, 0, 0, 0), head...)
	} else if u.fragment < 0 {
		return errors.New("rtp: fragment without a beginning")
	}
	if len(u.buf)+len(b) > maxPicture {
		u.spoil(DropTooLarge)
		return nil
	}
	u.buf = append(u.buf, b...)
	if end {
		return u.endFragment()
	}
	return nil
}

func (u *units) endFragment() error {
	const lengthLen = 4
	begin := u.fragment
	u.fragment = -1
	unit := u.buf[begin+lengthLen:]
	binary.BigEndian.PutUint32(u.buf[begin:], uint32(len(unit)))
	keep, err := u.note(unit)
	if !keep {
		u.buf = u.buf[:begin]
	}
	return err
}

// aggregate takes units behind 16-bit sizes; before is the bytes in front of each size.
func (u *units) aggregate(b []byte, before func(index int) int) error {
	const sizeLen = 2
	for i := 0; len(b) > 0; i++ {
		skip := before(i)
		if len(b) < skip+sizeLen {
			return fmt.Errorf("rtp: %d bytes left over in an aggregation packet", len(b))
		}
		n := int(binary.BigEndian.Uint16(b[skip:]))
		b = b[skip+sizeLen:]
		if n > len(b) {
			return fmt.Errorf("rtp: unit of %d bytes in an aggregation packet with %d left", n, len(b))
		}
		if err := u.unit(b[:n]); err != nil {
			return err
		}
		b = b[n:]
	}
	return nil
}

// note takes note of what a NAL unit is and says whether it stays in the picture.
func (u *units) note(unit []byte) (keep bool, err error) {
	a, err := u.look(unit)
	switch {
	case err != nil:
		return false, err
	case a.set:
		u.seen.set = true
		return false, u.add(unit)
	case a.picture:
		u.slices++
	}
	u.seen.key = u.seen.key || a.key
	u.seen.b = u.seen.b || a.b
	u.seen.skip = u.seen.skip || a.skip
	u.seen.refresh = u.seen.refresh || a.refresh
	return a.keep, nil
}

// starts says whether a payload is plainly the beginning of an access unit.
func (u *units) starts(payload []byte) bool {
	a, err := u.look(u.first(payload))
	return err == nil && (a.leads || a.opens)
}

// continues says whether a payload begins with a part of a picture that is not its
// beginning.
func (u *units) continues(payload []byte) bool {
	unit := u.first(payload)
	if unit == nil {
		return len(payload) > 1
	}
	a, err := u.look(unit)
	return err == nil && a.picture && !a.opens
}
