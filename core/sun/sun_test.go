package sun_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/sun"
)

// TestKnownDays are of almanacs: equinox on the equator, midsummer and midwinter at 47 degrees
// north, and a place far in the east.
func TestKnownDays(t *testing.T) {
	for _, c := range []struct {
		day       string
		zone      int // hours
		lat, long float64
		rise, set string
	}{
		{"2026-03-20", 0, 0, 0, "06:04", "18:11"},
		{"2026-06-21", 2, 47.05, 8.3, "05:29", "21:25"},
		{"2026-12-21", 1, 47.05, 8.3, "08:09", "16:37"},
		{"2026-12-21", 9, 35.68, 139.69, "06:47", "16:32"},
	} {
		day, err := time.ParseInLocation(time.DateOnly, c.day, time.FixedZone("", c.zone*3600))
		require.NoError(t, err)
		rise, set, _, ok := sun.Times(day.Add(12*time.Hour), c.lat, c.long)
		require.True(t, ok)
		for at, want := range map[time.Time]string{rise: c.rise, set: c.set} {
			assert.Equal(t, c.day, at.Format(time.DateOnly))
			clock, err := time.Parse("15:04", want)
			require.NoError(t, err)
			off := at.Hour()*60 + at.Minute() - clock.Hour()*60 - clock.Minute()
			assert.InDelta(t, 0, off, 5, "%s at %v, %v", c.day, c.lat, at)
		}
	}
}

func TestBeyondThePolarCircle(t *testing.T) {
	summer, winter := time.Date(2026, 6, 21, 1, 0, 0, 0, time.UTC), time.Date(2026, 12, 21, 12, 0, 0, 0, time.UTC)
	_, _, up, ok := sun.Times(summer, 78, 15)
	assert.True(t, up)
	assert.False(t, ok)
	assert.True(t, sun.Up(summer, 78, 15))
	assert.False(t, sun.Up(winter, 78, 15))
	assert.True(t, sun.Up(winter, 47, 8))
	assert.False(t, sun.Up(winter.Add(12*time.Hour), 47, 8))
}
