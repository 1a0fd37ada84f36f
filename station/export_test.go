package station

import "webostrum/store"

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
