package rtp

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"time"

	"github.com/pion/rtp"

	"webostrum/core/accessunit"
	"webostrum/core/jpeg"
	"webostrum/core/media"
)

// RFC 2435, 3.1.
const (
	jpegHead       = 8
	jpegRestart    = 4    // header of restart markers, of types from 64 on
	jpegTablesHead = 4    // header of quantisation tables, of Q from 128 on
	jpegHalved     = 1    // type of 4:2:0; 0 is 4:2:2
	jpegRestarts   = 64   // added to the type where there are restart markers
	jpegOwnTables  = 128  // Q from which tables are in band
	jpegChanging   = 255  // Q of tables that change at any time
	jpegStep       = 8    // width and height are counted in
	jpegLargest    = 2040 // pixels a side that the head can tell
)

// jpegUnits puts pictures together by RFC 2435. Pictures larger than 2040 pixels a side take
// their size from the header of the picture itself where the sender puts it into an RTP
// header extension (ONVIF Streaming Specification, 5.1.4), else from the session description.
type jpegUnits struct {
	sink          accessunit.Sink
	width, height int              // of the session description
	tables        map[uint8][]byte // in band, by Q
	wide          map[uint8]uint8  // precision of those

	open    bool
	ended   bool // the picture of time has
	time    uint32
	arrived time.Time
	picture jpeg.Baseline // the header, once its first packet has come
	buf     []byte        // the entropy-coded segment so far
	bad     accessunit.DropReason
	config  *media.VideoConfig // of the newest picture
}

func newJPEGUnits(p Params, sink accessunit.Sink) *jpegUnits {
	return &jpegUnits{sink: sink, width: p.Width, height: p.Height, tables: map[uint8][]byte{}, wide: map[uint8]uint8{}}
}

// jpegPacket is a payload's head.
type jpegPacket struct {
	offset        int
	kind, q       uint8
	width, height int
	restart       int
	body          []byte
}

// parseJPEG reads a payload's head:
//
//	| type-specific, 8 | fragment offset, 24 | type, 8 | Q, 8 | width/8, 8 | height/8, 8 |
func parseJPEG(b []byte) (p jpegPacket, err error) {
	if len(b) < jpegHead {
		return p, fmt.Errorf("rtp: JPEG payload of %d bytes", len(b))
	}
	p = jpegPacket{
		offset: int(binary.BigEndian.Uint32(b) & 0xffffff), kind: b[4], q: b[5],
		width: int(b[6]) * jpegStep, height: int(b[7]) * jpegStep, body: b[jpegHead:],
	}
	if p.kind&^jpegRestarts > jpegHalved {
		return p, fmt.Errorf("rtp: JPEG of type %d, which is not handled", p.kind)
	}
	if p.kind >= jpegRestarts {
		if len(p.body) < jpegRestart {
			return p, fmt.Errorf("rtp: restart header of %d bytes", len(p.body))
		}
		p.restart = int(binary.BigEndian.Uint16(p.body))
		p.body = p.body[jpegRestart:]
	}
	return p, nil
}

// Restart implements Depacketizer.
func (u *jpegUnits) Restart() { u.open, u.ended = false, false }

// Push implements Depacketizer.
func (u *jpegUnits) Push(p *rtp.Packet, lost int, now time.Time) {
	if u.open && p.Timestamp != u.time {
		u.bad = accessunit.DropHole
		u.finish()
	}
	part, err := parseJPEG(p.Payload)
	if !u.open {
		if err == nil && u.ended && part.offset > 0 && p.Timestamp == u.time && lost == 0 {
			return // the rest of a picture that has ended
		}
		u.open, u.time, u.arrived, u.bad, u.buf = true, p.Timestamp, now, accessunit.DropUnknown, u.buf[:0]
	}
	if err == nil && part.offset == 0 {
		err = u.head(p, &part)
	}
	switch {
	case u.bad != accessunit.DropUnknown: // the rest of it is of no use
	case err != nil:
		u.bad = accessunit.DropMalformed
	case part.offset != len(u.buf):
		u.bad = accessunit.DropHole
	case len(u.buf)+len(part.body) > accessunit.MaxPicture:
		u.bad = accessunit.DropTooLarge
	default:
		u.buf = append(u.buf, part.body...)
	}
	if p.Marker {
		u.finish()
	}
}

// head takes what a picture's first packet says of it.
func (u *jpegUnits) head(p *rtp.Packet, part *jpegPacket) (err error) {
	const ownSegments = 0xffd8 // profile of the header extension
	u.picture = jpeg.Baseline{Width: part.width, Height: part.height, Halved: part.kind&^jpegRestarts == jpegHalved, RestartInterval: part.restart}
	if part.width == 0 || part.height == 0 { // larger than can be told
		u.picture.Width, u.picture.Height = u.width, u.height
	}
	if part.q >= jpegOwnTables {
		if err = u.takeTables(part); err != nil {
			return err
		}
		u.picture.Quantisation, u.picture.Wide = u.tables[part.q], u.wide[part.q]
	} else {
		u.picture.Quantisation = jpeg.QuantisationOf(int(part.q))
	}
	if p.Extension && p.ExtensionProfile == ownSegments {
		u.picture.Own = bytes.Clone(p.GetExtension(0))
	}
	return nil
}

// takeTables reads the header of quantisation tables (3.1.8):
//
//	| MBZ, 8 | precision, 8 | length, 16 | tables
func (u *jpegUnits) takeTables(part *jpegPacket) error {
	b := part.body
	if len(b) < jpegTablesHead {
		return fmt.Errorf("rtp: tables header of %d bytes", len(b))
	}
	precision, n := b[1], int(binary.BigEndian.Uint16(b[2:]))
	b = b[jpegTablesHead:]
	const one, most = 64, 4 * 64
	if n > len(b) || n > most || n > 0 && n < one {
		return fmt.Errorf("rtp: tables of %d bytes with %d left", n, len(b))
	}
	if n > 0 {
		u.tables[part.q], u.wide[part.q] = bytes.Clone(b[:n]), precision
	} else if part.q == jpegChanging || u.tables[part.q] == nil {
		return fmt.Errorf("rtp: no tables for Q %d", part.q)
	}
	part.body = b[n:]
	return nil
}

// finish ends the picture: passes it on, or says why not.
func (u *jpegUnits) finish() {
	u.open, u.ended = false, true
	if u.bad != accessunit.DropUnknown {
		u.sink.Dropped(u.bad)
		return
	}
	head := u.picture.Header()
	h, err := jpeg.Parse(head)
	if err != nil {
		u.sink.Dropped(accessunit.DropMalformed)
		return
	}
	data := make([]byte, 0, len(head)+len(u.buf)+len(endOfImage))
	data = append(append(data, head...), u.buf...)
	if !bytes.HasSuffix(data, endOfImage) {
		data = append(data, endOfImage...)
	}
	if c := u.config; c == nil || c.Width != h.Width || c.Height != h.Height || c.Profile != h.Sampling {
		u.config = h.Config()
	}
	u.sink.Unit(&accessunit.Unit{Data: data, Stamp: uint64(u.time), Arrived: u.arrived, Key: true, Slices: 1, Config: u.config})
}

var endOfImage = []byte{0xff, 0xd9}

// jpegPayloads cuts a picture, with its tables in its first packet; nothing for one that the
// format does not carry.
func jpegPayloads(data []byte, room int) (list [][]byte) {
	p, scan, err := jpeg.Split(data)
	if err != nil || p.Width%jpegStep != 0 || p.Height%jpegStep != 0 || max(p.Width, p.Height) > jpegLargest {
		return nil
	}
	for offset := 0; offset < len(scan); {
		b := jpegPayloadHead(p, offset)
		n := min(len(scan)-offset, room-len(b))
		list = append(list, append(b, scan[offset:offset+n]...))
		offset += n
	}
	return list
}

func jpegPayloadHead(p jpeg.Baseline, offset int) []byte {
	kind := byte(0)
	if p.Halved {
		kind = jpegHalved
	}
	if p.RestartInterval > 0 {
		kind += jpegRestarts
	}
	b := binary.BigEndian.AppendUint32(nil, uint32(offset))
	b = append(b, kind, jpegChanging, byte(p.Width/jpegStep), byte(p.Height/jpegStep))
	if p.RestartInterval > 0 {
		const wholePicture = 0xffff // first and last part, and no count (3.1.7)
		b = binary.BigEndian.AppendUint16(binary.BigEndian.AppendUint16(b, uint16(p.RestartInterval)), wholePicture)
	}
	if offset == 0 {
		b = binary.BigEndian.AppendUint16(append(b, 0, p.Wide), uint16(len(p.Quantisation)))
		b = append(b, p.Quantisation...)
	}
	return b
}
