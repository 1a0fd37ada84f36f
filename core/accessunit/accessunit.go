// Package accessunit puts coded pictures together from the NAL units of H.264 and H.265, and
// passes on those that can be decoded: whatever carries the units, RTP, a transport stream or
// messages, they are the same.
//
// Limits: a picture over 8 MiB is dropped.
package accessunit

import (
	"fmt"
	"time"

	"webostrum/core/media"
)

// MaxPicture is the bytes that a picture may have.
const MaxPicture = 8 << 20

// Unit is one coded picture as it came, whole.
type Unit struct {
	Data    []byte    // as in media.Sample, without parameter sets and delimiters
	Stamp   uint64    // presentation time, as its carrier tells it
	Arrived time.Time // of its beginning
	Key     bool
	B       bool               // holds a B slice; false where the codec's headers do not tell
	Slices  int                // NAL units that hold picture data
	Sets    bool               // parameter sets came with it
	Config  *media.VideoConfig // in force; never nil
}

// DropReason says why a picture was not passed on.
type DropReason uint8

// The reasons for dropping a picture.
const (
	DropUnknown   DropReason = iota
	DropHole                 // a part of it is missing
	DropWaiting              // a picture that it refers to is missing, or there was no keyframe yet
	DropMalformed            // what came does not make sense
	DropTooLarge
)

// Sink is where pictures go.
type Sink struct {
	Unit    func(*Unit)
	Dropped func(DropReason)
}

// About is what there is to know of a NAL unit.
type About struct {
	Set     bool // a parameter set
	Keep    bool // it stays in the picture
	Leads   bool // a picture begins with it, whatever it is
	Picture bool // it holds a part of the picture
	Opens   bool // the first part
	Key     bool // decoding can start at the picture
	Refresh bool // it can, and the picture is right some frames later
	B       bool
	Skip    bool // the picture cannot be decoded after joining at the last keyframe
}

// Syntax is what a codec's NAL units mean. It keeps the parameter sets.
type Syntax interface {
	// Look says what a unit is, by its beginning.
	Look(unit []byte) (About, error)

	// Add takes a parameter set, and copies it.
	Add(set []byte) error

	// Config returns the configuration in force; nil as long as a set is missing.
	Config() *media.VideoConfig
}

// SyntaxOf returns the syntax of a codec.
func SyntaxOf(codec media.Codec) (Syntax, error) {
	switch codec {
	case media.H264:
		return &h264Syntax{}, nil
	case media.H265:
		return &h265Syntax{}, nil
	}
	return nil, fmt.Errorf("accessunit: %s does not come in NAL units", codec)
}
