package store

import (
	"time"

	"gorm.io/gorm"
)

// The lengths of stretches, and how long they are kept.
const (
	ShortStretch = 5 * time.Minute
	LongStretch  = time.Hour

	shortKept   = 26 * time.Hour
	longKept    = 31 * 24 * time.Hour
	outagesKept = 31 * 24 * time.Hour
	mostOutages = 300 // of a feed
)

// Stretch is how long a feed was in which kind of state in one stretch of time, seconds.
type Stretch struct {
	FeedID   int64 `gorm:"primaryKey"`
	Length   int64 `gorm:"primaryKey"` // seconds
	Begins   int64 `gorm:"primaryKey"` // seconds since 1970, a multiple of the length
	Live     int64
	Degraded int64
	Down     int64
	Waiting  int64
	Off      int64
}

// AddStretches adds seconds to the stretches, of both lengths, that a time is in. Feeds that
// are gone are left out.
func (s *Store) AddStretches(list []Stretch, at time.Time) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		for _, x := range list {
			for _, length := range []int64{int64(ShortStretch / time.Second), int64(LongStretch / time.Second)} {
				begins := at.Unix() / length * length
				err := tx.Exec(`INSERT INTO stretches (feed_id, length, begins, live, degraded, down, waiting, off)
					SELECT id, ?, ?, ?, ?, ?, ?, ? FROM feeds WHERE id = ?
					ON CONFLICT (feed_id, length, begins) DO UPDATE SET live = live + excluded.live, degraded = degraded + excluded.degraded,
						down = down + excluded.down, waiting = waiting + excluded.waiting, off = off + excluded.off`,
					length, begins, x.Live, x.Degraded, x.Down, x.Waiting, x.Off, x.FeedID).Error
				if err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Stretches returns those of a length that begin in a time, of one feed or, with 0, of all;
// the oldest first.
func (s *Store) Stretches(feed int64, length time.Duration, since, until time.Time) (list []Stretch, err error) {
	tx := s.db.Where("length = ? AND begins >= ? AND begins < ?", int64(length/time.Second), since.Unix(), until.Unix())
	if feed != 0 {
		tx = tx.Where("feed_id = ?", feed)
	}
	return list, tx.Order("begins, feed_id").Find(&list).Error
}

// Outage is the record of an outage.
type Outage struct {
	ID           int64
	FeedID       int64
	Began        time.Time
	LastedMillis int64
	Over         bool
	Code         string
	Reason       string
}

// Lasted is its length.
func (o Outage) Lasted() time.Duration { return time.Duration(o.LastedMillis) * time.Millisecond }

// SaveOutage writes an outage that began, goes on or has ended; one that is new gets its
// number.
func (s *Store) SaveOutage(o *Outage) error {
	o.Began = o.Began.UTC()
	if o.ID != 0 {
		// Its feed may be gone by now, and the outage with it.
		return s.db.Model(o).Select("LastedMillis", "Over", "Code", "Reason").Updates(o).Error
	}
	if err := s.db.Create(o).Error; err != nil {
		return err
	}
	return s.db.Exec(`DELETE FROM outages WHERE feed_id = ? AND id NOT IN (SELECT id FROM outages WHERE feed_id = ? ORDER BY id DESC LIMIT ?)`, o.FeedID, o.FeedID, mostOutages).Error
}

// Outages returns those that went on at some time since, of one feed or, with 0, of all; the
// newest first.
func (s *Store) Outages(feed int64, since time.Time) (list []Outage, err error) {
	tx := s.db.Where("over = 0 OR began >= ?", since.Add(-outagesKept).UTC())
	if feed != 0 {
		tx = tx.Where("feed_id = ?", feed)
	}
	if err := tx.Order("began DESC, id DESC").Find(&list).Error; err != nil {
		return nil, err
	}
	kept := list[:0]
	for _, o := range list {
		if !o.Over || o.Began.Add(o.Lasted()).After(since) {
			kept = append(kept, o)
		}
	}
	return kept, nil
}

// OpenOutages returns those that went on when a run ended.
func (s *Store) OpenOutages() (list []Outage, err error) {
	return list, s.db.Where("over = 0").Order("id").Find(&list).Error
}

// ForgetHistory forgets what is older than it is kept.
func (s *Store) ForgetHistory(now time.Time) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		for length, kept := range map[time.Duration]time.Duration{ShortStretch: shortKept, LongStretch: longKept} {
			if err := tx.Exec(`DELETE FROM stretches WHERE length = ? AND begins < ?`, int64(length/time.Second), now.Add(-kept).Unix()).Error; err != nil {
				return err
			}
		}
		return tx.Exec(`DELETE FROM outages WHERE over = 1 AND began < ?`, now.Add(-outagesKept).UTC()).Error
	})
}
