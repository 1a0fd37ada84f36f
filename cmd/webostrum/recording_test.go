package main

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
)

func TestMomentsAsPeopleWriteThem(t *testing.T) {
	now := time.Date(2026, 11, 27, 14, 30, 0, 0, time.Local)
	for text, want := range map[string]time.Time{
		"":                     {},
		"now":                  now,
		"2h":                   now.Add(-2 * time.Hour),
		"90s":                  now.Add(-90 * time.Second),
		"08:00":                time.Date(2026, 11, 27, 8, 0, 0, 0, time.Local),
		"08:00:30":             time.Date(2026, 11, 27, 8, 0, 30, 0, time.Local),
		"2026-11-26":           time.Date(2026, 11, 26, 0, 0, 0, 0, time.Local),
		"2026-11-26 08:15":     time.Date(2026, 11, 26, 8, 15, 0, 0, time.Local),
		"2026-11-26T08:15:00Z": time.Date(2026, 11, 26, 8, 15, 0, 0, time.UTC),
	} {
		got, err := moment(text, now)
		require.NoError(t, err, text)
		assert.True(t, want.Equal(got), "%q is %v", text, got)
	}
	for _, wrong := range []string{"yesterday", "25:00", "-2h", "2026-13-01"} {
		_, err := moment(wrong, now)
		assert.Error(t, err, wrong)
	}
}

// TestOneFileForEachCoding of what was recorded.
func TestOneFileForEachCoding(t *testing.T) {
	at := func(m int) time.Time { return time.Date(2026, 11, 27, 8, m, 0, 0, time.UTC) }
	span := func(from, to, width int) apitypes.RecordedSpan {
		return apitypes.RecordedSpan{Begins: at(from), Ends: at(to), Width: width, Height: 2}
	}
	assert.Equal(t, []part{{at(0), at(30)}}, alike(nil, at(0), at(30)), "the service says that there is nothing")
	assert.Equal(t, []part{{at(0), at(30)}}, alike([]apitypes.RecordedSpan{span(0, 10, 640), span(15, 30, 640)}, at(0), at(30)), "a gap is left out")
	assert.Equal(t, []part{{at(0), at(10)}, {at(12), at(30)}}, alike([]apitypes.RecordedSpan{span(0, 10, 640), span(12, 30, 1280)}, at(0), at(30)))
}
