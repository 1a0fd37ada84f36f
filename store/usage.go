package store

import (
	"time"

	"gorm.io/gorm"
)

// usageKept is how long usage is kept: a year and a month, to compare with.
const usageKept = 400 * 24 * time.Hour

// Usage is what viewers of a feed took on one day, by delivery.
type Usage struct {
	FeedID       int64  `gorm:"primaryKey"`
	Day          string `gorm:"primaryKey"` // in UTC, as 2006-01-02
	Delivery     string `gorm:"primaryKey"`
	Bytes        int64
	ViewerMillis int64 // of all viewers together
	Most         int   // at once
}

// TableName is the table.
func (Usage) TableName() string { return "usage" }

// AddUsage adds to what was taken. Feeds that are gone are left out.
func (s *Store) AddUsage(list []Usage) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		for _, u := range list {
			err := tx.Exec(`INSERT INTO usage (feed_id, day, delivery, bytes, viewer_millis, most) SELECT id, ?, ?, ?, ?, ? FROM feeds WHERE id = ?
				ON CONFLICT (feed_id, day, delivery) DO UPDATE SET bytes = bytes + excluded.bytes, viewer_millis = viewer_millis + excluded.viewer_millis,
					most = MAX(most, excluded.most)`, u.Day, u.Delivery, u.Bytes, u.ViewerMillis, u.Most, u.FeedID).Error
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// UsageOf returns what was taken on the days from one to another, both included, of one feed
// or, with 0, of all; the oldest first.
func (s *Store) UsageOf(feed int64, from, to string) (list []Usage, err error) {
	tx := s.db.Where("day >= ? AND day <= ?", from, to)
	if feed != 0 {
		tx = tx.Where("feed_id = ?", feed)
	}
	return list, tx.Order("day, feed_id, delivery").Find(&list).Error
}

// BytesSince returns the bytes that all feeds gave from a day on.
func (s *Store) BytesSince(day string) (n int64, err error) {
	return n, s.db.Raw(`SELECT COALESCE(SUM(bytes), 0) FROM usage WHERE day >= ?`, day).Scan(&n).Error
}

// ForgetUsage forgets what is older than it is kept.
func (s *Store) ForgetUsage(now time.Time) error {
	return s.db.Exec(`DELETE FROM usage WHERE day < ?`, Day(now.Add(-usageKept))).Error
}
