package main

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestTimesAsPeopleWriteThem(t *testing.T) {
	now := time.Date(2026, 11, 27, 14, 30, 0, 0, time.Local)
	for text, want := range map[string]time.Time{
		"":                     {},
		"now":                  now,
		"2h":                   now.Add(-2 * time.Hour),
		"90s":                  now.Add(-90 * time.Second),
		"2d":                   now.Add(-48 * time.Hour),
		"1.5d":                 now.Add(-36 * time.Hour),
		"08:00":                time.Date(2026, 11, 27, 8, 0, 0, 0, time.Local),
		"08:00:30":             time.Date(2026, 11, 27, 8, 0, 30, 0, time.Local),
		"2026-11-26":           time.Date(2026, 11, 26, 0, 0, 0, 0, time.Local),
		"2026-11-26 08:15":     time.Date(2026, 11, 26, 8, 15, 0, 0, time.Local),
		"2026-11-26T08:15":     time.Date(2026, 11, 26, 8, 15, 0, 0, time.Local),
		"2026-11-26T08:15:00Z": time.Date(2026, 11, 26, 8, 15, 0, 0, time.UTC),
	} {
		got, ok := timeOf(text, now)
		assert.True(t, ok, text)
		assert.True(t, want.Equal(got), "%q is %v", text, got)
	}
	for _, wrong := range []string{"yesterday", "25:00", "-2h", "-1d", "2026-13-01", "26.11.2026"} {
		_, ok := timeOf(wrong, now)
		assert.False(t, ok, wrong)
	}
}
