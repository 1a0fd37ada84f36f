package uptime_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/uptime"
)

var begin = time.Date(2026, 11, 27, 2, 0, 0, 0, time.UTC)

// pass looks at a feed every second.
func pass(t *uptime.Tracker, at *time.Time, seconds int, look uptime.Look) (ended *uptime.Outage) {
	for range seconds {
		*at = at.Add(time.Second)
		if o := t.Observe(*at, look); o != nil {
			ended = o
		}
	}
	return ended
}

var (
	live = uptime.Look{Kind: uptime.Live}
	down = uptime.Look{Kind: uptime.Down, Code: "camera-no-answer", Reason: "Nothing answers."}
)

func TestAnOutage(t *testing.T) {
	t.Parallel()
	var tr uptime.Tracker
	at := begin
	pass(&tr, &at, 60, live)
	assert.Nil(t, pass(&tr, &at, 2, down))
	assert.Nil(t, tr.Outage(), "too short yet")
	pass(&tr, &at, 30, down)
	require.NotNil(t, tr.Outage())
	assert.False(t, tr.Outage().Over)
	ended := pass(&tr, &at, 10, live)
	require.NotNil(t, ended)
	assert.Equal(t, &uptime.Outage{Began: begin.Add(61 * time.Second), Lasted: 32 * time.Second, Over: true, Code: "camera-no-answer", Reason: "Nothing answers."}, ended)
	s := tr.Take()
	assert.Equal(t, uptime.Sums{Live: 69 * time.Second, Down: 32 * time.Second}, s)
	share, ok := s.Availability()
	assert.True(t, ok)
	assert.InDelta(t, 69.0/101, share, 1e-9)
	assert.Equal(t, uptime.Sums{}, tr.Take())
}

// TestABlink is in the sums and is no outage.
func TestABlink(t *testing.T) {
	t.Parallel()
	var tr uptime.Tracker
	at := begin
	pass(&tr, &at, 10, live)
	pass(&tr, &at, 2, down)
	assert.Nil(t, pass(&tr, &at, 5, live))
	assert.Equal(t, 2*time.Second, tr.Take().Down)
}

// TestGapsAndSteps: what lies between two looks that are far apart is not known, and a clock
// that goes back adds nothing.
func TestGapsAndSteps(t *testing.T) {
	t.Parallel()
	var tr uptime.Tracker
	at := begin
	pass(&tr, &at, 10, live)
	at = at.AddDate(1, 0, 0)
	pass(&tr, &at, 10, live)
	at = at.AddDate(-2, 0, 0)
	pass(&tr, &at, 10, live)
	assert.Equal(t, 27*time.Second, tr.Take().Live)
}

func TestResume(t *testing.T) {
	t.Parallel()
	var tr uptime.Tracker
	tr.Resume(uptime.Outage{Began: begin, Lasted: time.Hour, Code: "x"})
	at := begin.Add(2 * time.Hour)
	pass(&tr, &at, 11, uptime.Look{Kind: uptime.Down})
	assert.Equal(t, time.Hour+10*time.Second, tr.Outage().Lasted)
	assert.Equal(t, "x", tr.Outage().Code, "as long as nothing newer is known")
	ended := pass(&tr, &at, 1, live)
	assert.Equal(t, begin, ended.Began)
}

func TestWorst(t *testing.T) {
	t.Parallel()
	for want, s := range map[uptime.Kind]uptime.Sums{
		uptime.Unknown:  {},
		uptime.Live:     {Live: time.Hour, Down: 10 * time.Second},
		uptime.Down:     {Live: time.Hour, Down: time.Minute},
		uptime.Degraded: {Live: time.Hour, Degraded: time.Minute},
		uptime.Off:      {Live: time.Minute, Off: time.Hour},
		uptime.Waiting:  {Waiting: time.Hour, Off: time.Minute},
	} {
		assert.Equal(t, want, s.Worst(), s)
		assert.NotEmpty(t, want.String())
	}
}

func TestQuality(t *testing.T) {
	t.Parallel()
	var q uptime.Quality
	packets, lost := uint64(0), uint64(0)
	look := func(n int, rate float64, share float64) (why string) {
		for range n {
			packets += 100
			lost += uint64(100 * share)
			why = q.Look(rate, packets, lost)
		}
		return why
	}
	assert.Empty(t, look(120, 25, 0))
	assert.Empty(t, look(4, 10, 0), "not at once")
	assert.Equal(t, "the frame rate is low", look(2, 10, 0))
	assert.Equal(t, "the frame rate is low", look(600, 10, 0), "low does not become usual")
	assert.Empty(t, look(20, 25, 0))
	assert.Equal(t, "packets are lost", look(6, 25, 0.1))
	packets, lost = 0, 0 // another session
	assert.Empty(t, look(20, 25, 0))
	q.Reset()
	assert.Empty(t, look(50, 10, 0), "another usual")
	q.Reset()
	assert.Empty(t, look(50, 0.3, 0), "stills")
	assert.Empty(t, look(50, 0, 0))
}
