package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/media"
	"webostrum/core/plan"
)

func track(codec media.Codec, rate uint32, channels int) *media.Track {
	return &media.Track{Kind: media.KindAudio, Codec: codec, ClockRate: rate, Channels: channels}
}

func TestAudioFor(t *testing.T) {
	all, none, noAAC := plan.Transcoder{Present: true, AAC: true}, plan.Transcoder{}, plan.Transcoder{Present: true}
	aac, mu, opus := track(media.AAC, 48000, 2), track(media.PCMU, 8000, 1), track(media.Opus, 48000, 1)
	for _, tt := range []struct {
		d         plan.Delivery
		w         plan.AudioMode
		t         *media.Track
		c         plan.Transcoder
		codec     media.Codec
		transcode bool
		why       string
	}{
		{plan.HLS, plan.Automatic, aac, none, media.AAC, false, "HLS carries the camera's AAC (48 kHz, stereo) untouched."},
		{plan.HLS, plan.Automatic, mu, all, media.AAC, true, "HLS does not carry G.711 mu-law (8 kHz, mono), so it is transcoded to AAC while somebody listens."},
		{plan.HLS, plan.On, mu, all, media.AAC, true, "all the time."},
		{plan.HLS, plan.Automatic, opus, none, "", false, "the codec worker is missing here."},
		{plan.HLS, plan.Off, aac, all, "", false, "Audio is switched off."},
		{plan.HLS, plan.On, nil, all, "", false, "The camera sends no audio"},
		{plan.WebRTC, plan.Automatic, aac, all, media.Opus, true, "so it is transcoded to Opus"},
		{plan.WebRTC, plan.Automatic, aac, noAAC, "", false, "was built without decoding AAC."},
		{plan.WebRTC, plan.Automatic, mu, none, media.PCMU, false, "untouched."},
		{plan.WebRTC, plan.Automatic, track(media.PCMA, 8000, 1), none, media.PCMA, false, "untouched."},
		{plan.WebRTC, plan.Automatic, track(media.PCMA, 16000, 1), all, media.Opus, true, "transcoded to Opus"},
		{plan.WebRTC, plan.Automatic, track(media.L16, 44100, 6), noAAC, media.Opus, true, "16-bit PCM (44.1 kHz, 6 channels)"},
		{plan.WebRTC, plan.Automatic, opus, none, media.Opus, false, "untouched."},
		{plan.MotionJPEG, plan.On, aac, all, "", false, "Motion JPEG carries no audio."},
	} {
		p := plan.AudioFor(tt.d, tt.w, tt.t, tt.c)
		assert.Equal(t, tt.codec, p.Codec, tt.why)
		assert.Equal(t, tt.transcode, p.Transcode, tt.why)
		assert.Equal(t, tt.transcode && tt.w == plan.On, p.Always, tt.why)
		assert.Contains(t, p.Why, tt.why)
	}
	assert.Equal(t, plan.Off, plan.AsFeed.Or(plan.Off))
	assert.Equal(t, plan.On, plan.On.Or(plan.Off))
}
