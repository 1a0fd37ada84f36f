package pcm_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/pcm"
)

// TestG711 checks the ends of each segment against tables 1 and 2 of ITU-T G.711,
// scaled to 16 bits.
func TestG711(t *testing.T) {
	mu := map[byte]int16{0x00: -32124, 0x80: 32124, 0xff: 0, 0x7f: 0, 0xf0: 120, 0xef: 132, 0x8f: 16764, 0x0f: -16764}
	for b, want := range mu {
		assert.Equal(t, want, pcm.DecodeMu([]byte{b})[0], "mu-law %#x", b)
	}
	a := map[byte]int16{0xd5: 8, 0x55: -8, 0x2a: -32256, 0xaa: 32256, 0xda: 248, 0xc5: 264}
	for b, want := range a {
		assert.Equal(t, want, pcm.DecodeA([]byte{b})[0], "A-law %#x", b)
	}
	for i := range 256 {
		b := byte(i)
		if b != 0x7f { // zero has two codes
			assert.Equal(t, []byte{b}, pcm.EncodeMu(pcm.DecodeMu([]byte{b})))
		}
		assert.Equal(t, []byte{b}, pcm.EncodeA(pcm.DecodeA([]byte{b})))
	}
	for _, s := range []int16{math.MinInt16, -1, 0, 1, 1000, math.MaxInt16} {
		assert.InDelta(t, s, pcm.DecodeMu(pcm.EncodeMu([]int16{s}))[0], 700)
		assert.InDelta(t, s, pcm.DecodeA(pcm.EncodeA([]int16{s}))[0], 700)
	}
	assert.Equal(t, []int16{-2, 258}, pcm.DecodeBig(append(pcm.Big([]int16{-2, 258}), 9)))
}

func tone(rate, n int, hertz float64) []int16 {
	out := make([]int16, n)
	for i := range out {
		out[i] = int16(12000 * math.Sin(2*math.Pi*hertz*float64(i)/float64(rate)))
	}
	return out
}

// TestResample compares with the tone as it would have been sampled at the other
// rate, and pushes in blocks of uneven size.
func TestResample(t *testing.T) {
	for _, rates := range [][2]int{{44100, 48000}, {48000, 44100}, {8000, 48000}, {48000, 8000}, {22050, 48000}, {16000, 16000}} {
		from, to := rates[0], rates[1]
		hertz := 0.15 * float64(min(from, to))
		in, want := tone(from, from, hertz), tone(to, to, hertz)
		r := pcm.NewResampler(from, to, 1)
		var got []int16
		for i, n := 0, 1; i < len(in); i, n = i+n, n%701+13 {
			got = append(got, r.Push(in[i:min(i+n, len(in))])...)
		}
		assert.InDelta(t, to, len(got), float64(to)/100, "%v: all but the last few come out", rates)
		worst := 0.0
		for i := to / 100; i < len(got)-to/100; i++ {
			worst = max(worst, math.Abs(float64(got[i])-float64(want[i])))
		}
		assert.Less(t, worst, 12000*0.02, "%v: the same tone at the same time", rates)
	}
}

// TestResampleTakesAwayWhatAliases has a tone that the lower rate cannot hold.
func TestResampleTakesAwayWhatAliases(t *testing.T) {
	r := pcm.NewResampler(48000, 8000, 1)
	loudest := 0
	for i, s := range r.Push(tone(48000, 48000, 6000)) {
		if i > 50 {
			loudest = max(loudest, int(s), -int(s))
		}
	}
	assert.Less(t, loudest, 60, "of 12,000")
}

func TestResampleKeepsChannelsApart(t *testing.T) {
	r := pcm.NewResampler(8000, 16000, 2)
	in := make([]int16, 2*800)
	for i := 0; i < len(in); i += 2 {
		in[i] = 5000
	}
	out := r.Push(in)
	assert.InDelta(t, 5000, out[len(out)/2&^1], 20)
	assert.Zero(t, out[len(out)/2|1])
}

func TestStretch(t *testing.T) {
	in := []int16{0, 100, 10, 110, 20, 120}
	assert.Equal(t, []int16{0, 100, 5, 105, 10, 110, 15, 115, 20, 120}, pcm.Stretch(in, 2, 5))
	assert.Equal(t, []int16{0, 100, 20, 120}, pcm.Stretch(in, 2, 2))
	assert.Equal(t, []int16{7}, pcm.Stretch([]int16{7}, 1, 2))
}
