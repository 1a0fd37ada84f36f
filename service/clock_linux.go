package service

import (
	"errors"
	"time"

	"golang.org/x/sys/unix"
)

// madeIn is a year that no right clock is before.
const madeIn = 2026

// checkClock says whether the machine's clock is set by another one.
func checkClock(now time.Time) Finding {
	const what = "clock"
	if now.Year() < madeIn {
		return bad(what, errors.New("it says "+now.Format(time.DateTime)), "Set it: certificates, links and records go by it. Machines without a battery need time from the network (NTP) before the service starts.")
	}
	var t unix.Timex
	state, err := unix.Adjtimex(&t)
	if err == nil && state == unix.TIME_ERROR {
		return Finding{What: what, Good: true, Says: "says " + now.Format(time.DateTime) + ", and is not set by another one (NTP) as far as the system knows"}
	}
	return good(what, "says %s", now.Format(time.DateTime))
}
