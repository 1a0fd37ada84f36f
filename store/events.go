package store

import "time"

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

	Account string // who did it; empty for nobody's doing
	Address string // where from
}

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
	Before int64 // older than this number; 0: from the newest
	After  int64 // newer than this number; 0: from the oldest
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
	if q.Before > 0 {
		tx = tx.Where("id < ?", q.Before)
	}
	if q.After > 0 {
		tx = tx.Where("id > ?", q.After)
	}
	var events []Event
	return events, tx.Find(&events).Error
}
