package record

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/store"
)

// TestAClockThatWasSet is not gone by for a day.
func TestAClockThatWasSet(t *testing.T) {
	var c clockWatch
	begin := time.Now()
	assert.False(t, c.trusted(begin), "just after the start")
	assert.True(t, c.trusted(begin.Add(settlesFor)))
	c.wall = c.wall.Add(-365 * 24 * time.Hour) // as if it were set a year forward from here on
	assert.False(t, c.trusted(begin.Add(settlesFor+time.Minute)))
	assert.False(t, c.trusted(begin.Add(settlesFor+23*time.Hour)))
	assert.True(t, c.trusted(begin.Add(settlesFor+25*time.Hour)))
}

func TestWhyAFeedIsRecorded(t *testing.T) {
	l := &Library{hand: make(map[string]time.Time), state: make(map[string]*State)}
	friday := time.Date(2026, 11, 27, 8, 0, 0, 0, time.UTC)
	office := store.Recording{Mode: WhyTimetable, Timetable: "mon-fri 07:00-19:00", Zone: "UTC"}
	assert.Equal(t, WhyTimetable, l.reason("gate", office, friday))
	assert.Empty(t, l.reason("gate", office, friday.Add(12*time.Hour)))
	office.Zone = "Asia/Tokyo"
	assert.Equal(t, WhyTimetable, l.reason("gate", office, friday), "it is afternoon there")
	assert.Empty(t, l.reason("gate", office, friday.Add(4*time.Hour)))
	assert.Equal(t, WhyAlways, l.reason("gate", store.Recording{Mode: WhyAlways}, friday))
	assert.Empty(t, l.reason("gate", store.Recording{}, friday))
	l.Begin("gate", time.Hour)
	now := time.Now()
	assert.Equal(t, WhyHand, l.reason("gate", store.Recording{}, now))
	assert.Empty(t, l.reason("gate", store.Recording{}, now.Add(2*time.Hour)), "it has ended by itself")
	l.Begin("gate", 0)
	assert.Equal(t, WhyHand, l.reason("gate", store.Recording{}, now.Add(1000*time.Hour)))
	l.Stop("gate")
	assert.Empty(t, l.reason("gate", store.Recording{}, now))
}
