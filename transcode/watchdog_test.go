package transcode

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// TestWatchdog counts silence from when the worker was given something, and not from
// when it last spoke: it owes nothing while it has nothing to do.
func TestWatchdog(t *testing.T) {
	begun := time.Unix(1000, 0)
	w, d := &Worker{}, &watchdog{}
	at := func(d time.Duration) time.Time { return begun.Add(d) }
	assert.NoError(t, d.check(w, at(time.Hour)), "nothing was given yet")
	d.given(at(0))
	w.last.Store(at(time.Millisecond).UnixNano())
	assert.NoError(t, d.check(w, at(2*time.Millisecond)))
	const pause = 4 * mostSilence
	assert.NoError(t, d.check(w, at(pause)), "there was nothing to do")
	d.given(at(pause))
	assert.NoError(t, d.check(w, at(pause+askAfter/2)), "it has only just been given something")
	assert.Equal(t, at(pause), d.silent)
	d.given(at(pause + askAfter/2))
	assert.Equal(t, at(pause), d.silent, "the first thing that is unanswered counts")
}
