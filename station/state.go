package station

import (
	"slices"
	"time"

	"webostrum/core/fault"
)

// State is what a feed is doing.
type State string

// The states of a feed.
const (
	StateOff        State = "off"        // switched off by somebody
	StateIdle       State = "idle"       // connected while needed, and nobody needs it
	StateConnecting State = "connecting" // the first try
	StateWaiting    State = "waiting"    // nobody sends yet, or no longer
	StateLive       State = "live"       // pictures come in
	StateStalled    State = "stalled"    // the camera has fallen silent; it is being opened anew
	StateRetrying   State = "retrying"   // the last try failed; another follows
	StateRefused    State = "refused"    // trying again soon does not help: a person is needed
)

// moves lists where each state may lead.
var moves = map[State][]State{
	StateOff:        {StateIdle, StateConnecting, StateWaiting},
	StateIdle:       {StateConnecting, StateOff},
	StateConnecting: {StateIdle, StateLive, StateWaiting, StateRetrying, StateRefused, StateOff},
	StateWaiting:    {StateConnecting, StateWaiting, StateLive, StateRetrying, StateRefused, StateOff},
	StateLive:       {StateIdle, StateStalled, StateWaiting, StateRetrying, StateRefused, StateOff},
	StateStalled:    {StateLive, StateWaiting, StateRetrying, StateRefused, StateOff},
	StateRetrying:   {StateLive, StateWaiting, StateRetrying, StateRefused, StateOff},
	StateRefused:    {StateLive, StateWaiting, StateRetrying, StateRefused, StateOff},
}

// Condition is a feed's state with the time and the reason of the last change.
type Condition struct {
	State   State
	Since   time.Time
	Fault   *fault.Error // why, when it is not as it should be
	Tries   int          // failed ones in a row
	NextTry time.Time    // zero when none is planned

	pushed bool // it is sent to, and opens nothing
}

// Reason is one sentence for people.
func (c Condition) Reason() string {
	switch {
	case c.State == StateWaiting && c.Fault != nil:
		return "It waits for somebody to send. " + c.Fault.Error()
	case c.State == StateWaiting:
		return "It waits for somebody to send."
	case c.Fault != nil:
		return c.Fault.Error()
	case c.State == StateOff:
		return "The feed is switched off."
	case c.State == StateIdle:
		return "Nobody needs it now, so it is not connected."
	case c.State == StateConnecting && c.pushed:
		return "Somebody has begun to send; the first picture is awaited."
	case c.State == StateConnecting:
		return "The camera is being opened."
	}
	return "Pictures are coming in."
}

// move is the only way from one state to the next. legal is false for a move that cannot
// follow, which is a mistake in this package; it is made all the same, since the camera
// is what it is.
func (c Condition) move(to State, f *fault.Error, now time.Time) (next Condition, legal bool) {
	next = Condition{State: to, Since: now, Fault: f, pushed: c.pushed}
	if to == c.State {
		next.Since = c.Since
	}
	return next, slices.Contains(moves[c.State], to)
}

// after says which state a failed try leads to.
func after(f *fault.Error, wasLive bool) State {
	switch {
	case f.Kind.Person:
		return StateRefused
	case f.Kind.Code == fault.Stalled && wasLive:
		return StateStalled
	}
	return StateRetrying
}

const (
	firstPause   = 500 * time.Millisecond
	longestPause = 30 * time.Second
	refusedPause = time.Minute
	// Feeds that are made of others look at these, and bother no camera.
	longestCombined = 2 * time.Second

	// Cameras lock an account after a few wrong passwords in a row.
	signInPause = 5 * time.Minute
)

// pause is how long to wait before the next try. chance is from 0 to 1 and
// spreads tries by a quarter either way, so that many feeds do not come back in
// step.
func pause(s State, why *fault.Error, tries int, chance float64) time.Duration {
	spread := func(d time.Duration) time.Duration {
		return time.Duration(float64(d) * (0.75 + chance/2))
	}
	if s == StateRefused {
		if why.Kind.Class == fault.ClassRefused {
			return spread(signInPause)
		}
		return spread(refusedPause)
	}
	d := firstPause
	for i := 1; i < tries && d < longestPause; i++ {
		d *= 2
	}
	return spread(min(d, longestPause))
}
