// Package router asks the router of this machine's network to pass ports on to it, by
// PCP, NAT-PMP or UPnP, whichever it knows; renews that, and takes it back.
package router

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"slices"
	"sync"
	"time"

	"webostrum/core/portmap"
	"webostrum/core/reach"
)

const (
	lifetime    = time.Hour // that is asked for; routers may give less
	leastRenew  = 30 * time.Second
	retryAfter  = 2 * time.Minute
	askWithin   = 20 * time.Second
	leaveWithin = 2 * time.Second
)

// Wanted is a port that shall be passed on under the same number.
type Wanted struct {
	Protocol portmap.Protocol
	Port     uint16
	Outside  uint16 // at the router; 0 for the same
	For      string
}

func (w Wanted) outside() uint16 {
	if w.Outside != 0 {
		return w.Outside
	}
	return w.Port
}

// Rule is what came of it.
type Rule struct {
	Wanted
	Given   uint16 // port at the router; 0 when there is none
	Ends    time.Time
	Trouble error // why it is not there as it was wanted
}

// State is what there is now.
type State struct {
	Asked   bool
	Router  netip.Addr
	By      string     // PCP, NAT-PMP or UPnP; empty when none answers
	Outside netip.Addr // the router's address outside, as it says
	Rules   []Rule
	Trouble error // why there is none at all
}

// Note says what stands in the way of viewers outside although there are rules; empty for
// nothing.
func (s State) Note() string {
	switch {
	case s.Trouble != nil:
		return "Rules: " + s.Trouble.Error() + "."
	case !s.Outside.IsValid():
		return ""
	case reach.CarrierShared(s.Outside):
		return fmt.Sprintf("The router's address outside is %s, which the provider shares among its customers (carrier-grade NAT): rules of this router let nobody in. Ask the provider for a public address, or use IPv6 or a server outside.", s.Outside)
	case reach.Inner(s.Outside):
		return fmt.Sprintf("The router's address outside is %s, which is one of the inside: there is another router in front of it, which needs the same rules.", s.Outside)
	}
	return ""
}

// ErrNone is returned when no router answers.
var ErrNone = errors.New("no router here answers to PCP, NAT-PMP or UPnP: switch that on in it, or write the rules by hand as \"webostrum reach\" lists them")

// speaker is one way to speak to a router.
type speaker interface {
	name() string
	// open says whether the router knows it, and returns its address outside where it tells.
	open(ctx context.Context) (outside netip.Addr, err error)
	// pass has a port passed on for a while; a lifetime of 0 ends it. outside is the
	// router's address, where the answer tells.
	pass(ctx context.Context, w Wanted, life time.Duration) (given portmap.Mapping, err error)
}

// Config says which router is asked.
type Config struct {
	Gateway func() netip.Addr // the router; nil or invalid for none
	Port    int               // that it listens on for PCP and NAT-PMP; 0 for the usual one
	UPnP    string            // URL of its description; empty searches for it
	Log     *slog.Logger
}

// Keeper has rules kept. It is safe for concurrent use.
type Keeper struct {
	cfg    Config
	asking sync.Mutex // one conversation at a time

	mu     sync.Mutex
	state  State         // guarded by mu
	by     speaker       // guarded by mu; nil when none is asked
	wanted []Wanted      // guarded by mu
	kick   chan struct{} // wakes the renewal
}

// New makes a keeper; nothing is asked before Ask.
func New(cfg Config) *Keeper {
	if cfg.Port == 0 {
		cfg.Port = portmap.Port
	}
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	return &Keeper{cfg: cfg, kick: make(chan struct{}, 1)}
}

// State returns what there is now.
func (k *Keeper) State() State {
	k.mu.Lock()
	defer k.mu.Unlock()
	s := k.state
	s.Rules = slices.Clone(s.Rules)
	return s
}

// Ask asks the router for rules from now on, and returns what came of it.
func (k *Keeper) Ask(ctx context.Context, wanted []Wanted) State {
	k.asking.Lock()
	defer k.asking.Unlock()
	k.mu.Lock()
	k.wanted = slices.Clone(wanted)
	k.mu.Unlock()
	s := k.ask(ctx, wanted)
	select {
	case k.kick <- struct{}{}:
	default:
	}
	return s
}

func (k *Keeper) ask(ctx context.Context, wanted []Wanted) State {
	ctx, cancel := context.WithTimeout(ctx, askWithin)
	defer cancel()
	s := State{Asked: true}
	if k.cfg.Gateway != nil {
		s.Router = k.cfg.Gateway()
	}
	by, outside, err := k.find(ctx, s.Router)
	if err != nil {
		s.Trouble = err
		k.set(s, nil)
		return s
	}
	s.By, s.Outside = by.name(), outside
	for _, w := range wanted {
		r := Rule{Wanted: w}
		given, err := by.pass(ctx, w, lifetime)
		switch {
		case err != nil:
			r.Trouble = err
		case given.Outside != w.outside():
			r.Given, r.Trouble = given.Outside, fmt.Errorf("the router gives port %d instead of %d, which something else has: viewers do not come by that", given.Outside, w.outside())
		default:
			r.Given = given.Outside
		}
		if err == nil {
			r.Ends = time.Now().Add(min(max(given.Lifetime, leastRenew), lifetime))
		}
		if given.Address.IsValid() && !given.Address.IsUnspecified() {
			s.Outside = given.Address
		}
		s.Rules = append(s.Rules, r)
	}
	k.set(s, by)
	return s
}

func (k *Keeper) set(s State, by speaker) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.state, k.by = s, by
}

// find looks for what the router knows.
func (k *Keeper) find(ctx context.Context, router netip.Addr) (by speaker, outside netip.Addr, err error) {
	if !router.IsValid() {
		return nil, outside, errors.New("this machine has no router: there is no default route")
	}
	at := netip.AddrPortFrom(router, uint16(k.cfg.Port))
	for _, s := range []speaker{newPCP(at), &pmp{datagrams{at}}, &upnp{router: router, location: k.cfg.UPnP}} {
		outside, err := s.open(ctx)
		if err == nil {
			return s, outside, nil
		}
		k.cfg.Log.Debug("the router does not speak it", "by", s.name(), "error", err)
		if ctx.Err() != nil {
			break
		}
	}
	return nil, outside, ErrNone
}

// Run renews rules before they end, until ctx ends, and then takes them back.
func (k *Keeper) Run(ctx context.Context) {
	for {
		timer := time.NewTimer(k.untilNext(time.Now()))
		select {
		case <-ctx.Done():
			timer.Stop()
			leave, cancel := context.WithTimeout(context.WithoutCancel(ctx), leaveWithin)
			defer cancel()
			k.Withdraw(leave)
			return
		case <-k.kick:
			timer.Stop()
		case <-timer.C:
			k.renew(ctx)
		}
	}
}

const never = 24 * time.Hour // when nothing is to be renewed

// untilNext is how long until rules are renewed: half of what is left of the shortest.
func (k *Keeper) untilNext(now time.Time) time.Duration {
	k.mu.Lock()
	defer k.mu.Unlock()
	if !k.state.Asked {
		return never
	}
	next := retryAfter
	for i, r := range k.state.Rules {
		if left := r.Ends.Sub(now) / 2; !r.Ends.IsZero() && (i == 0 || left < next) {
			next = left
		}
	}
	return max(next, leastRenew/2)
}

func (k *Keeper) renew(ctx context.Context) {
	k.asking.Lock()
	defer k.asking.Unlock()
	k.mu.Lock()
	asked, wanted, before := k.state.Asked, slices.Clone(k.wanted), k.state
	k.mu.Unlock()
	if !asked {
		return
	}
	s := k.ask(ctx, wanted)
	if s.Trouble != nil && before.Trouble == nil {
		k.cfg.Log.Error("the router's rules could not be renewed", "error", s.Trouble)
	}
}

// Withdraw takes the rules back.
func (k *Keeper) Withdraw(ctx context.Context) State {
	k.asking.Lock()
	defer k.asking.Unlock()
	k.mu.Lock()
	by, rules := k.by, k.state.Rules
	k.state, k.by, k.wanted = State{}, nil, nil
	k.mu.Unlock()
	if by == nil {
		return State{}
	}
	for _, r := range rules {
		if r.Given == 0 {
			continue
		}
		if _, err := by.pass(ctx, Wanted{r.Protocol, r.Port, r.Given, r.For}, 0); err != nil {
			k.cfg.Log.Warn("the router did not take a rule back; it ends by itself within an hour", "port", r.Port, "error", err)
		}
	}
	return State{}
}
