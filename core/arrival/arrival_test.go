package arrival_test

import (
	"math"
	"math/rand"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/arrival"
)

var noon = time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)

// spread returns the standard deviation of the steps between times, in ms.
func spread(times []time.Time) float64 {
	var sum, squares float64
	n := float64(len(times) - 1)
	for i := 1; i < len(times); i++ {
		d := times[i].Sub(times[i-1]).Seconds() * 1000
		sum += d
		squares += d * d
	}
	return math.Sqrt(squares/n - sum/n*sum/n)
}

func TestJitterIsSmoothed(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	var c arrival.Clock
	var raw, smooth []time.Time
	for i := range 500 {
		at := noon.Add(time.Duration(i)*100*time.Millisecond + time.Duration(r.Intn(40))*time.Millisecond)
		got := c.Read(at, time.Time{})
		assert.InDelta(t, 0, got.Sub(at).Seconds(), 0.06, "never far from the arrival")
		if i >= 100 {
			raw, smooth = append(raw, at), append(smooth, got)
		}
	}
	assert.Less(t, spread(smooth), spread(raw)/3)
	assert.False(t, c.FromCamera())
}

func TestPausesAndOtherRatesAreTakenAsTheyAre(t *testing.T) {
	var c arrival.Clock
	at := noon
	read := func(step time.Duration) time.Duration {
		at = at.Add(step)
		return c.Read(at, time.Time{}).Sub(at)
	}
	for range 20 {
		read(100 * time.Millisecond)
	}
	assert.Zero(t, read(3*time.Second), "a pause")
	for range 20 {
		read(500 * time.Millisecond)
	}
	assert.InDelta(t, 0, read(500*time.Millisecond).Seconds(), 0.02, "half as fast as before")
}

func TestStamps(t *testing.T) {
	var c arrival.Clock
	for i := range 50 {
		stamp := noon.Add(time.Duration(i) * 100 * time.Millisecond)
		at := stamp.Add(time.Duration(30+i%3) * time.Millisecond)
		assert.Equal(t, stamp, c.Read(at, stamp), "the camera's own time")
	}
	assert.True(t, c.FromCamera())
	assert.InDelta(t, -0.030, c.WallOffset().Seconds(), 0.002)
}

func TestStampsOfAClockThatWasNeverSet(t *testing.T) {
	var c arrival.Clock
	for i := range 50 {
		taken := time.Duration(i) * 100 * time.Millisecond
		at := noon.Add(taken + time.Duration(30+i%3)*time.Millisecond)
		stamp := time.Unix(1, 0).Add(taken)
		assert.WithinDuration(t, noon.Add(taken+30*time.Millisecond), c.Read(at, stamp), 3*time.Millisecond, "spaced by the camera, placed by us")
	}
	assert.False(t, c.FromCamera())
}
