package record

import "time"

// MakeWay removes a file from the disk as if its room were needed.
func (l *Library) MakeWay(id int64) error { return l.unlessKept(id, l.makeWay) }

// Expire removes from the store what has been there for long enough, at a time.
func (l *Library) Expire(now time.Time) error { return l.expire(now) }
