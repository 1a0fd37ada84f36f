package timeline_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/timeline"
	"webostrum/testkit/pictures"
)

var noon = time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)

func TestClockJumps(t *testing.T) {
	c := timeline.Clock{Rate: 90000}
	first := c.Read(0xfffffff0, noon)
	assert.Equal(t, int64(0), first.Ticks)
	next := c.Read(3584, noon.Add(40*time.Millisecond))
	assert.Equal(t, int64(3600), next.Ticks, "over the wrap")
	assert.False(t, next.Jumped)
	back := c.Read(7184, noon.Add(time.Hour))
	assert.False(t, back.Jumped, "late, but not set anew")
	jump := c.Read(7184+90000*3600, noon.Add(time.Hour+40*time.Millisecond))
	assert.True(t, jump.Jumped)
	assert.WithinDuration(t, noon.Add(time.Hour+40*time.Millisecond), jump.Captured, 50*time.Millisecond)
}

func TestClockUsesSenderReports(t *testing.T) {
	c := timeline.Clock{Rate: 90000}
	taken := noon.Add(-300 * time.Millisecond)
	c.Report(timeline.ToNTP(taken), 90000, noon)
	r := c.Read(90000, noon)
	assert.True(t, c.FromReports())
	assert.WithinDuration(t, taken, r.Captured, time.Microsecond)

	c.Report(timeline.ToNTP(noon.Add(-time.Hour)), 90000, noon)
	assert.False(t, c.FromReports(), "a clock that is an hour off is not believed")
	assert.Equal(t, time.Hour, c.WallOffset().Round(time.Second))
	assert.WithinDuration(t, noon.Add(20*time.Second), c.Read(90000*21, noon.Add(20*time.Second)).Captured, 10*time.Millisecond, "and left little by little")
}

func TestNTPRoundTrip(t *testing.T) {
	at := time.Date(2026, 11, 25, 3, 4, 5, 678912345, time.UTC)
	assert.WithinDuration(t, at, timeline.NTPTime(timeline.ToNTP(at)), time.Nanosecond)
	assert.Equal(t, uint64(2208988800)<<32, timeline.ToNTP(time.Unix(0, 0)))
}

// TestStampsOfAnyWidth wraps where the source's clock does.
func TestStampsOfAnyWidth(t *testing.T) {
	for bits, rate := range map[uint]uint32{32: 90000, 33: 90000, 24: 1000} {
		c := timeline.Clock{Rate: rate, Bits: bits}
		end := uint64(1)<<bits - uint64(rate)/50
		first := c.Read(end, noon)
		next := c.Read((end+uint64(rate)/25)%(1<<bits), noon.Add(40*time.Millisecond))
		assert.Equal(t, int64(rate)/25, next.Ticks-first.Ticks, "%d bits", bits)
		assert.False(t, next.Jumped, "%d bits", bits)
		back := c.Read((end+uint64(rate)/50)%(1<<bits), noon.Add(50*time.Millisecond))
		assert.Equal(t, -int64(rate)/50, back.Ticks-next.Ticks, "%d bits: B-frames go back", bits)
	}
}

// TestEpochs begins one at the first keyframe, and at one after a break or another coding.
func TestEpochs(t *testing.T) {
	var got []*media.Sample
	v := timeline.Video{Clock: timeline.Clock{Rate: 90000}, Publish: func(s *media.Sample) { got = append(got, s) }}
	v.Begin(7)
	config, other := pictures.Track(pictures.SPS).Video, &media.VideoConfig{Codec: media.JPEG, Width: 8, Height: 8}
	at := 0
	take := func(key bool, c *media.VideoConfig) bool {
		at++
		return v.Take(timeline.Unit{Data: []byte{1}, Stamp: uint64(at) * 3600, Arrived: noon.Add(time.Duration(at) * 40 * time.Millisecond), Key: key, Config: c})
	}
	assert.False(t, take(false, config), "nothing before a keyframe")
	assert.Nil(t, v.Config())
	assert.True(t, take(true, config))
	assert.True(t, take(false, config))
	v.Break()
	assert.False(t, take(false, config))
	assert.True(t, take(true, config))
	assert.True(t, take(true, other))
	require.Len(t, got, 4)
	var numbers []uint64
	for _, s := range got {
		numbers = append(numbers, s.Epoch.Number)
	}
	assert.Equal(t, []uint64{7, 7, 8, 9}, numbers)
	assert.Equal(t, uint64(10), v.NextEpoch())
	assert.Equal(t, other, v.Config())
}
