package station

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/fault"
)

func TestMoves(t *testing.T) {
	t.Parallel()
	states := []State{StateOff, StateIdle, StateConnecting, StateLive, StateStalled, StateRetrying, StateRefused, StateWaiting}
	may := map[State]string{
		//                off idle connecting live stalled retrying refused waiting
		StateOff:        ".xx....x",
		StateIdle:       "x.x.....",
		StateConnecting: "xx.x.xxx",
		StateLive:       "xx..xxxx",
		StateStalled:    "x..x.xxx",
		StateRetrying:   "x..x.xxx",
		StateRefused:    "x..x.xxx",
		StateWaiting:    "x.xx.xxx",
	}
	noon := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	for from, row := range may {
		for i, to := range states {
			c := Condition{State: from, Since: noon.Add(-time.Hour)}
			next, legal := c.move(to, nil, noon)
			assert.Equal(t, row[i] == 'x', legal, "%s to %s", from, to)
			assert.Equal(t, to, next.State)
		}
	}
}

func TestTimeOfTheLastChange(t *testing.T) {
	t.Parallel()
	noon := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	c := Condition{State: StateLive, Since: noon}
	c, _ = c.move(StateRetrying, nil, noon.Add(time.Minute))
	assert.Equal(t, noon.Add(time.Minute), c.Since)
	c, _ = c.move(StateRetrying, nil, noon.Add(2*time.Minute))
	assert.Equal(t, noon.Add(time.Minute), c.Since, "still the same state")
}

func TestAfter(t *testing.T) {
	t.Parallel()
	tests := []struct {
		code    fault.Code
		wasLive bool
		want    State
	}{
		{fault.Stalled, true, StateStalled},
		{fault.HungUp, true, StateRetrying},
		{fault.PortClosed, false, StateRetrying},
		{fault.SignInRefused, false, StateRefused},
		{fault.SignInRefused, true, StateRefused},
		{fault.NoVideo, false, StateRefused},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, after(fault.New(tt.code, nil, ""), tt.wasLive), tt.code)
	}
}

func TestPauses(t *testing.T) {
	t.Parallel()
	closed := fault.New(fault.PortClosed, nil, "")
	var before time.Duration
	for tries := 1; tries < 12; tries++ {
		d := pause(StateRetrying, closed, tries, 0.5)
		assert.GreaterOrEqual(t, d, before)
		before = d
	}
	assert.Equal(t, longestPause, before)
	assert.Equal(t, firstPause, pause(StateRetrying, closed, 1, 0.5))
	assert.Less(t, pause(StateRetrying, closed, 3, 0), pause(StateRetrying, closed, 3, 1), "spread by chance")
	assert.Equal(t, signInPause, pause(StateRefused, fault.New(fault.SignInRefused, nil, ""), 1, 0.5), "cameras lock accounts")
	assert.Equal(t, refusedPause, pause(StateRefused, fault.New(fault.NoVideo, nil, ""), 1, 0.5))
}
