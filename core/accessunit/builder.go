package accessunit

import (
	"bytes"
	"encoding/binary"
	"errors"
	"time"

	"webostrum/core/nalu"
)

// Builder makes one picture after another. Since what follows refers to a picture that was
// dropped, nothing is passed on then until the next that can be decoded by itself. It is not
// safe for concurrent use.
type Builder struct {
	Syntax
	sink Sink

	buf       []byte // the picture in the making
	own       bool   // buf was made for it, and is handed out with it; otherwise it is reused
	fragment  int    // offset in buf of the NAL unit being put together, -1 if none
	stamp     uint64
	arrived   time.Time
	bad       DropReason
	seen      About // of all units so far
	slices    int
	decodable bool // a keyframe was passed on and nothing since was lost
	joined    bool // decoding began at the keyframe before
	refreshes int  // pictures with a gradual refresh since the last keyframe
}

// NewBuilder makes a builder. Parameter sets that are known beforehand may be given; those
// that do not parse are left out, since the stream brings its own.
func NewBuilder(s Syntax, sets [][]byte, sink Sink) *Builder {
	b := &Builder{Syntax: s, sink: sink, fragment: -1}
	for _, set := range sets {
		_ = b.Add(set)
	}
	return b
}

// Begin begins a picture; what was in the making is forgotten.
func (b *Builder) Begin(stamp uint64, arrived time.Time) {
	if b.own {
		b.buf, b.own = nil, false
	}
	b.stamp, b.arrived = stamp, arrived
	b.buf, b.fragment = b.buf[:0], -1
	b.bad, b.seen, b.slices = DropUnknown, About{}, 0
}

// BeginSized is Begin of a picture that is known to have about so many bytes, all of which are
// there: it is put together where it stays.
func (b *Builder) BeginSized(stamp uint64, arrived time.Time, size int) {
	const lengths = 64 // that grow, of some units
	b.Begin(stamp, arrived)
	b.buf, b.own = make([]byte, 0, min(size, MaxPicture)+lengths), true
}

// Whole says that nothing of the picture in the making is known to be missing, and that there
// is picture data in it.
func (b *Builder) Whole() bool { return b.slices > 0 && b.bad == DropUnknown }

// Empty says that no picture data has come yet.
func (b *Builder) Empty() bool { return b.slices == 0 }

// Lost says that something between the pictures is missing, so that nothing can be decoded
// until the next keyframe.
func (b *Builder) Lost() { b.decodable = false }

// Spoil says that the picture in the making cannot be used.
func (b *Builder) Spoil(why DropReason) {
	if b.bad == DropUnknown {
		b.bad = why
	}
	b.fragment = -1
	b.buf = b.buf[:0]
}

// Finish ends the picture: passes it on, or says why not. What has no picture data belongs to
// what follows, and is no picture: ended is false.
func (b *Builder) Finish() (ended bool) {
	if b.fragment >= 0 {
		b.Spoil(DropHole)
	}
	if b.bad == DropUnknown && b.slices == 0 {
		return false
	}
	config := b.Config()
	if b.bad == DropUnknown {
		b.countRefresh()
	}
	if b.seen.Key && b.bad == DropUnknown && config != nil {
		b.joined = !b.decodable
		b.decodable = true
	}
	switch {
	case b.bad != DropUnknown:
		b.decodable = false
		b.sink.Dropped(b.bad)
	case !b.decodable || b.seen.Skip && b.joined:
		b.sink.Dropped(DropWaiting)
	default:
		data := b.buf
		if !b.own {
			data = bytes.Clone(b.buf)
		}
		b.sink.Unit(&Unit{
			Data: data, Stamp: b.stamp, Arrived: b.arrived,
			Key: b.seen.Key, B: b.seen.B, Slices: b.slices, Sets: b.seen.Set, Config: config,
		})
	}
	return true
}

// gradual is how many gradual refreshes without a keyframe between them show that there are
// no keyframes: then each of them counts as one.
const gradual = 2

// countRefresh takes note of whether a picture that is whole begins a gradual refresh.
func (b *Builder) countRefresh() {
	switch {
	case b.seen.Key:
		b.refreshes = 0
	case b.seen.Refresh:
		b.refreshes++
		b.seen.Key = b.refreshes >= gradual
	}
}

// errUnfinished is returned for a unit that begins before the fragmented one
// before it has ended.
var errUnfinished = errors.New("accessunit: a unit begins within a fragmented one")

// NAL takes a whole NAL unit.
func (b *Builder) NAL(unit []byte) error {
	if b.fragment >= 0 {
		return errUnfinished
	}
	if len(b.buf)+len(unit) > MaxPicture {
		b.Spoil(DropTooLarge)
		return nil
	}
	keep, err := b.note(unit)
	if keep {
		b.buf = nalu.Append(b.buf, unit)
	}
	return err
}

// Part takes a part of a fragmented unit; head is its header, as it was before.
func (b *Builder) Part(head, part []byte, start, end bool) error {
	if start {
		if b.fragment >= 0 {
			return errUnfinished
		}
		b.fragment = len(b.buf)
		b.buf = append(append(b.buf, 0, 0, 0, 0), head...)
	} else if b.fragment < 0 {
		return errors.New("accessunit: fragment without a beginning")
	}
	if len(b.buf)+len(part) > MaxPicture {
		b.Spoil(DropTooLarge)
		return nil
	}
	b.buf = append(b.buf, part...)
	if end {
		return b.endFragment()
	}
	return nil
}

func (b *Builder) endFragment() error {
	const lengthLen = 4
	begin := b.fragment
	b.fragment = -1
	unit := b.buf[begin+lengthLen:]
	binary.BigEndian.PutUint32(b.buf[begin:], uint32(len(unit)))
	keep, err := b.note(unit)
	if !keep {
		b.buf = b.buf[:begin]
	}
	return err
}

// note takes note of what a NAL unit is and says whether it stays in the picture.
func (b *Builder) note(unit []byte) (keep bool, err error) {
	a, err := b.Look(unit)
	switch {
	case err != nil:
		return false, err
	case a.Set:
		b.seen.Set = true
		return false, b.Add(unit)
	case a.Picture:
		b.slices++
	}
	b.seen.Key = b.seen.Key || a.Key
	b.seen.B = b.seen.B || a.B
	b.seen.Skip = b.seen.Skip || a.Skip
	b.seen.Refresh = b.seen.Refresh || a.Refresh
	return a.Keep, nil
}
