package aac_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/aac"
)

func TestParseConfig(t *testing.T) {
	for _, tt := range []struct {
		name  string
		bytes []byte
		want  aac.Config
		codec string
	}{
		// 00010 0011 0010 000: LC, 48,000 Hz, two channels
		{"LC", []byte{0x11, 0x90}, aac.Config{ObjectType: 2, SampleRate: 48000, OutputRate: 48000, Channels: 2, FrameLength: 1024}, "mp4a.40.2"},
		// 00010 1000 0001 100: 16,000 Hz, one channel, 960 samples
		{"short frames", []byte{0x14, 0x0c}, aac.Config{ObjectType: 2, SampleRate: 16000, OutputRate: 16000, Channels: 1, FrameLength: 960}, "mp4a.40.2"},
		// 00010 1111 + 24 bits of 12,345 Hz + 0001 000
		{"a rate of its own", []byte{0x17, 0x80, 0x18, 0x1c, 0x88}, aac.Config{ObjectType: 2, SampleRate: 12345, OutputRate: 12345, Channels: 1, FrameLength: 1024}, "mp4a.40.2"},
		// 00101 0110 0010 0011 00010 000: SBR told first, 24,000 and 48,000 Hz
		{"SBR", []byte{0x2b, 0x11, 0x88, 0x00}, aac.Config{ObjectType: 2, SampleRate: 24000, OutputRate: 48000, Channels: 2, SBR: true, FrameLength: 1024}, "mp4a.40.5"},
		// 11101 0110 0001 0011 00010 000: PS, with SBR
		{"PS", []byte{0xeb, 0x09, 0x88, 0x00}, aac.Config{ObjectType: 2, SampleRate: 24000, OutputRate: 48000, Channels: 1, SBR: true, PS: true, FrameLength: 1024}, "mp4a.40.29"},
		// 00010 0110 0010 000, then 01010110111 00101 1 0011: SBR told behind
		{"SBR behind", []byte{0x13, 0x10, 0x56, 0xe5, 0x98}, aac.Config{ObjectType: 2, SampleRate: 24000, OutputRate: 48000, Channels: 2, SBR: true, FrameLength: 1024}, "mp4a.40.5"},
	} {
		c, err := aac.ParseConfig(tt.bytes)
		require.NoError(t, err, tt.name)
		assert.Equal(t, tt.want, c, tt.name)
		assert.Equal(t, tt.codec, c.CodecString(), tt.name)
	}
	for name, bad := range map[string][]byte{
		"nothing": {}, "one byte": {0x11}, "reserved frequency": {0x16, 0x90}, "no channels": {0x11, 0x80}, "eight-channel escape": {0x11, 0xf8},
	} {
		_, err := aac.ParseConfig(bad)
		assert.Error(t, err, name)
	}
	_, err := aac.ParseConfig([]byte{0xf8, 0xe8, 0x50, 0x00}) // USAC
	assert.ErrorIs(t, err, aac.ErrUnsupported)
}

func TestLC(t *testing.T) {
	assert.Equal(t, []byte{0x11, 0x90}, aac.LC(48000, 2))
	assert.Equal(t, []byte{0x15, 0x88}, aac.LC(8000, 1))
	assert.Nil(t, aac.LC(12345, 1))
	assert.Nil(t, aac.LC(48000, 3))
	for _, rate := range []int{8000, 11025, 44100, 96000} {
		c, err := aac.ParseConfig(aac.LC(rate, 2))
		require.NoError(t, err)
		assert.Equal(t, rate, c.SampleRate)
		assert.True(t, aac.Standard(rate))
	}
}

// muxLC16 is a StreamMuxConfig of LC, 16,000 Hz, mono, written by hand:
// version 0 | sameTiming 1 | subFrames 000000 | programs 0000 | layers 000 |
// 00010 1000 0001 000 | lengthType 000 | bufferFullness 11111111 | other 0 | crc 0
var muxLC16 = []byte{0x40, 0x00, 0x28, 0x10, 0x3f, 0xc0}

func TestLATM(t *testing.T) {
	l := aac.LATM{}
	require.NoError(t, l.Configured(muxLC16))
	raw, c, ok := l.Config()
	require.True(t, ok)
	assert.Equal(t, 16000, c.SampleRate)
	assert.Equal(t, []byte{0x14, 0x08}, raw, "the configuration begins at a byte again")
	var got [][]byte
	take := func(b []byte) { got = append(got, b) }
	require.NoError(t, l.Element([]byte{3, 1, 2, 3}, take))
	assert.Equal(t, [][]byte{{1, 2, 3}}, got)

	long := make([]byte, 300)
	long[299] = 7
	require.NoError(t, l.Element(append([]byte{255, 45}, long...), take))
	assert.Equal(t, long, got[1], "a length of 255 and 45")
	assert.ErrorIs(t, l.Element([]byte{9, 1}, take), aac.ErrMalformed)
}

// shifted puts a number of bits in front of bytes.
func shifted(front byte, width int, data []byte) []byte {
	out := make([]byte, len(data)+1)
	out[0] = front << (8 - width)
	for i, b := range data {
		out[i] |= b >> width
		out[i+1] = b << (8 - width)
	}
	return out
}

func TestLATMWithConfigurationInside(t *testing.T) {
	l := aac.LATM{InBand: true}
	var got [][]byte
	take := func(b []byte) { got = append(got, b) }
	require.NoError(t, l.Element(shifted(1, 1, []byte{2, 8, 9}), take))
	assert.Empty(t, got, "nothing is known yet")
	// useSameStreamMux 0, then the 44 bits of muxLC16, then the payload.
	element := make([]byte, 0, 16)
	body := shifted(0, 1, muxLC16) // 45 bits are used
	element = append(element, body[:5]...)
	rest := shifted(body[5]>>3, 5, []byte{2, 8, 9})
	element = append(element, rest...)
	require.NoError(t, l.Element(element, take))
	assert.Equal(t, [][]byte{{8, 9}}, got)
	require.NoError(t, l.Element(shifted(1, 1, []byte{1, 5}), take))
	assert.Equal(t, []byte{5}, got[1], "the same configuration again")
}

func FuzzLATM(f *testing.F) {
	f.Add(muxLC16, []byte{3, 1, 2, 3}, true)
	f.Fuzz(func(t *testing.T, mux, element []byte, inBand bool) {
		l := aac.LATM{InBand: inBand}
		_ = l.Configured(mux)
		total := 0
		_ = l.Element(element, func(b []byte) { total += len(b) })
		if total > len(element) {
			t.Fatalf("%d bytes out of %d", total, len(element))
		}
	})
}

func FuzzConfig(f *testing.F) {
	f.Add([]byte{0x13, 0x10, 0x56, 0xe5, 0x98})
	f.Fuzz(func(t *testing.T, data []byte) {
		c, err := aac.ParseConfig(data)
		if err == nil && (c.SampleRate < 1 || c.Channels < 1 || c.Channels > 8 || c.FrameLength < 1) {
			t.Fatalf("%+v", c)
		}
	})
}
