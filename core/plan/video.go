package plan

import (
	"fmt"
	"slices"

	"webostrum/core/media"
)

// Video is what becomes of a camera's video in one delivery.
type Video struct {
	Codec     media.Codec // as it is delivered
	Transcode bool        // it is not as the camera sends it
	Possible  bool        // it can be had here
	Beside    bool        // H.264 is made beside it, while somebody watches that
	Why       string      // without a full stop: why it is transcoded, or passes through
}

// carried are the codecs of video that deliveries carry.
var carried = map[Delivery][]media.Codec{
	HLS:        {media.H264, media.H265},
	Fragments:  {media.H264, media.H265},
	WebRTC:     {media.H264, media.H265, media.VP8},
	MotionJPEG: {media.JPEG},
	RTSP:       {media.H264, media.H265, media.JPEG, media.VP8},
}

// everywhere are those that every browser decodes that a delivery carries them to.
var everywhere = []media.Codec{media.H264, media.JPEG}

// VideoFor plans a camera's video for a delivery; reordered says that it has B-frames, and
// takes what a viewer decodes beside H.264. By HLS a list offers what there is, and
// players choose.
func VideoFor(d Delivery, codec media.Codec, reordered bool, takes []media.Codec, c Transcoder) Video {
	v := Video{Codec: carried[d][0], Transcode: true, Possible: c.Present}
	common := slices.Contains(everywhere, codec)
	switch {
	case !slices.Contains(carried[d], codec):
		v.Why = "the camera sends " + Name(codec) + ", which " + d.carryNot()
	case d == RTSP:
		return Video{Codec: codec, Possible: true, Why: "RTSP carries the camera's " + Name(codec) + " untouched"}
	case d == WebRTC && reordered:
		v.Why = "the camera reorders frames (B-frames), which browsers do not take by WebRTC"
	case !common && d == HLS:
		return Video{Codec: codec, Possible: true, Beside: c.Present, Why: besideWhy(codec, c)}
	case !common && !slices.Contains(takes, codec):
		v.Why = fmt.Sprintf("the camera sends %s, which not every browser decodes; those that say they do get it untouched", Name(codec))
	default:
		return Video{Codec: codec, Possible: true, Why: fmt.Sprintf("%s the camera's %s untouched", d.carry(), Name(codec))}
	}
	return v
}

func besideWhy(codec media.Codec, c Transcoder) string {
	if !c.Present {
		return fmt.Sprintf("HLS carries the camera's %s untouched; browsers that do not decode it see nothing, since the codec worker is missing here", Name(codec))
	}
	return fmt.Sprintf("HLS carries the camera's %s untouched to browsers that decode it; for all others H.264 is made while they watch", Name(codec))
}
