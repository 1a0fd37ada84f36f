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

func TestSoundFor(t *testing.T) {
	all, none, noAAC := plan.Converter{Present: true, AAC: true}, plan.Converter{}, plan.Converter{Present: true}
	aac, mu, opus := track(media.AAC, 48000, 2), track(media.PCMU, 8000, 1), track(media.Opus, 48000, 1)
	for _, tt := range []struct {
		d       plan.Delivery
		w       plan.Wish
		t       *media.Track
		c       plan.Converter
		codec   media.Codec
		convert bool
		why     string
	}{
		{plan.HLS, plan.Automatic, aac, none, media.AAC, false, "HLS carries the camera's AAC (48 kHz, stereo) as it comes."},
		{plan.HLS, plan.Automatic, mu, all, media.AAC, true, "HLS does not carry G.711 mu-law (8 kHz, mono), so it is made into AAC while somebody listens."},
		{plan.HLS, plan.On, mu, all, media.AAC, true, "all the time."},
		{plan.HLS, plan.Automatic, opus, none, "", false, "the codec worker is missing here."},
		{plan.HLS, plan.Off, aac, all, "", false, "Sound is switched off."},
		{plan.HLS, plan.On, nil, all, "", false, "The camera sends no sound"},
		{plan.WebRTC, plan.Automatic, aac, all, media.Opus, true, "so it is made into Opus"},
		{plan.WebRTC, plan.Automatic, aac, noAAC, "", false, "was built without decoding AAC."},
		{plan.WebRTC, plan.Automatic, mu, none, media.PCMU, false, "as it comes."},
		{plan.WebRTC, plan.Automatic, track(media.PCMA, 8000, 1), none, media.PCMA, false, "as it comes."},
		{plan.WebRTC, plan.Automatic, track(media.PCMA, 16000, 1), all, media.Opus, true, "made into Opus"},
		{plan.WebRTC, plan.Automatic, track(media.L16, 44100, 6), noAAC, media.Opus, true, "16-bit PCM (44.1 kHz, 6 channels)"},
		{plan.WebRTC, plan.Automatic, opus, none, media.Opus, false, "as it comes."},
		{plan.MotionJPEG, plan.On, aac, all, "", false, "Motion JPEG carries no sound."},
	} {
		p := plan.SoundFor(tt.d, tt.w, tt.t, tt.c)
		assert.Equal(t, tt.codec, p.Codec, tt.why)
		assert.Equal(t, tt.convert, p.Convert, tt.why)
		assert.Equal(t, tt.convert && tt.w == plan.On, p.Always, tt.why)
		assert.Contains(t, p.Why, tt.why)
	}
	assert.Equal(t, plan.Off, plan.AsFeed.Or(plan.Off))
	assert.Equal(t, plan.On, plan.On.Or(plan.Off))
}
