package store

import (
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Experience is what players reported of a feed on one day, by engine and delivery.
type Experience struct {
	FeedID        int64  `gorm:"primaryKey"`
	Day           string `gorm:"primaryKey"` // in UTC, as 2006-01-02
	Engine        string `gorm:"primaryKey"`
	Delivery      string `gorm:"primaryKey"`
	Version       int    // the newest
	Plays         int
	Failures      int
	Reason        string // of the last failure
	WatchedMillis int64
	Stalls        int
	StalledMillis int64
	TimedMillis   int64 // of what was watched, that of which the delay is known
	DelaySum      int64 // milliseconds of delay times TimedMillis
	H265Plays     int   `gorm:"column:h265_plays"`
	H265Cannot    int   `gorm:"column:h265_cannot"`
}

// TableName is the table.
func (Experience) TableName() string { return "experience" }

const (
	dayFormat = "2006-01-02"
	keptDays  = 30
)

// Day is the day of a time as records have it.
func Day(t time.Time) string { return t.UTC().Format(dayFormat) }

// AddExperience adds to what was reported, and forgets what is older than a month. Reports
// of feeds that are gone are left out.
func (s *Store) AddExperience(list []Experience, now time.Time) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		for i := range list {
			e := &list[i]
			var there int64
			if err := tx.Model(&Feed{}).Where("id = ?", e.FeedID).Count(&there).Error; err != nil {
				return err
			}
			if there == 0 {
				continue
			}
			if err := tx.Clauses(addUp(e)).Create(e).Error; err != nil {
				return err
			}
		}
		return tx.Where("day < ?", Day(now.AddDate(0, 0, -keptDays))).Delete(&Experience{}).Error
	})
}

// addUp has numbers added to those of the same feed, day, engine and delivery.
func addUp(e *Experience) clause.OnConflict {
	sums := map[string]any{"version": gorm.Expr("MAX(experience.version, ?)", e.Version)}
	for column, value := range map[string]int64{
		"plays": int64(e.Plays), "failures": int64(e.Failures), "watched_millis": e.WatchedMillis, "stalls": int64(e.Stalls), "stalled_millis": e.StalledMillis,
		"timed_millis": e.TimedMillis, "delay_sum": e.DelaySum, "h265_plays": int64(e.H265Plays), "h265_cannot": int64(e.H265Cannot),
	} {
		sums[column] = gorm.Expr("experience."+column+" + ?", value)
	}
	if e.Reason != "" {
		sums["reason"] = e.Reason
	}
	return clause.OnConflict{
		Columns:   []clause.Column{{Name: "feed_id"}, {Name: "day"}, {Name: "engine"}, {Name: "delivery"}},
		DoUpdates: clause.Assignments(sums),
	}
}

// ExperienceOf returns what was reported of a feed since a day, the oldest first.
func (s *Store) ExperienceOf(feed int64, since time.Time) (list []Experience, err error) {
	return list, s.db.Where("feed_id = ? AND day >= ?", feed, Day(since)).Order("day, engine, delivery").Find(&list).Error
}
