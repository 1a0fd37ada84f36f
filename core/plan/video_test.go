package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/media"
	"webostrum/core/plan"
)

func TestVideoFor(t *testing.T) {
	has, none := plan.Transcoder{Present: true}, plan.Transcoder{}
	for _, tt := range []struct {
		d         plan.Delivery
		codec     media.Codec
		reordered bool
		has       plan.Transcoder
		want      plan.Video
	}{
		{plan.HLS, media.H264, true, none, plan.Video{Codec: media.H264, Possible: true, Why: "HLS carries the camera's H.264 untouched"}},
		{plan.HLS, media.JPEG, false, has, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera sends JPEG, which HLS does not carry"}},
		{plan.HLS, media.JPEG, false, none, plan.Video{Codec: media.H264, Transcode: true, Why: "the camera sends JPEG, which HLS does not carry"}},
		{plan.Fragments, media.H264, true, none, plan.Video{Codec: media.H264, Possible: true, Why: "Live fragments carry the camera's H.264 untouched"}},
		{plan.WebRTC, media.H264, false, none, plan.Video{Codec: media.H264, Possible: true, Why: "WebRTC carries the camera's H.264 untouched"}},
		{plan.WebRTC, media.H264, true, has, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera reorders frames (B-frames), which browsers do not take by WebRTC"}},
		{plan.MotionJPEG, media.JPEG, false, none, plan.Video{Codec: media.JPEG, Possible: true, Why: "Motion JPEG carries the camera's JPEG untouched"}},
		{plan.MotionJPEG, media.H264, false, has, plan.Video{Codec: media.JPEG, Transcode: true, Possible: true, Why: "the camera sends H.264, which Motion JPEG does not carry"}},
	} {
		assert.Equal(t, tt.want, plan.VideoFor(tt.d, tt.codec, tt.reordered, tt.has))
	}
}
