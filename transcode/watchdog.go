package transcode

import (
	"fmt"
	"time"
)

const (
	mostSilence = 3 * time.Second // of a worker that has something to do
	askAfter    = time.Second     // of silence
)

// watchdog watches over a worker that owes a message once it was given something.
type watchdog struct {
	silent   time.Time // since when it owes one; zero when it does not
	asked    time.Time
	measured time.Time
}

// given notes that the worker was given something.
func (d *watchdog) given(now time.Time) {
	if d.silent.IsZero() {
		d.silent = now
	}
}

// look checks, and once a second measures what the worker takes; nil in between.
func (d *watchdog) look(w *Worker, now time.Time) (*Usage, error) {
	if err := d.check(w, now); err != nil || now.Sub(d.measured) < time.Second {
		return nil, err
	}
	d.measured = now
	usage, err := ProcessUsage(w.PID())
	if err != nil {
		return nil, nil // it has ended, which shows by itself
	}
	return &usage, nil
}

// check asks a worker that is silent for a message, and ends one that is silent
// for too long.
func (d *watchdog) check(w *Worker, now time.Time) error {
	if w.LastMessage().After(d.silent) {
		d.silent = time.Time{}
	}
	if d.silent.IsZero() {
		return nil
	}
	owed := now.Sub(d.silent)
	if owed >= mostSilence {
		w.Kill()
		return fmt.Errorf("the codec worker hangs: it has said nothing for %v", mostSilence)
	}
	if owed >= askAfter && now.Sub(d.asked) >= askAfter {
		d.asked = now
		return w.Ask()
	}
	return nil
}
