package sim

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// TestStarts follows a worker that dies again and again, and one that falls silent.
func TestStarts(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	var s starts
	assert.True(t, s.due(now), "the first at once")
	var pauses []time.Duration
	for range 8 {
		s.failed("gate", "encoder", now, errors.New("killed"))
		assert.False(t, s.due(now))
		pauses = append(pauses, s.next.Sub(now))
		now = s.next
		assert.True(t, s.due(now))
	}
	assert.Equal(t, firstStartPause, pauses[0])
	assert.Equal(t, 2*firstStartPause, pauses[1])
	assert.Equal(t, longestStartPause, pauses[7])

	assert.False(t, s.silent(now.Add(silentAfter-1)))
	s.came()
	assert.False(t, s.silent(now.Add(silentAfter)), "something came")
	now = now.Add(silentAfter)
	for range fewestGiven {
		assert.False(t, s.silent(now.Add(silentAfter)), "it was given little yet")
	}
	assert.True(t, s.silent(now.Add(silentAfter)))
	s.failed("gate", "encoder", now, errSilent)
	assert.Equal(t, firstStartPause, s.next.Sub(now), "it had come up meanwhile")
}
