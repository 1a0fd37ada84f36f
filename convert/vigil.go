package convert

import (
	"fmt"
	"time"
)

// vigil watches over a worker that owes a sign of life once it was given something.
type vigil struct {
	silent   time.Time // since when it owes one; zero when it does not
	asked    time.Time
	measured time.Time
}

// given notes that the worker was given something.
func (v *vigil) given(now time.Time) {
	if v.silent.IsZero() {
		v.silent = now
	}
}

// look checks, and once a second measures what the worker takes; nil in between.
func (v *vigil) look(w *Worker, now time.Time) (*Usage, error) {
	if err := v.check(w, now); err != nil || now.Sub(v.measured) < time.Second {
		return nil, err
	}
	v.measured = now
	usage, err := ProcessUsage(w.PID())
	if err != nil {
		return nil, nil // it has ended, which shows by itself
	}
	return &usage, nil
}

// check asks a worker that is silent for a sign of life, and ends one that is silent
// for too long.
func (v *vigil) check(w *Worker, now time.Time) error {
	if w.Heard().After(v.silent) {
		v.silent = time.Time{}
	}
	if v.silent.IsZero() {
		return nil
	}
	owed := now.Sub(v.silent)
	if owed >= mostSilence {
		w.Kill()
		return fmt.Errorf("the codec worker hangs: it has said nothing for %v", mostSilence)
	}
	if owed >= askAfter && now.Sub(v.asked) >= askAfter {
		v.asked = now
		return w.Ask()
	}
	return nil
}
