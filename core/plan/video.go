package plan

import (
	"fmt"

	"webostrum/core/media"
)

// Video is what becomes of a camera's video in one delivery.
type Video struct {
	Codec     media.Codec // as it is delivered
	Transcode bool        // it is not as the camera sends it
	Possible  bool        // it can be had here
	Why       string      // without a full stop: why it is transcoded, or passes through
}

// VideoFor plans a camera's video for a delivery; reordered says that it has B-frames.
func VideoFor(d Delivery, codec media.Codec, reordered bool, c Transcoder) Video {
	goal := media.H264
	if d == MotionJPEG {
		goal = media.JPEG
	}
	v := Video{Codec: goal, Transcode: true, Possible: c.Present}
	switch {
	case codec != goal:
		v.Why = "the camera sends " + Name(codec) + ", which " + d.carryNot()
	case d == WebRTC && reordered:
		v.Why = "the camera reorders frames (B-frames), which browsers do not take by WebRTC"
	default:
		return Video{Codec: goal, Possible: true, Why: fmt.Sprintf("%s the camera's %s untouched", d.carry(), Name(codec))}
	}
	return v
}
