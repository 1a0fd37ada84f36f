package station

import (
	"fmt"
	"sync"
	"time"

	"webostrum/core/uptime"
	"webostrum/store"
)

const (
	historyEvery = time.Minute // written
	forgetEvery  = time.Hour
	// steadyFor is how long the clock has to go right before anything is forgotten by it: after
	// a step everything could look old.
	steadyFor = time.Hour
	stepped   = time.Minute // off by more is a step
)

// history keeps account of how feeds have been. Its methods but those of account are the
// tick's alone.
type history struct {
	store  *store.Store
	note   func(kind, text string)
	failed func(error)

	mu       sync.Mutex
	accounts map[int64]*account // by the feed's ID; guarded by mu

	last   time.Time // look
	wrote  time.Time
	steady time.Duration // how long the clock has gone right
	forgot time.Duration // of that, when something was forgotten last
}

// account is one feed's.
type account struct {
	tracker uptime.Tracker
	quality uptime.Quality
	rest    uptime.Sums // not written yet
	open    int64       // ID of the record of the outage that goes on; 0 when there is none
	kind    uptime.Kind
	why     string // it is degraded
}

func newHistory(s *store.Store, note func(kind, text string), failed func(error)) *history {
	h := &history{store: s, note: note, failed: failed, accounts: make(map[int64]*account)}
	open, err := s.OpenOutages()
	if err != nil {
		failed(err)
	}
	for _, o := range open {
		a := h.accountLocked(o.FeedID) // nobody else has it yet
		if a.open != 0 {               // an older one that was never ended
			h.save(store.Outage{ID: a.open, FeedID: o.FeedID, Began: o.Began, LastedMillis: o.LastedMillis, Over: true, Code: o.Code, Reason: o.Reason})
		}
		a.open = o.ID
		a.tracker.Resume(uptime.Outage{Began: o.Began, Lasted: o.Lasted(), Code: o.Code, Reason: o.Reason})
	}
	return h
}

func (h *history) accountLocked(feed int64) *account {
	a := h.accounts[feed]
	if a == nil {
		a = &account{}
		h.accounts[feed] = a
	}
	return a
}

// sight is what is looked at of a feed.
type sight struct {
	feed          int64
	condition     Condition
	whileNeeded   bool
	rate          float64
	packets, lost uint64
}

// sightOf looks at a feed.
func (f *Feed) sightOf() sight {
	s := sight{feed: f.Rules().ID, condition: f.Condition(), whileNeeded: f.stored().WhileNeeded}
	_, s.rate, _ = f.meter.rates()
	if session := f.session.Load(); session != nil {
		stats := (*session).Facts().Stats
		s.packets, s.lost = stats.Packets, stats.Lost
	}
	return s
}

// look notes how feeds are now, and writes from time to time. passed is the time since the
// look before, by a clock that nobody sets; now has a monotonic reading.
func (h *history) look(now time.Time, passed time.Duration, sights []sight) {
	h.watchClock(now, passed)
	var changed []store.Outage
	h.mu.Lock()
	seen := make(map[int64]bool, len(sights))
	for _, s := range sights {
		seen[s.feed] = true
		if o, ok := h.accountLocked(s.feed).look(now, s); ok {
			changed = append(changed, o)
		}
	}
	for id := range h.accounts {
		if !seen[id] {
			delete(h.accounts, id) // the feed is gone, and its history with it
		}
	}
	h.mu.Unlock()
	for _, o := range changed {
		h.save(o)
	}
	if h.wrote.IsZero() {
		h.wrote = now
	}
	if since := now.Sub(h.wrote); since >= historyEvery || since < 0 {
		h.wrote = now
		h.write(now)
	}
	h.steady += passed
	if h.steady >= steadyFor && h.steady-h.forgot >= forgetEvery {
		h.forgot = h.steady
		if err := h.store.ForgetHistory(now); err != nil {
			h.failed(err)
		}
	}
}

// watchClock tells of a clock that was set.
func (h *history) watchClock(now time.Time, passed time.Duration) {
	if !h.last.IsZero() {
		wall := now.Round(0).Sub(h.last.Round(0))
		if by := wall - passed; by > stepped || by < -stepped {
			h.steady, h.forgot = 0, 0
			direction := "forward"
			if by < 0 {
				direction, by = "back", -by
			}
			h.note(EventWarning, fmt.Sprintf("the machine's clock was set %s by %s; what is kept is not sorted out by age for an hour", direction, by.Round(time.Second)))
		}
	}
	h.last = now
}

// look returns the record of an outage that has begun or ended.
func (a *account) look(now time.Time, s sight) (changed store.Outage, ok bool) {
	l := a.judge(s)
	ended := a.tracker.Observe(now, l)
	a.rest = a.rest.Plus(a.tracker.Take())
	switch going := a.tracker.Outage(); {
	case ended != nil:
		changed, ok = outageRecord(a.open, s.feed, *ended), true
		a.open = 0
	case going != nil && a.open == 0:
		a.open = -1 // until keep has its number
		changed, ok = outageRecord(0, s.feed, *going), true
	}
	return changed, ok
}

func outageRecord(id, feed int64, o uptime.Outage) store.Outage {
	return store.Outage{ID: max(id, 0), FeedID: feed, Began: o.Began, LastedMillis: o.Lasted.Milliseconds(), Over: o.Over, Code: o.Code, Reason: o.Reason}
}

// judge says what a feed is like.
func (a *account) judge(s sight) uptime.Look {
	a.why = ""
	l := uptime.Look{Kind: uptime.Down, Code: string(code(s.condition.Fault))}
	switch state := s.condition.State; {
	case state == StateOff:
		l.Kind = uptime.Off
	case state == StateIdle || state == StateConnecting && s.whileNeeded: // it takes its time, and that is no outage
		l.Kind = uptime.Idle
	case state == StateWaiting:
		l.Kind = uptime.Waiting
	case state == StateLive:
		l.Kind = uptime.Live
		if a.why = a.quality.Look(s.rate, s.packets, s.lost); a.why != "" {
			l.Kind = uptime.Degraded
		}
	default:
		l.Reason = s.condition.Reason()
	}
	a.kind = l.Kind
	return l
}

// save writes an outage. Where that fails the outage is written at the next write.
func (h *history) save(o store.Outage) {
	fresh := o.ID == 0
	if err := h.store.SaveOutage(&o); err != nil {
		h.failed(err)
		return
	}
	if !fresh || o.Over {
		return
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if a := h.accounts[o.FeedID]; a != nil && a.open == -1 {
		a.open = o.ID
	}
}

// write writes what has come together. What cannot be written now is kept for the next time.
func (h *history) write(now time.Time) {
	h.mu.Lock()
	var list []store.Stretch
	var going []store.Outage
	for id, a := range h.accounts {
		if x := a.whole(); x != (store.Stretch{}) {
			x.FeedID = id
			list = append(list, x)
		}
		if o := a.tracker.Outage(); o != nil {
			going = append(going, outageRecord(a.open, id, *o))
		}
	}
	h.mu.Unlock()
	if err := h.store.AddStretches(list, now); err != nil {
		h.failed(err)
		h.giveBack(list)
		return
	}
	for _, o := range going {
		h.save(o)
	}
}

// whole takes whole seconds off what was not written yet.
func (a *account) whole() (x store.Stretch) {
	take := func(d *time.Duration) int64 {
		n := int64(*d / time.Second)
		*d -= time.Duration(n) * time.Second
		return n
	}
	x.Live, x.Degraded, x.Down = take(&a.rest.Live), take(&a.rest.Degraded), take(&a.rest.Down)
	x.Waiting, x.Off = take(&a.rest.Waiting), take(&a.rest.Off)
	return x
}

func (h *history) giveBack(list []store.Stretch) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, x := range list {
		if a := h.accounts[x.FeedID]; a != nil {
			a.rest = a.rest.Plus(SumsOf(x))
		}
	}
}

// SumsOf are the sums that a record holds.
func SumsOf(x store.Stretch) uptime.Sums {
	d := func(n int64) time.Duration { return time.Duration(n) * time.Second }
	return uptime.Sums{Live: d(x.Live), Degraded: d(x.Degraded), Down: d(x.Down), Waiting: d(x.Waiting), Off: d(x.Off)}
}

// Health is how a feed is, besides its state.
type Health struct {
	Kind uptime.Kind
	Why  string // it is degraded
}

// DownSince is when the outage that goes on began; zero when there is none.
func (f *Feed) DownSince() time.Time {
	h := f.station.history
	h.mu.Lock()
	defer h.mu.Unlock()
	if a := h.accounts[f.Rules().ID]; a != nil {
		if o := a.tracker.Outage(); o != nil {
			return o.Began
		}
	}
	return time.Time{}
}

// Health returns how a feed is.
func (f *Feed) Health() Health {
	h := f.station.history
	h.mu.Lock()
	defer h.mu.Unlock()
	if a := h.accounts[f.Rules().ID]; a != nil {
		return Health{a.kind, a.why}
	}
	return Health{}
}
