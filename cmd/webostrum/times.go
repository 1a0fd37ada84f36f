package main

import (
	"time"

	"github.com/urfave/cli/v3"
)

// timeFlag reads a flag's time, as timeOf does; the error names the flag.
func timeFlag(c *cli.Command, flag string, now time.Time) (time.Time, error) {
	text := c.String(flag)
	if t, ok := timeOf(text, now); ok {
		return t, nil
	}
	return time.Time{}, usagef("--%s %q is no time: write a date (2026-11-26), a time (2026-11-26T08:30:00+01:00), 08:30 of today, or how long ago (90m, 2d)", flag, text)
}

// timeOf reads a date, a time, a time of today, how long ago, or now; nothing is the zero time.
func timeOf(text string, now time.Time) (t time.Time, ok bool) {
	switch text {
	case "":
		return t, true
	case "now":
		return now, true
	}
	if t, ok = dateOf(text); ok {
		return t, true
	}
	if d, err := longDuration(text); err == nil {
		return now.Add(-d), true
	}
	for _, layout := range []string{"15:04:05", "15:04"} {
		if clock, err := time.Parse(layout, text); err == nil {
			y, m, d := now.Date()
			return time.Date(y, m, d, clock.Hour(), clock.Minute(), clock.Second(), 0, time.Local), true
		}
	}
	return t, false
}

// dateOf reads a date, with or without a time of day.
func dateOf(text string) (time.Time, bool) {
	for _, layout := range []string{time.RFC3339Nano, "2006-01-02T15:04:05", "2006-01-02T15:04", time.DateTime, "2006-01-02 15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, text, time.Local); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}
