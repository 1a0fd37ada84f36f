package flv_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/flv"
	"webostrum/core/media"
)

// TestVideoBodies reads bodies that were written by hand after E.4.3 and Enhanced RTMP.
func TestVideoBodies(t *testing.T) {
	for name, x := range map[string]struct {
		body []byte
		want flv.Video
	}{
		"H.264 configuration":      {[]byte{0x17, 0, 0, 0, 0, 1, 2}, flv.Video{Codec: media.H264, Kind: flv.KindConfig, Key: true, Data: []byte{1, 2}}},
		"H.264 frame, 40 ms late":  {[]byte{0x27, 1, 0, 0, 40, 9}, flv.Video{Codec: media.H264, Kind: flv.KindFrames, Delay: 40, Data: []byte{9}}},
		"H.264 frame, 2 ms early":  {[]byte{0x27, 1, 0xff, 0xff, 0xfe, 9}, flv.Video{Codec: media.H264, Kind: flv.KindFrames, Delay: -2, Data: []byte{9}}},
		"H.264 end":                {[]byte{0x17, 2, 0, 0, 0}, flv.Video{Codec: media.H264, Kind: flv.KindEnd, Key: true, Data: []byte{}}},
		"H.265 of old":             {[]byte{0x1c, 1, 0, 0, 0, 9}, flv.Video{Codec: media.H265, Kind: flv.KindFrames, Key: true, Data: []byte{9}}},
		"H.265 start":              {[]byte{0x90, 'h', 'v', 'c', '1', 7}, flv.Video{Codec: media.H265, Kind: flv.KindConfig, Key: true, Data: []byte{7}}},
		"H.265 frame":              {[]byte{0xa1, 'h', 'v', 'c', '1', 0, 0, 3, 7}, flv.Video{Codec: media.H265, Kind: flv.KindFrames, Delay: 3, Data: []byte{7}}},
		"H.265 frame without time": {[]byte{0xa3, 'h', 'v', 'c', '1', 7}, flv.Video{Codec: media.H265, Kind: flv.KindFrames, Data: []byte{7}}},
		"an extended H.264 frame":  {[]byte{0x91, 'a', 'v', 'c', '1', 0, 0, 0, 7}, flv.Video{Codec: media.H264, Kind: flv.KindFrames, Key: true, Data: []byte{7}}},
		"a command":                {[]byte{0x57, 0}, flv.Video{}},
		"nothing":                  {nil, flv.Video{}},
	} {
		got, err := flv.ParseVideo(x.body)
		require.NoError(t, err, name)
		assert.Equal(t, x.want, got, name)
	}
	for body, want := range map[string]string{"\x12\x00": "Sorenson H.263", "\x14\x00": "VP6", "\x1d\x00": "format 13", "\x90av01\x00": "av01"} {
		_, err := flv.ParseVideo([]byte(body))
		assert.ErrorIs(t, err, flv.ErrUnsupported)
		assert.ErrorContains(t, err, want)
	}
	for _, body := range []string{"\x17", "\x17\x01\x00", "\x90hvc", "\xa1hvc1\x00"} {
		_, err := flv.ParseVideo([]byte(body))
		assert.ErrorIs(t, err, flv.ErrMalformed, "%q", body)
	}
}

func TestAudioBodies(t *testing.T) {
	for name, x := range map[string]struct {
		body []byte
		want flv.Audio
	}{
		"AAC configuration": {[]byte{0xaf, 0, 0x11, 0x90}, flv.Audio{Codec: media.AAC, Kind: flv.KindConfig, Channels: 2, Data: []byte{0x11, 0x90}}},
		"AAC":               {[]byte{0xaf, 1, 5}, flv.Audio{Codec: media.AAC, Kind: flv.KindFrames, Channels: 2, Data: []byte{5}}},
		"G.711 A-law":       {[]byte{0x72, 5, 6}, flv.Audio{Codec: media.PCMA, Kind: flv.KindFrames, Channels: 1, Data: []byte{5, 6}}},
		"G.711 mu-law":      {[]byte{0x83, 5, 6}, flv.Audio{Codec: media.PCMU, Kind: flv.KindFrames, Channels: 2, Data: []byte{5, 6}}},
		"Opus":              {[]byte{0x91, 'O', 'p', 'u', 's', 5}, flv.Audio{Codec: media.Opus, Kind: flv.KindFrames, Channels: 2, Data: []byte{5}}},
	} {
		got, err := flv.ParseAudio(x.body)
		require.NoError(t, err, name)
		assert.Equal(t, x.want, got, name)
	}
	_, err := flv.ParseAudio([]byte{0x2f, 1})
	assert.ErrorContains(t, err, "MP3")
	for _, body := range []string{"\xaf", "\x91Opu"} {
		_, err := flv.ParseAudio([]byte(body))
		assert.ErrorIs(t, err, flv.ErrMalformed)
	}
}

func TestWrittenAsRead(t *testing.T) {
	for _, v := range []flv.Video{
		{Codec: media.H264, Kind: flv.KindConfig, Key: true, Data: []byte{1}}, {Codec: media.H264, Kind: flv.KindFrames, Delay: -7, Data: []byte{2}},
		{Codec: media.H265, Kind: flv.KindConfig, Key: true, Data: []byte{1}}, {Codec: media.H265, Kind: flv.KindFrames, Key: true, Delay: 80, Data: []byte{2}},
	} {
		got, err := flv.ParseVideo(flv.AppendVideo(nil, v))
		require.NoError(t, err)
		assert.Equal(t, v, got)
	}
	a, err := flv.ParseAudio(flv.AppendAAC(nil, flv.KindFrames, []byte{3}))
	require.NoError(t, err)
	assert.Equal(t, []byte{3}, a.Data)
}

func FuzzBodies(f *testing.F) {
	f.Add([]byte{0x27, 1, 0, 0, 40, 9})
	f.Add([]byte{0xa1, 'h', 'v', 'c', '1', 0, 0, 3, 7})
	f.Fuzz(func(t *testing.T, b []byte) {
		v, err := flv.ParseVideo(b)
		a, aErr := flv.ParseAudio(b)
		if err == nil && len(v.Data) > len(b) || aErr == nil && len(a.Data) > len(b) {
			t.Fatal("more than came")
		}
	})
}
