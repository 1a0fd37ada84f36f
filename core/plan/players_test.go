package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/media"
	"webostrum/core/plan"
)

func TestAsIs(t *testing.T) {
	type answer struct{ asIs, plays bool }
	for name, tt := range map[string]struct {
		engine    string
		delivery  plan.Delivery
		codec     media.Codec
		reordered bool
		want      answer
	}{
		"H.264":                     {plan.Chromium, plan.HLS, media.H264, false, answer{true, true}},
		"H.264 by WebRTC":           {plan.Firefox, plan.WebRTC, media.H264, false, answer{true, true}},
		"B-frames by WebRTC":        {plan.Chromium, plan.WebRTC, media.H264, true, answer{false, true}},
		"an engine without WebRTC":  {plan.WebKit, plan.WebRTC, media.H264, false, answer{true, false}},
		"H.265 where it is decoded": {plan.Firefox, plan.HLS, media.H265, true, answer{true, true}},
		"H.265 where it is not":     {plan.Chromium, plan.HLS, media.H265, false, answer{false, true}},
		"H.265 by fragments":        {plan.WebKit, plan.Fragments, media.H265, false, answer{true, true}},
		"VP8 by WebRTC":             {plan.Firefox, plan.WebRTC, media.VP8, false, answer{true, true}},
		"VP8 by HLS":                {plan.Chromium, plan.HLS, media.VP8, false, answer{false, true}},
		"JPEG as images":            {plan.WebKit, plan.MotionJPEG, media.JPEG, false, answer{true, true}},
		"JPEG by HLS":               {plan.Chromium, plan.HLS, media.JPEG, false, answer{false, true}},
	} {
		asIs, plays := plan.AsIs(tt.engine, tt.delivery, tt.codec, tt.reordered)
		assert.Equal(t, tt.want, answer{asIs, plays}, name)
	}
}
