package store

import (
	"strings"
	"time"
)

// mostEvents bounds the table: the oldest go first.
const mostEvents = 20000

// Event is one line of what happened.
type Event struct {
	ID   int64
	At   time.Time
	Feed string // empty for the service itself
	Kind string // "state", "change", "sign-in" …
	Code string // of the fault, if it was one
	Text string

	Severity Severity

	Account string // who did it; empty for nobody's doing
	Address string // where from
}

// Severity says how much an event matters.
type Severity int

// The severities.
const (
	Info    Severity = iota
	Warning          // something is not as it should be
	Serious          // somebody has to do something
)

// AddEvent writes an event and gives it its number.
func (s *Store) AddEvent(e *Event) error {
	if err := s.db.Create(e).Error; err != nil {
		return err
	}
	if e.ID%256 == 0 {
		return s.db.Where("id <= ?", e.ID-mostEvents).Delete(&Event{}).Error
	}
	return nil
}

// EventQuery chooses events.
type EventQuery struct {
	Feed   string // empty: all feeds
	Kind   string // empty: all kinds
	Since  time.Time
	Until  time.Time // zero: until now
	Least  Severity  // and above
	By     string    // account that did it; empty: whoever
	Search string    // a text that is in it; empty: any
	Before int64     // older than this number; 0: from the newest
	After  int64     // newer than this number; 0: from the oldest
	Limit  int
}

// Events returns the newest events that fit, newest first.
func (s *Store) Events(q EventQuery) ([]Event, error) {
	tx := s.db.Order("id DESC").Limit(q.Limit)
	if q.Feed != "" {
		tx = tx.Where("feed = ?", q.Feed)
	}
	if q.Kind != "" {
		tx = tx.Where("kind = ?", q.Kind)
	}
	if !q.Since.IsZero() {
		tx = tx.Where("at >= ?", q.Since.UTC())
	}
	if !q.Until.IsZero() {
		tx = tx.Where("at < ?", q.Until.UTC())
	}
	if q.Least > Info {
		tx = tx.Where("severity >= ?", q.Least)
	}
	if q.By != "" {
		tx = tx.Where("account = ? OR account LIKE ? ESCAPE '\\'", q.By, escapeLike(q.By)+" (token %")
	}
	if q.Search != "" {
		like := "%" + escapeLike(q.Search) + "%"
		tx = tx.Where("text LIKE ? ESCAPE '\\' OR feed LIKE ? ESCAPE '\\' OR code LIKE ? ESCAPE '\\'", like, like, like)
	}
	if q.Before > 0 {
		tx = tx.Where("id < ?", q.Before)
	}
	if q.After > 0 {
		tx = tx.Where("id > ?", q.After)
	}
	var events []Event
	return events, tx.Find(&events).Error
}

// escapeLike writes a text so that LIKE takes it for nothing but itself.
func escapeLike(text string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(text)
}
