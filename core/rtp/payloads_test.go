package rtp_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"slices"
	"testing"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/accessunit"
	corejpeg "webostrum/core/jpeg"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/sim/reel"
)

// sendAll packetises samples and gives them to a depacketiser.
func sendAll(d rtp.Depacketizer, samples []*media.Sample, change func(*prtp.Packet)) {
	z := rtp.Packetizer{MTU: 400}
	for _, s := range samples {
		for _, p := range z.Packets(s) {
			if change != nil {
				change(p)
			}
			d.Push(p, 0, noon)
		}
	}
}

// filmed are the film's frames as a camera sends them.
func filmed(n int) (samples []*media.Sample) {
	frames, config := reel.Load()
	track := media.VideoTrack(1, 90000, config)
	for i, f := range frames[:n] {
		samples = append(samples, &media.Sample{Track: track, PTS: int64(i) * 7200, Key: f.Key, Data: f.Data})
	}
	return samples
}

func TestH265ThereAndBack(t *testing.T) {
	d, c := depacketizerOf(media.H265, rtp.Params{})
	sent := filmed(60)
	sendAll(d, sent, nil)
	require.Len(t, c.pictures, len(sent))
	assert.Empty(t, c.dropped)
	for i, p := range c.pictures {
		require.Equal(t, sent[i].Data, p.Data, "frame %d", i)
		assert.Equal(t, sent[i].Key, p.Key, "frame %d", i)
	}
	assert.True(t, c.pictures[0].Config.Equal(sent[0].Track.Video), "parameter sets come in band")
}

// TestH265DecodingOrderNumbers puts the numbers in that a sender with sprop-max-don-diff
// over 0 sends.
func TestH265DecodingOrderNumbers(t *testing.T) {
	d, c := depacketizerOf(media.H265, rtp.Params{DecodingOrder: true})
	sent := filmed(30)
	sendAll(d, sent, func(p *prtp.Packet) { p.Payload = numbered(p.Payload) })
	require.Len(t, c.pictures, len(sent))
	for i, p := range c.pictures {
		require.Equal(t, sent[i].Data, p.Data, "frame %d", i)
	}
}

// numbered puts decoding order numbers into a payload (RFC 7798, 4.4).
func numbered(b []byte) []byte {
	const ap, fu = 48, 49
	switch b[0] >> 1 & 0x3f {
	case ap:
		out := append(bytes.Clone(b[:2]), 0, 7)
		for i, rest := 0, b[2:]; len(rest) > 0; i++ {
			n := 2 + int(rest[0])<<8 + int(rest[1])
			if i > 0 {
				out = append(out, 0)
			}
			out, rest = append(out, rest[:n]...), rest[n:]
		}
		return out
	case fu:
		if b[2]&0x80 == 0 {
			return b
		}
		return append(append(bytes.Clone(b[:3]), 0, 7), b[3:]...)
	}
	return append(append(bytes.Clone(b[:2]), 0, 7), b[2:]...)
}

// TestH265LossWaitsForAKeyframe loses a packet in the middle of a group of pictures.
func TestH265LossWaitsForAKeyframe(t *testing.T) {
	d, c := depacketizerOf(media.H265, rtp.Params{})
	z := rtp.Packetizer{MTU: 400}
	lost := 0
	for i, s := range filmed(60) {
		for _, p := range z.Packets(s) {
			if i == 5 && lost == 0 {
				lost = 1
				continue
			}
			d.Push(p, lost%2, noon)
			if lost == 1 {
				lost = 2
			}
		}
	}
	assert.Len(t, c.pictures, 5+60-25, "from the next keyframe on")
	assert.True(t, c.pictures[5].Key)
}

// TestH265LeadingPicturesAreLeftOut joins at a CRA picture: what is shown before it and
// refers to pictures before it cannot be decoded.
func TestH265LeadingPicturesAreLeftOut(t *testing.T) {
	sets, slice := filmed(1)[0].Track.Video.Sets, []byte{0x80, 1, 2, 3}
	unit := func(kind byte) []byte { return append([]byte{kind << 1, 1}, slice...) }
	const trailing, rasl, cra = 1, 9, 21
	d, c := depacketizerOf(media.H265, rtp.Params{Sets: sets})
	for i, kind := range []byte{cra, rasl, trailing, cra, rasl, trailing} {
		d.Push(packet(uint16(i), uint32(i)*3600, true, unit(kind)...), 0, noon)
	}
	assert.Len(t, c.pictures, 5, "once it has begun, they have what they refer to")
	assert.Equal(t, []accessunit.DropReason{accessunit.DropWaiting}, c.dropped)
}

func TestHostileH265(t *testing.T) {
	for name, payload := range map[string][]byte{
		"a byte":                    {0x42},
		"an aggregation cut short":  {48 << 1, 1, 0, 200, 1, 2},
		"an aggregation, odd rest":  {48 << 1, 1, 0},
		"a fragment, no body":       {49 << 1, 1},
		"a fragment, no beginning":  {49 << 1, 1, 0x13, 1, 2, 3},
		"PACI":                      {50 << 1, 1, 0, 0, 0},
		"a slice without a header":  {1 << 1, 1},
		"a sequence set of nothing": {33 << 1, 1},
	} {
		d, c := depacketizerOf(media.H265, rtp.Params{})
		d.Push(packet(0, 100, true, payload...), 0, noon)
		assert.Empty(t, c.pictures, name)
	}
}

// photograph is a JPEG with standard Huffman tables.
func photograph(t *testing.T, w, h, quality int) []byte {
	t.Helper()
	img := image.NewYCbCr(image.Rect(0, 0, w, h), image.YCbCrSubsampleRatio420)
	for i := range img.Y {
		img.Y[i] = byte(i * 7)
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, &jpeg.Options{Quality: quality}))
	return b.Bytes()
}

func TestJPEGThereAndBack(t *testing.T) {
	d, c := depacketizerOf(media.JPEG, rtp.Params{})
	track := media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.JPEG, Width: 320, Height: 240})
	var sent []*media.Sample
	for i, quality := range []int{30, 75, 90} {
		sent = append(sent, &media.Sample{Track: track, PTS: int64(i) * 3600, Key: true, Data: photograph(t, 320, 240, quality)})
	}
	sendAll(d, sent, nil)
	require.Len(t, c.pictures, len(sent))
	for i, p := range c.pictures {
		assert.Equal(t, pixels(t, sent[i].Data), pixels(t, p.Data), "picture %d", i)
		assert.True(t, p.Key)
		assert.Equal(t, "4:2:0", p.Config.Profile)
	}
	assert.Same(t, c.pictures[0].Config, c.pictures[2].Config, "nothing changed but the tables")
}

// TestJPEGKeepsItsRestartInterval says one to a picture that needs none, since its scan is
// shorter than that (RFC 2435, 3.1.7).
func TestJPEGKeepsItsRestartInterval(t *testing.T) {
	d, c := depacketizerOf(media.JPEG, rtp.Params{})
	track := media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.JPEG, Width: 64, Height: 48})
	plain := photograph(t, 64, 48, 75)
	restarts := slices.Concat(plain[:2], []byte{0xff, 0xdd, 0, 4, 1, 2}, plain[2:])
	sendAll(d, []*media.Sample{{Track: track, Key: true, Data: restarts}}, nil)
	require.Len(t, c.pictures, 1)
	h, err := corejpeg.Parse(c.pictures[0].Data)
	require.NoError(t, err)
	assert.Equal(t, 0x102, h.RestartInterval)
	assert.Equal(t, pixels(t, plain), pixels(t, c.pictures[0].Data))
}

// pixels decodes a picture.
func pixels(t *testing.T, data []byte) []byte {
	t.Helper()
	img, err := jpeg.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	ycc, ok := img.(*image.YCbCr)
	require.True(t, ok)
	return bytes.Join([][]byte{ycc.Y, ycc.Cb, ycc.Cr}, nil)
}

// TestJPEGByQuality sends no tables, but a number (RFC 2435, 4.2).
func TestJPEGByQuality(t *testing.T) {
	const quality = 60
	d, c := depacketizerOf(media.JPEG, rtp.Params{})
	track := media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.JPEG})
	sendAll(d, []*media.Sample{{Track: track, Data: photograph(t, 160, 96, quality)}}, func(p *prtp.Packet) {
		p.Payload[5] = quality
		if p.Payload[1]|p.Payload[2]|p.Payload[3] == 0 {
			const head, tables = 8, 4 + 128
			p.Payload = append(p.Payload[:head:head], p.Payload[head+tables:]...)
		}
	})
	require.Len(t, c.pictures, 1)
	assert.Equal(t, pixels(t, photograph(t, 160, 96, quality)), pixels(t, c.pictures[0].Data), "the tables of the library are those of the RFC")
}

// TestJPEGLargerThanTheHeaderTells takes the size from the session description, or from the
// picture's own header in an RTP header extension.
func TestJPEGLargerThanTheHeaderTells(t *testing.T) {
	const w, h = 2304, 64
	track := media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.JPEG})
	small := photograph(t, 2040, h, 50)
	for name, tt := range map[string]struct {
		params rtp.Params
		own    []byte
		want   int
	}{
		"the description's": {rtp.Params{Width: w, Height: h}, nil, w},
		"the picture's own": {rtp.Params{}, []byte{0xff, 0xc0, 0, 17, 8, 0, h, w >> 8, w & 0xff, 3, 1, 0x22, 0, 2, 0x11, 1, 3, 0x11, 1, 0xff, 0xff, 0xff}, w},
		"nobody's":          {rtp.Params{}, nil, 0},
	} {
		d, c := depacketizerOf(media.JPEG, tt.params)
		sendAll(d, []*media.Sample{{Track: track, Data: small}}, func(p *prtp.Packet) {
			p.Payload[6] = 0
			if tt.own != nil {
				p.Header.Extension, p.Header.ExtensionProfile = true, 0xffd8
				require.NoError(t, p.Header.SetExtension(0, append(tt.own, make([]byte, (4-len(tt.own)%4)%4)...)))
			}
		})
		if tt.want == 0 {
			assert.Empty(t, c.pictures, name)
			assert.Equal(t, []accessunit.DropReason{accessunit.DropMalformed}, c.dropped, name)
			continue
		}
		require.Len(t, c.pictures, 1, name)
		assert.Equal(t, [2]int{w, h}, [2]int{c.pictures[0].Config.Width, c.pictures[0].Config.Height}, name)
	}
}

func TestJPEGWithHolesIsDropped(t *testing.T) {
	track := media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.JPEG})
	for missing := range 3 {
		d, c := depacketizerOf(media.JPEG, rtp.Params{})
		z := rtp.Packetizer{MTU: 400}
		for i := range 2 {
			for n, p := range z.Packets(&media.Sample{Track: track, PTS: int64(i) * 3600, Data: photograph(t, 160, 96, 60)}) {
				if i > 0 || n != missing {
					d.Push(p, 0, noon)
				}
			}
		}
		assert.Len(t, c.pictures, 1, "without packet %d: the second alone", missing)
		assert.Equal(t, []accessunit.DropReason{accessunit.DropHole}, c.dropped)
	}
}

func TestHostileJPEG(t *testing.T) {
	head := []byte{0, 0, 0, 0, 1, 255, 40, 30}
	for name, payload := range map[string][]byte{
		"seven bytes":          head[:7],
		"type 2":               {0, 0, 0, 0, 2, 50, 40, 30, 1},
		"no restart header":    {0, 0, 0, 0, 65, 50, 40, 30, 1},
		"no tables header":     append(bytes.Clone(head), 0, 0),
		"tables of one byte":   append(bytes.Clone(head), 0, 0, 0, 1, 9),
		"tables that end":      append(bytes.Clone(head), 0, 0, 0, 128, 9),
		"tables never sent":    append(bytes.Clone(head), 0, 0, 0, 0),
		"a part in the middle": {0, 0, 9, 0, 1, 50, 40, 30, 1},
	} {
		d, c := depacketizerOf(media.JPEG, rtp.Params{})
		d.Push(packet(0, 100, true, payload...), 0, noon)
		assert.Empty(t, c.pictures, name)
		assert.Len(t, c.dropped, 1, name)
	}
}

func FuzzH265(f *testing.F) {
	z := rtp.Packetizer{MTU: 200}
	for _, s := range filmed(2) {
		for _, p := range z.Packets(s) {
			f.Add(p.Payload, byte(0))
		}
	}
	f.Fuzz(func(t *testing.T, payload []byte, kind byte) { fuzzPayload(t, media.H265, payload, kind) })
}

func FuzzJPEG(f *testing.F) {
	f.Add([]byte{0, 0, 0, 0, 1, 255, 40, 30, 0, 0, 0, 128, 1, 2, 3}, byte(1))
	f.Fuzz(func(t *testing.T, payload []byte, kind byte) { fuzzPayload(t, media.JPEG, payload, kind) })
}

// fuzzPayload sends a payload whole, and cut in two; nothing may panic, and what comes out
// has a configuration.
func fuzzPayload(t *testing.T, codec media.Codec, payload []byte, kind byte) {
	d, c := depacketizerOf(codec, rtp.Params{DecodingOrder: kind&1 == 1, Sets: filmed(1)[0].Track.Video.Sets, Width: 64, Height: 64})
	half := len(payload) / 2
	for i, part := range [][]byte{payload, payload[:half], payload[half:], payload} {
		p := packet(uint16(i), uint32(i/2), i%2 == 1, part...)
		p.Extension, p.ExtensionProfile = kind&2 == 2, 0xffd8
		d.Push(p, int(kind>>4)*i, noon)
	}
	for _, p := range c.pictures {
		if p.Config == nil {
			t.Fatal("a picture without a configuration")
		}
	}
}
