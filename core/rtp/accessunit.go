package rtp

import (
	"encoding/binary"
	"fmt"
	"time"

	"github.com/pion/rtp"

	"webostrum/core/accessunit"
	"webostrum/core/media"
)

// Depacketizer makes access units out of the packets of one stream, which must come in
// order, see Reorderer. A picture with a hole is dropped whole.
type Depacketizer interface {
	// Push takes the next packet. lost is how many are missing just before it.
	Push(p *rtp.Packet, lost int, now time.Time)

	// Restart drops the picture in the making: what comes next is another stream.
	Restart()
}

// NewDepacketizer makes a depacketiser for a codec's payload format: RFC 6184, packetisation
// modes 0 and 1, for H.264; RFC 7798, without interleaving, for H.265; RFC 2435 for JPEG; RFC 7741
// for VP8. The
// format's own settings are Params; parameter sets that do not parse are left out, since the
// stream brings its own.
func NewDepacketizer(codec media.Codec, params Params, sink accessunit.Sink) (Depacketizer, error) {
	var format payloadFormat
	switch codec {
	case media.H264:
		format = h264Format{}
	case media.H265:
		format = &h265Format{donl: params.DecodingOrder}
	case media.JPEG:
		return newJPEGUnits(params, sink), nil
	case media.VP8:
		return &vp8Units{sink: sink}, nil
	default:
		return nil, fmt.Errorf("rtp: no payload format for %s", codec)
	}
	syntax, err := accessunit.SyntaxOf(codec)
	if err != nil {
		return nil, err
	}
	return &units{payloadFormat: format, Builder: accessunit.NewBuilder(syntax, params.Sets, sink)}, nil
}

// Params are what a session description says of a payload format.
type Params struct {
	Sets          [][]byte // parameter set NAL units; may be empty
	DecodingOrder bool     // H.265: packets carry decoding order numbers (sprop-max-don-diff over 0)
	Width, Height int      // JPEG: of pictures too large for the payload header; 0 when not said
}

// payloadFormat is a payload format of NAL units.
type payloadFormat interface {
	// unpack hands a payload's units and fragments over.
	unpack(payload []byte, to *units) error

	// first returns the head of the first unit of a payload, as far as it is in it; nil
	// for the inner part of a fragmented one.
	first(payload []byte) []byte
}

// units puts access units together from a payload format of NAL units.
type units struct {
	payloadFormat
	*accessunit.Builder

	open     bool
	time     uint32
	closed   bool // the marker of the picture with closedAt was seen
	closedAt uint32
	noMarker bool // the sender's marker bits are not to be trusted
}

// Restart implements Depacketizer.
func (u *units) Restart() {
	u.open, u.closed = false, false
	u.Lost()
}

// Push implements Depacketizer.
func (u *units) Push(p *rtp.Packet, lost int, now time.Time) {
	if lost > 0 {
		u.hole(p, now)
	}
	// A clock that stands still ends no picture; the next one's beginning does.
	if u.open && (p.Timestamp != u.time || u.Whole() && u.starts(p.Payload)) {
		u.finish()
	}
	if !u.open {
		if u.closed && p.Timestamp == u.closedAt && !u.noMarker && u.continues(p.Payload) {
			// Some cameras set the marker on every slice. What was passed on was a
			// part of a picture; from here on only the timestamp ends one.
			u.noMarker = true
			u.Lost()
		}
		u.begin(p.Timestamp, now)
	}
	if err := u.unpack(p.Payload, u); err != nil {
		u.Spoil(accessunit.DropMalformed)
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
		u.Spoil(accessunit.DropHole)
		if begins || p.Timestamp != u.time {
			u.finish()
		}
	}
	u.Lost()
	if !u.open && !begins {
		u.begin(p.Timestamp, now)
		u.Spoil(accessunit.DropHole)
	}
}

func (u *units) begin(ts uint32, now time.Time) {
	u.open, u.time = true, ts
	u.Begin(uint64(ts), now)
}

// finish ends the picture.
func (u *units) finish() {
	if !u.open {
		return
	}
	u.open = false
	if u.Finish() {
		u.closed, u.closedAt = true, u.time
	}
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
		if err := u.NAL(b[:n]); err != nil {
			return err
		}
		b = b[n:]
	}
	return nil
}

// starts says whether a payload is plainly the beginning of an access unit.
func (u *units) starts(payload []byte) bool {
	a, err := u.Look(u.first(payload))
	return err == nil && (a.Leads || a.Opens)
}

// continues says whether a payload begins with a part of a picture that is not its
// beginning.
func (u *units) continues(payload []byte) bool {
	unit := u.first(payload)
	if unit == nil {
		return len(payload) > 1
	}
	a, err := u.Look(unit)
	return err == nil && a.Picture && !a.Opens
}
