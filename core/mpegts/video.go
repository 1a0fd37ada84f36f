package mpegts

import (
	"bytes"
	"time"

	"webostrum/core/accessunit"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/program"
)

// video makes pictures of the units of one stream. As a rule a unit is one picture; where
// one turns out to go on in the next, only the beginning of another ends it from then on.
type video struct {
	to      *program.Receiver
	pes     pes
	arrived time.Time // of the unit in the making

	open     bool   // a picture is in the making
	stamp    uint64 // of the newest picture
	step     uint64 // from one to the next
	split    bool   // pictures go over several units
	tail     []byte // NAL unit that goes on in the next unit; where those are cut anywhere
	cut      bool   // units are cut anywhere
	early    bool   // the unit before ended with a stuffed packet
	noEarly  bool   // which is not to be trusted
	lost     bool   // something is missing of the unit in the making, or before it
	pictures int
	left     int // bytes of the unit at hand, until a picture has begun in it: as a rule it is all of it
}

const usualStep = clock / 25

// unit takes a unit that is whole.
func (v *video) unit(p *pes) {
	body := p.taken()
	next := v.stamp + max(v.step, 1)
	if p.hasPTS {
		if step := p.pts - v.stamp; v.pictures > 0 && step < clock {
			v.step = step
		}
		next = p.pts
	}
	if v.lost {
		v.missing()
		v.drop(next)
		return
	}
	v.stream(body, next)
	if !v.split && !v.cut {
		v.finish()
	}
}

// missing says that something before what comes next is missing.
func (v *video) missing() {
	v.lost, v.tail = false, nil
	v.spoil()
}

// drop counts a unit that is damaged.
func (v *video) drop(stamp uint64) {
	v.stamp = stamp
	if b := v.to.Builder(); b != nil {
		b.Begin(stamp, v.arrived)
		b.Spoil(accessunit.DropHole)
		b.Finish()
	}
}

// stream takes a unit's byte stream; stamp is of the first picture that begins in it.
func (v *video) stream(body []byte, stamp uint64) {
	head, ok := startOf(body)
	if !ok || head > 0 { // it begins within a NAL unit
		if !v.cut {
			v.cut = true
			v.spoil()
		}
		if !ok {
			head = len(body)
		}
		v.tail = append(v.tail, body[:head]...)
	}
	if len(v.tail) > 0 {
		v.nal(bytes.TrimRight(v.tail, "\x00"), &stamp)
		v.tail = v.tail[:0]
	}
	v.left = len(body)
	var last []byte
	for nal := range nalu.SplitByteStream(body[head:]) {
		if last != nil {
			v.nal(last, &stamp)
		}
		last = nal
	}
	switch {
	case last == nil:
	case v.cut && len(last) < accessunit.MaxPicture:
		v.tail = append(v.tail, last...)
	default:
		v.nal(last, &stamp)
	}
}

// startOf is where the first start code is, with the zeros before it.
func startOf(b []byte) (at int, ok bool) {
	at = bytes.Index(b, []byte{0, 0, 1})
	if at < 0 {
		return 0, false
	}
	for at > 0 && b[at-1] == 0 {
		at--
	}
	return at, true
}

// nal takes a NAL unit; stamp is that of the next picture, and moves on with each.
func (v *video) nal(unit []byte, stamp *uint64) {
	b := v.to.Builder()
	if len(unit) == 0 || b == nil {
		return
	}
	about, err := b.Look(unit)
	begins := err == nil && (about.Leads || about.Opens)
	switch {
	case v.open && begins && !b.Empty():
		v.finish()
	case !v.open && err == nil && about.Picture && !about.Opens && v.pictures > 0:
		// What was passed on was a part of a picture.
		v.split, v.noEarly = true, true
		b.Lost()
	}
	if !v.open {
		v.open = true
		v.pictures++
		if v.left > 0 {
			b.BeginSized(*stamp, v.arrived, v.left)
		} else {
			b.Begin(*stamp, v.arrived)
		}
		v.left = 0
		v.stamp = *stamp
		*stamp += max(v.step, 1)
	}
	if b.NAL(unit) != nil {
		b.Spoil(accessunit.DropMalformed)
	}
}

func (v *video) finish() {
	if b := v.to.Builder(); v.open && b != nil {
		b.Finish()
	}
	v.open = false
}

// spoil says that something of the picture in the making is missing, and that what follows
// may refer to it.
func (v *video) spoil() {
	b := v.to.Builder()
	if b == nil {
		return
	}
	if v.open {
		b.Spoil(accessunit.DropHole)
		v.finish()
	}
	b.Lost()
}

// push takes a packet of the stream.
func (v *video) push(p packet, now time.Time) {
	if p.start {
		v.end()
		if v.lost {
			v.missing()
		}
		v.early = false
		v.arrived = now
		v.pes.begin(p.payload)
	} else if v.early {
		v.noEarly, v.early = true, false // what was ended early goes on
		v.spoil()
		return
	} else if v.pes.open && !v.pes.more(p.payload) {
		v.lost = true
	}
	switch {
	case v.pes.whole():
		v.end()
	case v.pes.open && v.pes.want == 0 && p.stuffed && !v.noEarly && len(v.pes.body) > 0:
		v.end()
		v.early = true
	}
}

// end takes the unit that is in the making.
func (v *video) end() {
	if v.pes.open {
		v.unit(&v.pes)
	}
}

// codecOf is how a stream of video is coded; empty for one that is not handled.
func codecOf(s Stream) media.Codec {
	switch s.Kind {
	case kindH264:
		return media.H264
	case kindH265:
		return media.H265
	}
	return ""
}
