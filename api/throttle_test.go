package api

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestThrottle(t *testing.T) {
	t.Parallel()
	var th throttle
	now := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	var waits []time.Duration
	for range 12 {
		th.failed("a", now)
		waits = append(waits, th.wait("a", now))
	}
	second := time.Second
	assert.Equal(t, []time.Duration{0, 0, 0, 2 * second, 4 * second, 8 * second, 16 * second, 32 * second, time.Minute, time.Minute, time.Minute, time.Minute}, waits)
	assert.Zero(t, th.wait("b", now), "others are not held up")
	assert.Zero(t, th.wait("a", now.Add(time.Minute)))
	th.failed("a", now.Add(time.Hour))
	assert.Zero(t, th.wait("a", now.Add(time.Hour)), "forgotten after a while")
	th.failed("c", now)
	th.succeeded("c")
	assert.Zero(t, th.wait("c", now))
	for i := range 3 * mostTracked {
		th.failed(fmt.Sprint(i), now)
	}
	assert.LessOrEqual(t, len(th.fails), mostTracked)
}
