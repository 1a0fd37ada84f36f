package rtp_test

import (
	"bytes"
	"testing"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/accessunit"
	"webostrum/core/media"
	"webostrum/core/rtp"
)

// vp8Frames are frames of which every tenth is a keyframe; what follows their headers is
// noise, which nothing here reads.
func vp8Frames(n int) (samples []*media.Sample) {
	track := media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.VP8, Width: 80, Height: 48})
	for i := range n {
		key := i%10 == 0
		data := []byte{0x71, 2, 0}
		if key {
			data = []byte{0xd0, 4, 0, 0x9d, 1, 0x2a, 80, 0, 48, 0}
		}
		data = append(data, bytes.Repeat([]byte{byte(i)}, 1+i*53)...)
		samples = append(samples, &media.Sample{Track: track, PTS: int64(i) * 3600, Key: key, Data: data})
	}
	return samples
}

// TestVP8ThereAndBack also puts the picture IDs and layer numbers in that browsers send.
func TestVP8ThereAndBack(t *testing.T) {
	for name, change := range map[string]func(*prtp.Packet){
		"plain":                  nil,
		"a picture ID of 7 bits": func(p *prtp.Packet) { p.Payload = described(p.Payload, 0x80, 0x11) },
		"one of 15":              func(p *prtp.Packet) { p.Payload = described(p.Payload, 0x80, 0x91, 0x22) },
		"layers too":             func(p *prtp.Packet) { p.Payload = described(p.Payload, 0xe0, 0x91, 0x22, 7, 0x20) },
		"key index alone":        func(p *prtp.Packet) { p.Payload = described(p.Payload, 0x10, 3) },
	} {
		d, c := depacketizerOf(media.VP8, rtp.Params{})
		sent := vp8Frames(25)
		sendAll(d, sent, change)
		require.Len(t, c.pictures, len(sent), name)
		assert.Empty(t, c.dropped, name)
		for i, p := range c.pictures {
			require.Equal(t, sent[i].Data, p.Data, "%s, frame %d", name, i)
			assert.Equal(t, sent[i].Key, p.Key, "%s, frame %d", name, i)
		}
		assert.True(t, c.pictures[0].Config.Equal(sent[0].Track.Video), name)
		assert.Same(t, c.pictures[0].Config, c.pictures[20].Config, name)
	}
}

// described puts fields into a payload's descriptor (RFC 7741, 4.2).
func described(payload []byte, fields ...byte) []byte {
	return append(append([]byte{payload[0] | 0x80}, fields...), payload[1:]...)
}

// TestVP8LossWaitsForAKeyframe loses each packet of the sixth frame in turn: nothing comes
// until the next keyframe, whichever it was.
func TestVP8LossWaitsForAKeyframe(t *testing.T) {
	sent := vp8Frames(30)
	z := rtp.Packetizer{MTU: 100}
	packets := [][]*prtp.Packet{}
	for _, s := range sent {
		packets = append(packets, z.Packets(s))
	}
	const hurt = 15
	require.Greater(t, len(packets[hurt]), 2)
	for missing := range packets[hurt] {
		d, c := depacketizerOf(media.VP8, rtp.Params{})
		lost := 0
		for i, list := range packets {
			for k, p := range list {
				if i == hurt && k == missing {
					lost = 1
					continue
				}
				d.Push(p, lost, noon)
				lost = 0
			}
		}
		assert.Len(t, c.pictures, 25, "packet %d", missing)
		assert.Equal(t, sent[20].Data, c.pictures[hurt].Data, "packet %d", missing)
	}
}

func TestHostileVP8(t *testing.T) {
	for name, payload := range map[string][]byte{
		"a byte":                     {0x10},
		"a cut extension":            {0x90},
		"a cut picture ID":           {0x90, 0x80},
		"a cut long picture ID":      {0x90, 0x80, 0x91},
		"nothing behind a picture":   {0x90, 0xf0, 0x91, 1, 2, 3},
		"a keyframe cut":             {0x10, 0xd0, 4, 0, 0x9d},
		"another start code":         {0x10, 0xd0, 4, 0, 0x9d, 1, 0x2b, 80, 0, 48, 0},
		"a keyframe of no size":      {0x10, 0xd0, 4, 0, 0x9d, 1, 0x2a, 0, 0, 0, 0},
		"no beginning":               {0x00, 0xd0, 4, 0, 0x9d, 1, 0x2a, 80, 0, 48, 0},
		"the second partition first": {0x11, 0xd0, 4, 0, 0x9d, 1, 0x2a, 80, 0, 48, 0},
	} {
		d, c := depacketizerOf(media.VP8, rtp.Params{})
		d.Push(packet(0, 100, true, payload...), 0, noon)
		assert.Empty(t, c.pictures, name)
		assert.Len(t, c.dropped, 1, name)
	}
	d, c := depacketizerOf(media.VP8, rtp.Params{})
	d.Push(packet(0, 100, true, 0x10, 0x71, 2, 0), 0, noon)
	assert.Equal(t, []accessunit.DropReason{accessunit.DropWaiting}, c.dropped, "nothing to refer to")
}

// FuzzVP8 takes payloads as they come, in two packets.
func FuzzVP8(f *testing.F) {
	f.Add([]byte{0x90, 0x80, 0x91, 0x22, 0xd0, 4, 0, 0x9d, 1, 0x2a, 80, 0, 48, 0}, []byte{0, 1, 2}, true)
	f.Add([]byte{0x10, 0x71, 2, 0}, []byte{0x10, 0x71}, false)
	f.Fuzz(func(t *testing.T, first, second []byte, marker bool) {
		d, c := depacketizerOf(media.VP8, rtp.Params{})
		d.Push(packet(0, 100, marker, first...), 0, noon)
		d.Push(packet(1, 100, true, second...), 0, noon)
		for _, p := range c.pictures {
			if p.Key && (p.Config == nil || p.Config.Width == 0) {
				t.Fatal("a keyframe without a size")
			}
		}
	})
}
