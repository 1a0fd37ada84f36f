// Package reel holds what simulated cameras play that nothing here can encode live: a round
// trip of the painted scene in H.265, made by scripts/reel.sh.
package reel

import (
	_ "embed"
	"sync"
	"time"

	"webostrum/core/h265"
	"webostrum/core/media"
	"webostrum/core/nalu"
)

// What the film is like.
const (
	Width     = 640
	Height    = 360
	FrameRate = 12.5
	KeyEvery  = 2 * time.Second
	BitRate   = 150_000 // about
)

//go:embed passing-loop.h265
var stream []byte

// Frame is one coded picture, as media.Sample has it.
type Frame struct {
	Key  bool
	Data []byte
}

// Load returns the film's frames in the order in which they are decoded and shown, and how
// they are coded. Nobody may write to them.
var Load = sync.OnceValues(func() ([]Frame, *media.VideoConfig) { return Split(stream) })

// Split takes a byte stream of H.265 apart. Broken parameter sets are left out.
func Split(stream []byte) (frames []Frame, config *media.VideoConfig) {
	var params h265.ParamKeeper
	for unit := range nalu.SplitByteStream(stream) {
		kind := h265.TypeOf(unit)
		switch {
		case kind.IsParameterSet():
			_ = params.Add(unit)
		case kind.IsVCL():
			if h265.FirstOfPicture(unit) {
				frames = append(frames, Frame{Key: kind.IsIRAP()})
			}
			last := &frames[len(frames)-1]
			last.Data = nalu.Append(last.Data, unit)
		}
	}
	return frames, params.Current()
}
