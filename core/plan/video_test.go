package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/media"
	"webostrum/core/plan"
)

func TestVideoFor(t *testing.T) {
	has, none, takes := plan.Transcoder{Present: true}, plan.Transcoder{}, []media.Codec{media.H265}
	for _, tt := range []struct {
		d         plan.Delivery
		codec     media.Codec
		reordered bool
		has       plan.Transcoder
		takes     []media.Codec
		want      plan.Video
	}{
		{plan.HLS, media.H264, true, none, nil, plan.Video{Codec: media.H264, Possible: true, Why: "HLS carries the camera's H.264 untouched"}},
		{plan.HLS, media.JPEG, false, has, nil, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera sends JPEG, which HLS does not carry"}},
		{plan.HLS, media.JPEG, false, none, nil, plan.Video{Codec: media.H264, Transcode: true, Why: "the camera sends JPEG, which HLS does not carry"}},
		{plan.Fragments, media.H264, true, none, nil, plan.Video{Codec: media.H264, Possible: true, Why: "Live fragments carry the camera's H.264 untouched"}},
		{plan.WebRTC, media.H264, false, none, nil, plan.Video{Codec: media.H264, Possible: true, Why: "WebRTC carries the camera's H.264 untouched"}},
		{plan.WebRTC, media.H264, true, has, nil, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera reorders frames (B-frames), which browsers do not take by WebRTC"}},
		{plan.MotionJPEG, media.JPEG, false, none, nil, plan.Video{Codec: media.JPEG, Possible: true, Why: "Motion JPEG carries the camera's JPEG untouched"}},
		{plan.MotionJPEG, media.H264, false, has, nil, plan.Video{Codec: media.JPEG, Transcode: true, Possible: true, Why: "the camera sends H.264, which Motion JPEG does not carry"}},
		{plan.HLS, media.H265, false, has, nil, plan.Video{Codec: media.H265, Possible: true, Beside: true, Why: "HLS carries the camera's H.265 untouched to browsers that decode it; for all others H.264 is made while they watch"}},
		{plan.HLS, media.H265, false, none, nil, plan.Video{Codec: media.H265, Possible: true, Why: "HLS carries the camera's H.265 untouched; browsers that do not decode it see nothing, since the codec worker is missing here"}},
		{plan.Fragments, media.H265, false, has, nil, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera sends H.265, which not every browser decodes; those that say they do get it untouched"}},
		{plan.Fragments, media.H265, true, none, takes, plan.Video{Codec: media.H265, Possible: true, Why: "Live fragments carry the camera's H.265 untouched"}},
		{plan.WebRTC, media.H265, true, has, takes, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera reorders frames (B-frames), which browsers do not take by WebRTC"}},
		{plan.WebRTC, media.VP8, false, has, nil, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera sends VP8, which not every browser decodes; those that say they do get it untouched"}},
		{plan.WebRTC, media.VP8, false, none, []media.Codec{media.VP8}, plan.Video{Codec: media.VP8, Possible: true, Why: "WebRTC carries the camera's VP8 untouched"}},
		{plan.HLS, media.VP8, false, has, nil, plan.Video{Codec: media.H264, Transcode: true, Possible: true, Why: "the camera sends VP8, which HLS does not carry"}},
	} {
		assert.Equal(t, tt.want, plan.VideoFor(tt.d, tt.codec, tt.reordered, tt.takes, tt.has))
	}
}
