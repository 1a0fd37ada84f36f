package alert_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/alert"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func down(names ...string) (list []alert.Condition) {
	for _, n := range names {
		list = append(list, alert.Condition{Key: "down " + n, Feed: n, Text: n + " is down"})
	}
	return list
}

func feeds(list []alert.Condition) (names []string) {
	for _, c := range list {
		names = append(names, c.Feed)
	}
	return names
}

// TestOneMessageForMany: what begins within the time is told together, and once.
func TestOneMessageForMany(t *testing.T) {
	t.Parallel()
	e := alert.Engine{Together: time.Minute}
	assert.Nil(t, e.Step(noon, down("a")))
	assert.Nil(t, e.Step(noon.Add(30*time.Second), down("a", "b", "blink")))
	m := e.Step(noon.Add(time.Minute), down("a", "b"))
	require.NotNil(t, m)
	assert.Equal(t, []string{"a", "b"}, feeds(m.Raised))
	assert.Empty(t, m.Over, "a blink is not told of")
	assert.Equal(t, 2, m.Open)
	assert.Nil(t, e.Step(noon.Add(time.Hour), down("a", "b")), "nothing is told twice")
	assert.Nil(t, e.Step(noon.Add(2*time.Hour), down("b", "c")))
	m = e.Step(noon.Add(2*time.Hour+time.Minute), down("b", "c"))
	require.NotNil(t, m)
	assert.Equal(t, []string{"c"}, feeds(m.Raised))
	assert.Equal(t, []string{"a"}, feeds(m.Over))
	assert.Nil(t, e.Step(noon.Add(3*time.Hour), down("b", "c", "d")))
	assert.Nil(t, e.Step(noon.Add(3*time.Hour+time.Minute), down("b", "c")), "it came and went")
}

// TestQuietTimes hold back, over midnight, and tell at their end what was meanwhile.
func TestQuietTimes(t *testing.T) {
	t.Parallel()
	q := alert.Quiet{From: 22 * time.Hour, To: 6 * time.Hour}
	e := alert.Engine{Together: time.Minute, Quiet: q}
	night := time.Date(2026, 11, 27, 23, 0, 0, 0, time.UTC)
	for i := range 60 {
		wrong := down("all-night")
		if i > 10 && i < 20 {
			wrong = down("all-night", "meanwhile")
		}
		assert.Nil(t, e.Step(night.Add(time.Duration(i)*time.Minute), wrong))
	}
	m := e.Step(night.Add(7*time.Hour), down("all-night"))
	require.NotNil(t, m)
	assert.True(t, m.Quiet)
	assert.Equal(t, []string{"all-night"}, feeds(m.Raised))
	assert.Equal(t, []string{"meanwhile"}, feeds(m.Over))
	for hour, want := range map[int]bool{21: false, 22: true, 23: true, 0: true, 5: true, 6: false, 12: false} {
		assert.Equal(t, want, q.Covers(time.Date(2026, 11, 27, hour, 0, 0, 0, time.UTC)), hour)
	}
	day := alert.Quiet{From: 12 * time.Hour, To: 13 * time.Hour}
	assert.True(t, day.Covers(noon))
	assert.False(t, alert.Quiet{}.Covers(noon))
}

// TestTooMany are counted, and no memory is taken for them.
func TestTooMany(t *testing.T) {
	t.Parallel()
	var e alert.Engine
	var names []string
	for i := range 700 {
		names = append(names, fmt.Sprint("f", i))
	}
	m := e.Step(noon, down(names...))
	require.NotNil(t, m)
	assert.Len(t, m.Raised, 500)
	assert.Equal(t, 200, m.More)
}

// TestAClockThatIsSetBack does not hold a message back for as long.
func TestAClockThatIsSetBack(t *testing.T) {
	t.Parallel()
	e := alert.Engine{Together: time.Minute}
	assert.Nil(t, e.Step(noon, down("a")))
	assert.NotNil(t, e.Step(noon.AddDate(-1, 0, 0), down("a")))
}
