package api

import (
	"net/http"
	"strconv"
	"time"

	"webostrum/core/fault"
	"webostrum/deliver/problem"
)

// tooOften is the refusal of a try.
func tooOften(wait time.Duration) (http.Header, error) {
	secs := strconv.Itoa(int(wait.Seconds()) + 1)
	return http.Header{"Retry-After": {secs}}, problem.Of(fault.New(fault.SignInTooOften, nil, "the next try is looked at in %s s", secs))
}

// checks bounds the passwords that are checked at once: each costs a quarter of a second
// of a core. Clients that are known have a place of their own.
type checks struct {
	known, others chan struct{}
	waiting       chan struct{}
}

const mostWaiting = 8

func newChecks() checks {
	return checks{known: make(chan struct{}, 1), others: make(chan struct{}, 1), waiting: make(chan struct{}, mostWaiting)}
}

// begin waits for a place; the error says that too many wait already.
func (c checks) begin(r interface{ Done() <-chan struct{} }, known bool) (end func(), err error) {
	place := c.others
	if known {
		place = c.known
	} else {
		select {
		case c.waiting <- struct{}{}:
			defer func() { <-c.waiting }()
		default:
			return nil, fault.New(fault.SignInBusy, nil, "")
		}
	}
	select {
	case place <- struct{}{}:
		return func() { <-place }, nil
	case <-r.Done():
		return nil, fault.New(fault.SignInBusy, nil, "")
	}
}
