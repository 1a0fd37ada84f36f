package api

import (
	"net/netip"
	"time"

	"webostrum/access"
	"webostrum/core/reach"
)

// Arrived notes that a connection has come in; secure says by which port.
func (a *API) Arrived(from string, secure bool) {
	a.reach.sight(from, func(s *reach.Sightings) {
		if secure {
			s.HTTPS = time.Now()
		} else {
			s.HTTP = time.Now()
		}
	})
}

// HandshakeFailed notes what went wrong in TLS with somebody.
func (a *API) HandshakeFailed(from, why string) {
	a.reach.sight(from, func(s *reach.Sightings) { s.Failed, s.Why = time.Now(), why })
}

func (c *reachChecks) sight(from string, note func(*reach.Sightings)) {
	at, err := netip.ParseAddr(access.HostOf(from))
	if err != nil {
		return
	}
	at = at.Unmap()
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.list) == 0 {
		return // nobody asks
	}
	s := c.seen[at]
	if s == nil {
		if len(c.seen) >= mostSightings {
			clear(c.seen)
		}
		s = &reach.Sightings{}
		c.seen[at] = s
	}
	note(s)
}

// sightings is what was seen of somebody since a trial began.
func (c *reachChecks) sightings(from netip.Addr, t reach.Trial, begun time.Time) (arrived bool, handshake string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	s := c.seen[from]
	if s == nil {
		return false, ""
	}
	lately := func(at time.Time) bool { return at.After(begun) }
	switch t {
	case reach.HTTP:
		return lately(s.HTTP), ""
	case reach.HTTPS:
		if lately(s.Failed) {
			handshake = s.Why
		}
		return lately(s.HTTPS), handshake
	}
	return false, ""
}
