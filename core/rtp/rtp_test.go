package rtp_test

import (
	"testing"
	"time"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/accessunit"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/rtp"
	"webostrum/testkit/pictures"
)

var noon = time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)

func packet(seq uint16, ts uint32, marker bool, payload ...byte) *prtp.Packet {
	return &prtp.Packet{Header: prtp.Header{Version: 2, PayloadType: 96, SequenceNumber: seq, Timestamp: ts, Marker: marker}, Payload: payload}
}

// collect depacketises packets and returns what came out.
type collect struct {
	pictures []*accessunit.Unit
	dropped  []accessunit.DropReason
}

func depacketizer() (rtp.Depacketizer, *collect) { return depacketizerOf(media.H264, rtp.Params{}) }

func depacketizerOf(codec media.Codec, params rtp.Params) (rtp.Depacketizer, *collect) {
	c := &collect{}
	d, err := rtp.NewDepacketizer(codec, params, accessunit.Sink{
		Unit:    func(p *accessunit.Unit) { c.pictures = append(c.pictures, p) },
		Dropped: func(r accessunit.DropReason) { c.dropped = append(c.dropped, r) },
	})
	if err != nil {
		panic(err)
	}
	return d, c
}

// receiver makes a receiver of H.264 unless another codec is named.
func receiver(cfg rtp.ReceiverConfig) *rtp.VideoReceiver {
	if cfg.Codec == "" {
		cfg.Codec = media.H264
	}
	r, err := rtp.NewVideoReceiver(cfg)
	if err != nil {
		panic(err)
	}
	return r
}

func stap(units ...[]byte) []byte {
	b := []byte{0x78}
	for _, u := range units {
		b = append(append(b, byte(len(u)>>8), byte(len(u))), u...)
	}
	return b
}

// sets is an aggregation packet with both parameter sets.
func sets(seq uint16, ts uint32) *prtp.Packet {
	return packet(seq, ts, false, stap(pictures.SPS, pictures.PPS)...)
}

func TestDepacketizeSingleAndAggregated(t *testing.T) {
	d, c := depacketizer()
	idr := pictures.IDR(50, 1)
	d.Push(sets(0, 100), 0, noon)
	d.Push(packet(1, 100, false, 0x09, 0x10), 0, noon) // delimiter: left out
	d.Push(packet(2, 100, true, idr...), 0, noon)
	d.Push(packet(3, 200, true, pictures.P(20, 2)...), 0, noon)
	require.Len(t, c.pictures, 2)
	assert.True(t, c.pictures[0].Key)
	assert.Equal(t, pictures.Data(idr), c.pictures[0].Data, "parameter sets and delimiter are not in the picture")
	assert.Equal(t, [][]byte{pictures.SPS, pictures.PPS}, c.pictures[0].Config.Sets)
	assert.False(t, c.pictures[1].Key)
}

func TestDepacketizeFragments(t *testing.T) {
	d, c := depacketizer()
	d.Push(sets(0, 100), 0, noon)
	d.Push(packet(1, 100, false, 0x7c, 0x85, 0x88, 1, 2), 0, noon) // FU-A, start, type 5
	d.Push(packet(2, 100, false, 0x7c, 0x05, 3, 4), 0, noon)
	d.Push(packet(3, 100, true, 0x7c, 0x45, 5), 0, noon) // end
	require.Len(t, c.pictures, 1)
	assert.Equal(t, []byte{0, 0, 0, 7, 0x65, 0x88, 1, 2, 3, 4, 5}, c.pictures[0].Data)
}

func TestLossDropsThePictureAndWaitsForAKeyframe(t *testing.T) {
	d, c := depacketizer()
	d.Push(sets(0, 100), 0, noon)
	d.Push(packet(1, 100, true, pictures.IDR(9, 1)...), 0, noon)
	d.Push(packet(2, 200, false, 0x7c, 0x81, 0x9a, 1), 0, noon)
	// Packet 3, the middle of it, is lost.
	d.Push(packet(4, 200, true, 0x7c, 0x41, 2), 1, noon)
	d.Push(packet(5, 300, true, pictures.P(9, 1)...), 0, noon)
	d.Push(sets(6, 400), 0, noon)
	d.Push(packet(7, 400, true, pictures.IDR(9, 2)...), 0, noon)
	d.Push(packet(8, 500, true, pictures.P(9, 3)...), 0, noon)
	require.Len(t, c.pictures, 3)
	assert.Equal(t, []uint64{100, 400, 500}, []uint64{c.pictures[0].Stamp, c.pictures[1].Stamp, c.pictures[2].Stamp})
	assert.Equal(t, []accessunit.DropReason{accessunit.DropHole, accessunit.DropWaiting}, c.dropped)
}

func TestLossBeforeAKeyframeKeepsTheKeyframe(t *testing.T) {
	d, c := depacketizer()
	d.Push(sets(0, 100), 0, noon)
	d.Push(packet(1, 100, true, pictures.IDR(9, 1)...), 0, noon)
	d.Push(packet(2, 200, false, 0x7c, 0x81, 0x9a, 1), 0, noon)
	// The end of that picture is lost; the next begins plainly with its sets.
	d.Push(sets(4, 300), 1, noon)
	d.Push(packet(5, 300, true, pictures.IDR(9, 2)...), 0, noon)
	require.Len(t, c.pictures, 2)
	assert.Equal(t, uint64(300), c.pictures[1].Stamp)
}

func TestFragmentsOfTwoPicturesAreNeverSpliced(t *testing.T) {
	d, c := depacketizer()
	d.Push(sets(0, 100), 0, noon)
	d.Push(packet(1, 100, false, 0x7c, 0x85, 0x88, 1), 0, noon)
	// Whole packets are lost between: the end of one and the beginning of the next.
	d.Push(packet(9, 200, false, 0x7c, 0x05, 2), 7, noon)
	d.Push(packet(10, 200, true, 0x7c, 0x45, 3), 0, noon)
	assert.Empty(t, c.pictures)
}

func TestMarkerOnEverySlice(t *testing.T) {
	d, c := depacketizer()
	d.Push(sets(0, 100), 0, noon)
	seq := uint16(1)
	for n := range uint32(4) {
		first := pictures.P(9, 1)
		if n%2 == 0 {
			first = pictures.IDR(9, 1)
		}
		for i, nal := range [][]byte{first, pictures.More(9, 2), pictures.More(9, 3)} {
			d.Push(packet(seq, 100+n*100, true, nal...), 0, noon.Add(time.Duration(i)))
			seq++
		}
	}
	d.Push(packet(seq, 900, true, pictures.P(9, 1)...), 0, noon)
	last := c.pictures[len(c.pictures)-1]
	assert.Equal(t, 3, last.Slices, "after the first picture only the timestamp ends one")
	assert.Equal(t, uint64(400), last.Stamp)
}

func TestNoMarkerAtAll(t *testing.T) {
	d, c := depacketizer()
	d.Push(sets(0, 100), 0, noon)
	d.Push(packet(1, 100, false, pictures.IDR(9, 1)...), 0, noon)
	d.Push(packet(2, 200, false, pictures.P(9, 1)...), 0, noon)
	d.Push(packet(3, 300, false, pictures.P(9, 1)...), 0, noon)
	assert.Len(t, c.pictures, 2)
}

func TestMalformedPayloads(t *testing.T) {
	for name, payload := range map[string][]byte{
		"empty":                 {},
		"aggregate cut short":   {0x78, 0},
		"aggregate too long":    {0x78, 0xff, 0xff, 1},
		"fragment of one byte":  {0x7c},
		"fragment, no start":    {0x7c, 0x45, 1},
		"interleaved mode":      {0x79, 0, 0},
		"reserved":              {0x7f, 1, 2},
		"slice of nothing":      {0x65},
		"slice header all zero": {0x65, 0, 0, 0, 0, 0, 0},
	} {
		t.Run(name, func(t *testing.T) {
			d, c := depacketizer()
			d.Push(sets(0, 100), 0, noon)
			d.Push(packet(1, 100, true, payload...), 0, noon)
			d.Push(sets(2, 200), 0, noon)
			d.Push(packet(3, 200, true, pictures.IDR(9, 1)...), 0, noon)
			require.Len(t, c.pictures, 1, "the stream goes on")
			assert.Equal(t, uint64(200), c.pictures[0].Stamp)
		})
	}
}

func TestPictureTooLarge(t *testing.T) {
	d, c := depacketizer()
	d.Push(sets(0, 100), 0, noon)
	part := append([]byte{0x7c, 0x05}, make([]byte, 60000)...)
	d.Push(packet(1, 100, false, append([]byte{0x7c, 0x85, 0x88}, make([]byte, 60000)...)...), 0, noon)
	for i := range uint16(200) {
		d.Push(packet(2+i, 100, false, part...), 0, noon)
	}
	d.Push(packet(202, 100, true, 0x7c, 0x45, 1), 0, noon)
	assert.Empty(t, c.pictures)
	assert.Equal(t, []accessunit.DropReason{accessunit.DropTooLarge}, c.dropped)
}

func TestRoundTrip(t *testing.T) {
	track := pictures.Track(pictures.SPS)
	z := &rtp.Packetizer{MTU: 200, Sequence: 65530, Base: 0xffffff00}
	d, c := depacketizer()
	var want [][]byte
	for i := range 20 {
		data := pictures.Data(pictures.P(50+i*40, byte(i)), pictures.More(900, byte(i)))
		if i%5 == 0 {
			data = pictures.Data(pictures.IDR(100_000, byte(i)))
		}
		want = append(want, data)
		for _, p := range z.Packets(&media.Sample{Track: track, PTS: int64(i) * 3600, Key: i%5 == 0, Data: data}) {
			raw, err := p.Marshal()
			require.NoError(t, err)
			require.LessOrEqual(t, len(raw), 200)
			var q prtp.Packet
			require.NoError(t, q.Unmarshal(raw))
			d.Push(&q, 0, noon)
		}
	}
	require.Len(t, c.pictures, len(want))
	for i, p := range c.pictures {
		assert.Equal(t, want[i], p.Data, "picture %d", i)
	}
}

func TestReorderer(t *testing.T) {
	tests := []struct {
		name     string
		wait     time.Duration
		in       []uint16
		out      []uint16
		lost     int
		restarts int
	}{
		{"in order over the wrap", 0, []uint16{65534, 65535, 0, 1}, []uint16{65534, 65535, 0, 1}, 0, 0},
		{"swapped", time.Second, []uint16{1, 3, 2, 4}, []uint16{1, 2, 3, 4}, 0, 0},
		{"swapped over the wrap", time.Second, []uint16{65535, 1, 0, 2}, []uint16{65535, 0, 1, 2}, 0, 0},
		{"twice", time.Second, []uint16{1, 2, 2, 3, 1}, []uint16{1, 2, 3}, 0, 0},
		{"a gap, no waiting", 0, []uint16{1, 2, 5, 6}, []uint16{1, 2, 5, 6}, 2, 0},
		{"a restart", 0, []uint16{1, 2, 30000, 30001, 30002}, []uint16{1, 2, 30001, 30002}, 1, 1},
		{"one stray packet", 0, []uint16{1, 2, 30000, 3, 4}, []uint16{1, 2, 3, 4}, 0, 0},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			r := rtp.Reorderer{Wait: tt.wait}
			var out []uint16
			lost, restarts := 0, 0
			for _, seq := range tt.in {
				r.Push(packet(seq, 0, false), noon, func(p *prtp.Packet, l int, restart bool) {
					out = append(out, p.SequenceNumber)
					if restart {
						restarts++
					} else {
						lost += l
					}
				})
			}
			assert.Equal(t, tt.out, out)
			assert.Equal(t, tt.restarts, restarts)
			if restarts == 0 {
				assert.Equal(t, tt.lost, lost)
			}
		})
	}
}

func TestReordererGivesUp(t *testing.T) {
	r := rtp.Reorderer{Wait: 100 * time.Millisecond}
	var out []uint16
	lost := 0
	take := func(p *prtp.Packet, l int, _ bool) { out, lost = append(out, p.SequenceNumber), lost+l }
	r.Push(packet(1, 0, false), noon, take)
	r.Push(packet(3, 0, false), noon, take)
	r.Push(packet(4, 0, false), noon.Add(50*time.Millisecond), take)
	assert.Equal(t, []uint16{1}, out)
	r.Push(packet(5, 0, false), noon.Add(150*time.Millisecond), take)
	assert.Equal(t, []uint16{1, 3, 4, 5}, out)
	assert.Equal(t, 1, lost)
}

func FuzzDepacketize(f *testing.F) {
	f.Add([]byte{0x7c, 0x85, 0x88, 1, 2}, []byte{0x7c, 0x45, 3}, uint8(0))
	f.Add(stap(pictures.SPS, pictures.PPS), pictures.IDR(30, 1), uint8(1))
	f.Fuzz(func(t *testing.T, a, b []byte, lost uint8) {
		d, c := depacketizer()
		d.Push(sets(0, 1), 0, noon)
		d.Push(packet(1, 1, false, a...), 0, noon)
		d.Push(packet(2, 1, true, b...), int(lost), noon)
		d.Push(packet(3, 2, true, pictures.IDR(9, 1)...), 0, noon)
		for _, p := range c.pictures {
			total := 0
			for nal := range nalu.Units(p.Data) {
				total += 4 + len(nal)
			}
			if total != len(p.Data) {
				t.Fatalf("lengths add up to %d of %d bytes", total, len(p.Data))
			}
		}
	})
}
