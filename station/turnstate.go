package station

import (
	"slices"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/core/turns"
	"webostrum/store"
)

// turn is whose turn it is in a feed that takes turns.
type turn struct {
	mu      sync.Mutex
	on      turns.Turn // guarded by mu
	held    string     // feed that somebody put on; empty for none. Guarded by mu.
	made    bool       // sources are transcoded; guarded by mu
	skipped []string   // passed over at the last change; guarded by mu
}

// TurnStatus is whose turn it is, and of what kind the sources are.
type TurnStatus struct {
	On        string
	Since     time.Time
	Held      string
	Transcode bool
	Why       string // it is so
	Sources   []TurnSource
}

// TurnSource is one of the sources.
type TurnSource struct {
	Feed      string
	Title     string
	Dwell     time.Duration
	State     State
	Available bool // it can be on: it is live, or will be when its turn comes
}

// Turn says whose turn it is; the error is a fault of NoTurns.
func (f *Feed) Turn() (TurnStatus, error) {
	record := f.stored()
	if record.Combined.Kind != KindTurns {
		return TurnStatus{}, fault.New(fault.NoTurns, nil, "")
	}
	f.turn.mu.Lock()
	s := TurnStatus{On: f.turn.on.Feed, Since: f.turn.on.Since, Held: f.turn.held, Transcode: f.turn.made}
	f.turn.mu.Unlock()
	s.Why = "All send in the same way, so it is passed through, and nothing is transcoded."
	if s.Transcode {
		s.Why = "They send in different ways, so that which is on is transcoded: about as much as one rendition of that size."
	}
	for _, x := range sourcesOf(record.Combined) {
		t := TurnSource{Feed: x.Feed, Title: x.Feed, Dwell: x.Dwell}
		if other, err := f.station.Get(x.Feed); err == nil {
			t.Title, t.State, t.Available = other.Title(), other.Condition().State, other.available()
		}
		s.Sources = append(s.Sources, t)
	}
	return s, nil
}

// Hold puts a source on until another is, or with an empty name has them take turns again.
func (f *Feed) Hold(feed string) error {
	record := f.stored()
	if record.Combined.Kind != KindTurns {
		return fault.New(fault.NoTurns, nil, "")
	}
	if feed != "" && !slices.ContainsFunc(record.Combined.Sources, func(s store.CombinedFeed) bool { return s.Feed == feed }) {
		return fault.New(fault.FeedUnknown, nil, "%s is not one of those that take turns here.", feed)
	}
	f.turn.mu.Lock()
	f.turn.held = feed
	f.turn.mu.Unlock()
	f.station.changed()
	return nil
}

// sources are the feeds that a feed is made of; none where it is not, or not there.
func (st *Station) sources(name string) []string {
	f, err := st.Get(name)
	if err != nil {
		return nil
	}
	return f.Sources()
}

func sourcesOf(c store.Combined) (list []turns.Source) {
	for _, s := range c.Sources {
		dwell := time.Duration(s.Seconds * float64(time.Second))
		if dwell == 0 {
			dwell = usualDwell
		}
		list = append(list, turns.Source{Feed: s.Feed, Dwell: dwell})
	}
	return list
}
