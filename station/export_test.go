package station

import (
	"time"

	"webostrum/core/fault"
	"webostrum/store"
)

// What tests do in nobody's name.

// Add records a feed and runs it if it is switched on.
func (st *Station) Add(r store.Feed) (*Feed, error) { return st.By("", "").Add(r) }

// Edit changes a feed's record.
func (st *Station) Edit(name, what string, change func(*store.Feed) error) (*Feed, error) {
	return st.By("", "").Edit(name, what, change)
}

// Remove stops a feed and removes its record.
func (st *Station) Remove(name string) error { return st.By("", "").Remove(name) }

// Note writes an event.
func (st *Station) Note(feed, kind, text string) { st.By("", "").Note(feed, kind, text) }

// History is for tests of how feeds have been, with a clock of their own.
type History struct{ h *history }

// NewHistory keeps account in records; note is told of what is odd.
func NewHistory(s *store.Store, note func(kind, text string), failed func(error)) History {
	return History{newHistory(s, note, failed)}
}

// Look notes the states of feeds, by their IDs.
func (h History) Look(now time.Time, passed time.Duration, states map[int64]State) {
	var sights []sight
	for id, s := range states {
		x := sight{feed: id, condition: Condition{State: s}, rate: 25, whileNeeded: s == StateConnecting}
		if s == StateRetrying {
			x.condition.Fault = fault.New(fault.NoAnswer, nil, "")
		}
		sights = append(sights, x)
	}
	h.h.look(now, passed, sights)
}
