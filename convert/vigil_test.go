package convert

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// TestVigil counts silence from when the worker was given something, and not from
// when it last spoke: it owes nothing while it has nothing to do.
func TestVigil(t *testing.T) {
	begun := time.Unix(1000, 0)
	w, v := &Worker{}, &vigil{}
	at := func(d time.Duration) time.Time { return begun.Add(d) }
	assert.NoError(t, v.check(w, at(time.Hour)), "nothing was given yet")
	v.given(at(0))
	w.heard.Store(at(time.Millisecond).UnixNano())
	assert.NoError(t, v.check(w, at(2*time.Millisecond)))
	const pause = 4 * mostSilence
	assert.NoError(t, v.check(w, at(pause)), "there was nothing to do")
	v.given(at(pause))
	assert.NoError(t, v.check(w, at(pause+askAfter/2)), "it has only just been given something")
	assert.Equal(t, at(pause), v.silent)
	v.given(at(pause + askAfter/2))
	assert.Equal(t, at(pause), v.silent, "the first thing that is unanswered counts")
}
