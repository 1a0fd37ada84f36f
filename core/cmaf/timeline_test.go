package cmaf_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/cmaf"
	"webostrum/core/media"
)

var track = &media.Track{Kind: media.KindVideo, ClockRate: 90000}

func at(dts int64) *media.Sample { return &media.Sample{Track: track, DTS: dts} }

// TestEachBeginsWhereTheOneBeforeEnded, whatever the camera's clock does, and the
// timeline stays near the camera's.
func TestEachBeginsWhereTheOneBeforeEnded(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	var line cmaf.Timeline
	dts, end := int64(1000), int64(1000)
	for i := range 2000 {
		begin, duration := line.Place(at(dts))
		require.Equal(t, end, begin)
		require.Positive(t, duration)
		end = begin + int64(duration)
		assert.InDelta(t, dts, begin, 3600, "sample %d", i)
		dts += 3600 + random.Int64N(2400) - 1200
	}
}

func TestASteadyCameraIsLeftAsItIs(t *testing.T) {
	var line cmaf.Timeline
	for i := range int64(100) {
		begin, duration := line.Place(at(i * 3600))
		assert.Equal(t, i*3600, begin)
		assert.Equal(t, uint32(3600), duration)
	}
}

func TestLostFramesAreCaughtUpWith(t *testing.T) {
	var line cmaf.Timeline
	for i := range int64(20) {
		line.Place(at(i * 3600))
	}
	begin, duration := line.Place(at(25 * 3600)) // five are missing
	assert.Equal(t, int64(20*3600), begin, "no gap")
	assert.Equal(t, uint32(5400), duration)
	for i := range int64(20) {
		begin, _ = line.Place(at((26 + i) * 3600))
	}
	assert.Equal(t, int64(45*3600), begin, "where the camera is")
}

func TestThePaceIsLearnt(t *testing.T) {
	var line cmaf.Timeline
	_, duration := line.Place(at(0))
	assert.Equal(t, uint32(3600), duration, "nothing is known")
	for i := range int64(9) {
		line.Place(at((i + 1) * 90000))
	}
	line.Begin()
	begin, duration := line.Place(at(5_000_000))
	assert.Equal(t, int64(5_000_000), begin)
	assert.Equal(t, uint32(90000), duration, "of a camera that sends one a second")
}
