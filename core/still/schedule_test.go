package still_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/still"
)

func at(t *testing.T, text string) time.Time {
	t.Helper()
	x, err := time.Parse(time.RFC3339, text)
	require.NoError(t, err)
	return x
}

func TestEverySoOften(t *testing.T) {
	s := still.Schedule{Every: 10 * time.Minute}
	assert.Equal(t, at(t, "2026-11-27T12:10:00Z"), s.Next(at(t, "2026-11-27T12:00:00Z")))
	assert.Equal(t, at(t, "2026-11-27T12:10:00Z"), s.Next(at(t, "2026-11-27T12:09:59Z")))
}

func TestAtTimesOfDay(t *testing.T) {
	zone := time.FixedZone("", 3600)
	s := still.Schedule{At: []int{8 * 60, 20*60 + 30}, Zone: zone}
	assert.True(t, at(t, "2026-11-27T07:00:00Z").Equal(s.Next(at(t, "2026-11-27T06:00:00Z"))))
	assert.True(t, at(t, "2026-11-27T19:30:00Z").Equal(s.Next(at(t, "2026-11-27T07:00:00Z"))))
	assert.True(t, at(t, "2026-11-28T07:00:00Z").Equal(s.Next(at(t, "2026-11-27T19:30:00Z"))), "the next morning")
	assert.Zero(t, still.Schedule{}.Next(at(t, "2026-11-27T19:30:00Z")))
}

func TestWhileTheSunIsUp(t *testing.T) {
	s := still.Schedule{Every: 10 * time.Minute, Sun: true, Latitude: 47.05, Longitude: 8.3}
	noon := at(t, "2026-11-27T11:03:00Z")
	assert.Equal(t, at(t, "2026-11-27T11:10:00Z"), s.Next(noon))
	morning := s.Next(at(t, "2026-11-27T18:00:00Z"))
	assert.WithinDuration(t, at(t, "2026-11-28T06:50:00Z"), morning, 15*time.Minute, "sunrise of the next day")
	assert.Zero(t, morning.Minute()%10)
	polar := still.Schedule{Every: time.Hour, Sun: true, Latitude: 78, Longitude: 15}
	spring := polar.Next(noon)
	assert.Equal(t, time.February, spring.Month(), "after the polar night")
}

func TestNames(t *testing.T) {
	taken := at(t, "2026-11-27T08:30:00Z")
	name := still.Name("summit-mast", "daylight", taken)
	assert.Equal(t, "summit-mast/daylight/2026-11-27/summit-mast-20261127T083000Z.jpg", name)
	again, ok := still.ParseName(name)
	assert.True(t, ok)
	assert.Equal(t, taken, again)
	film := still.FilmName("summit-mast", "daylight", "webm", taken, taken.Add(24*time.Hour))
	assert.Equal(t, "summit-mast/daylight/summit-mast-20261127T083000Z-20261128T083000Z.webm", film)
	from, to, format, ok := still.ParseFilmName(film)
	assert.True(t, ok)
	assert.Equal(t, taken, from)
	assert.Equal(t, 24*time.Hour, to.Sub(from))
	assert.Equal(t, "webm", format)
	for _, other := range []string{"latest.jpg", "latest.mp4", "../x", "a-20269927T083000Z.jpg", ""} {
		_, ok := still.ParseName(other)
		assert.False(t, ok)
		_, _, _, ok = still.ParseFilmName(other)
		assert.False(t, ok)
	}
	_, err := still.ParseClock("7:5")
	assert.Error(t, err)
	minute, err := still.ParseClock("07:30")
	require.NoError(t, err)
	assert.Equal(t, 450, minute)
}
