// Package still is when stills are taken, and what they and films of them are called.
package still

import (
	"fmt"
	"path"
	"regexp"
	"strings"
	"time"

	"webostrum/core/sun"
)

// Schedule is when stills are taken: every so often, or at times of day.
type Schedule struct {
	Every time.Duration // 0 when they are taken at times of day
	At    []int         // minutes of the day, in Zone
	Zone  *time.Location

	// Sun has stills that are taken every so often taken only while the sun is up at a place,
	// in degrees.
	Sun                 bool
	Latitude, Longitude float64
}

const minutesADay = 24 * 60

// ParseClock reads a time of day, such as 07:30, as minutes.
func ParseClock(text string) (int, error) {
	t, err := time.Parse("15:04", strings.TrimSpace(text))
	if err != nil {
		return 0, fmt.Errorf("%q is no time of day: write it like 07:30", text)
	}
	return t.Hour()*60 + t.Minute(), nil
}

// lookAhead is how far ahead Next looks: beyond the polar circles the sun stays down for
// months.
const lookAhead = 200 * 24 * time.Hour

// Next is the first moment after another one at which a still is taken; zero when there is
// none for half a year.
func (s Schedule) Next(after time.Time) time.Time {
	if s.Every > 0 {
		return s.nextEvery(after)
	}
	var best time.Time
	day := after.In(s.zone())
	for d := 0; d <= 1; d++ {
		y, m, dd := day.AddDate(0, 0, d).Date()
		for _, minute := range s.At {
			t := time.Date(y, m, dd, 0, minute%minutesADay, 0, 0, s.zone())
			if t.After(after) && (best.IsZero() || t.Before(best)) {
				best = t
			}
		}
	}
	return best
}

func (s Schedule) zone() *time.Location {
	if s.Zone == nil {
		return time.UTC
	}
	return s.Zone
}

// nextEvery counts from midnight of the first of January 1970, so that stills of all feeds
// and runs are of the same moments.
func (s Schedule) nextEvery(after time.Time) time.Time {
	next := func(t time.Time) time.Time { return t.Truncate(s.Every).Add(s.Every) }
	t := next(after)
	if !s.Sun || sun.Up(t, s.Latitude, s.Longitude) {
		return t
	}
	zone := s.zone()
	for day := t.In(zone); day.Sub(after) < lookAhead; day = day.AddDate(0, 0, 1) {
		rise, set, up, ok := sun.Times(day, s.Latitude, s.Longitude)
		switch {
		case !ok && up:
			y, m, d := day.Date()
			return next(later(t, time.Date(y, m, d, 0, 0, 0, 0, zone)).Add(-1))
		case !ok || !set.After(t):
			continue
		}
		if first := next(later(t, rise).Add(-1)); first.Before(set) {
			return first
		}
	}
	return time.Time{}
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

const timeForm = "20060102T150405Z"

// Newest is what the newest of all is called, besides its own name.
const Newest = "latest"

// Name is the path of a still below the folder of stills, with slashes:
// FEED/SCHEDULE/2026-11-27/FEED-20261127T083000Z.jpg.
func Name(feed, schedule string, at time.Time) string {
	t := at.UTC()
	return path.Join(feed, schedule, t.Format(time.DateOnly), feed+"-"+t.Format(timeForm)+".jpg")
}

var (
	stillForm = regexp.MustCompile(`^[a-z0-9-]+-(\d{8}T\d{6}Z)\.jpg$`)
	filmForm  = regexp.MustCompile(`^[a-z0-9-]+-(\d{8}T\d{6}Z)-(\d{8}T\d{6}Z)\.(mp4|webm)$`)
)

// ParseName reads when a still was taken; ok is false for files of others.
func ParseName(p string) (at time.Time, ok bool) {
	m := stillForm.FindStringSubmatch(path.Base(p))
	if m == nil {
		return at, false
	}
	at, err := time.Parse(timeForm, m[1])
	return at, err == nil
}

// FilmName is the path of a film below the folder of films, with slashes: of a feed, made of
// the stills of a schedule or of something else, of a span.
func FilmName(feed, source, format string, from, to time.Time) string {
	return path.Join(feed, source, feed+"-"+from.UTC().Format(timeForm)+"-"+to.UTC().Format(timeForm)+"."+format)
}

// ParseFilmName reads what the name of a film says; ok is false for files of others.
func ParseFilmName(p string) (from, to time.Time, format string, ok bool) {
	m := filmForm.FindStringSubmatch(path.Base(p))
	if m == nil {
		return from, to, "", false
	}
	from, err := time.Parse(timeForm, m[1])
	to, err2 := time.Parse(timeForm, m[2])
	return from, to, m[3], err == nil && err2 == nil
}
