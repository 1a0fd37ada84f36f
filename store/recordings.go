package store

import (
	"time"
)

// Recording says when a feed is recorded and how long that is kept. Its zero value records
// only when somebody says so.
type Recording struct {
	Mode      string  `json:"mode,omitempty"`      // hand, always, timetable or motion; empty is hand
	Timetable string  `json:"timetable,omitempty"` // as recording.ParseTimetable reads it
	Zone      string  `json:"zone,omitempty"`      // IANA time zone of the timetable; empty is the service's
	Minutes   int     `json:"minutes,omitempty"`   // length of a file; 0 is the usual
	Before    int     `json:"before,omitempty"`    // seconds before motion
	After     int     `json:"after,omitempty"`     // seconds after it
	Threshold float64 `json:"threshold,omitempty"` // per cent of the picture that has to change; 0 is the usual
	Mask      string  `json:"mask,omitempty"`      // cells that are not looked at, see motion.ParseMask
	Days      float64 `json:"days,omitempty"`      // that it is kept; 0 is no limit
	Bytes     int64   `json:"bytes,omitempty"`     // that are kept; 0 is no limit
	GoBack    bool    `json:"goBack,omitempty"`    // viewers may go back in time
}

// Combined says of which other feeds a feed is made; its zero value is a feed of its own.
type Combined struct {
	Kind    string         `json:"kind,omitempty"` // turns or mosaic; empty for none
	Sources []CombinedFeed `json:"sources,omitempty"`
	Size    string         `json:"size,omitempty"`   // of what is transcoded; empty is the usual
	Rate    float64        `json:"rate,omitempty"`   // fps of a mosaic; 0 is the usual
	Always  bool           `json:"always,omitempty"` // turns are transcoded even where they need not be
	Names   bool           `json:"names,omitempty"`  // a mosaic's names are drawn
}

// Feeds are the names of those feeds.
func (c Combined) Feeds() (names []string) {
	for _, s := range c.Sources {
		names = append(names, s.Feed)
	}
	return names
}

// CombinedFeed is one of them.
type CombinedFeed struct {
	Feed    string  `json:"feed"`
	Seconds float64 `json:"seconds,omitempty"` // that its turn lasts; 0 is the usual
}

// StillSchedule says when stills of a feed are taken, and what films are made of them.
type StillSchedule struct {
	Name      string   `json:"name"`
	Seconds   float64  `json:"seconds,omitempty"` // from one to the next; 0 when they are taken at times of day
	At        []string `json:"at,omitempty"`      // times of day, such as 07:30
	Zone      string   `json:"zone,omitempty"`    // IANA time zone of those; empty is the service's
	Sun       bool     `json:"sun,omitempty"`     // only while the sun is up
	Latitude  float64  `json:"latitude,omitempty"`
	Longitude float64  `json:"longitude,omitempty"`
	Size      string   `json:"size,omitempty"`
	Quality   int      `json:"quality,omitempty"`
	Text      string   `json:"text,omitempty"`
	Requests  []string `json:"requests,omitempty"` // of the feed's camera requests, sent before each
	Days      float64  `json:"days,omitempty"`     // that stills are kept; 0 is no limit
	Show      bool     `json:"show,omitempty"`     // viewers of the feed see them, and their films

	Film        string  `json:"film,omitempty"`        // hour or day: one is made of each; empty for none
	FilmSeconds float64 `json:"filmSeconds,omitempty"` // that it is long; 0 shows 25 stills a second
	FilmFormat  string  `json:"filmFormat,omitempty"`  // mp4 or webm; empty is mp4
	FilmEven    bool    `json:"filmEven,omitempty"`    // brightness is evened out
	FilmRemoves bool    `json:"filmRemoves,omitempty"` // its stills are removed
	FilmDays    float64 `json:"filmDays,omitempty"`    // that films are kept; 0 is no limit
}

// RecordedFile is the record of one file of a recording.
type RecordedFile struct {
	ID           int64
	Feed         string
	Path         string
	BeginsMillis int64 // since 1970
	EndsMillis   int64
	Bytes        int64
	Width        int
	Height       int
	Codec        string
	Audio        bool
	Why          string
	Keep         bool
	Open         bool
	Follows      bool
	Copied       bool // to an object store
	Away         bool // it is there alone
}

// SaveRecordedFile writes a file's record; one that is new gets its number.
func (s *Store) SaveRecordedFile(f *RecordedFile) error { return known(s.db.Save(f).Error) }

// KeepRecordedFile notes where a file lies that is to be kept, or no longer so.
func (s *Store) KeepRecordedFile(id int64, path string, keep bool) error {
	return affectsOne(s.db.Model(&RecordedFile{}).Where("id = ?", id).Updates(map[string]any{"path": path, "keep": keep}))
}

// FileFollows notes whether a file goes on where the one before it ended.
func (s *Store) FileFollows(id int64, follows bool) error {
	return s.db.Model(&RecordedFile{}).Where("id = ?", id).Update("follows", follows).Error
}

// FileBack notes that a file is on the disk again.
func (s *Store) FileBack(id int64) error {
	return s.db.Model(&RecordedFile{}).Where("id = ?", id).Update("away", false).Error
}

// RecordedFiles returns the files of a feed, or with an empty name of all, that have
// something between two times, and those that are being written whatever they had when
// that was noted; zero times are no bounds. The oldest come first, limit of them at most, 0
// for all.
func (s *Store) RecordedFiles(feed string, from, to time.Time, limit int) (list []RecordedFile, err error) {
	tx := s.db.Order("begins_millis, id")
	if feed != "" {
		tx = tx.Where("feed = ?", feed)
	}
	if !from.IsZero() {
		tx = tx.Where("ends_millis > ? OR open", from.UnixMilli())
	}
	if !to.IsZero() {
		tx = tx.Where("begins_millis < ?", to.UnixMilli())
	}
	if limit > 0 {
		tx = tx.Limit(limit)
	}
	return list, tx.Find(&list).Error
}

// RecordedFile returns one file's record; the error is ErrNotFound when there is none.
func (s *Store) RecordedFile(id int64) (f RecordedFile, err error) {
	return f, known(s.db.Where("id = ?", id).Take(&f).Error)
}

// ForgetRecordedFile removes the record of a file.
func (s *Store) ForgetRecordedFile(id int64) error {
	return s.db.Where("id = ?", id).Delete(&RecordedFile{}).Error
}

// OpenRecordedFiles returns those that are being written, or were when the service ended.
func (s *Store) OpenRecordedFiles() (list []RecordedFile, err error) {
	return list, s.db.Where("open").Order("id").Find(&list).Error
}

// UncopiedFiles returns those that are finished and were not copied to an object store yet.
func (s *Store) UncopiedFiles() (list []RecordedFile, err error) {
	return list, s.db.Where("NOT open AND NOT copied").Order("begins_millis, id").Find(&list).Error
}

// AwayFiles returns those that are in an object store alone.
func (s *Store) AwayFiles() (list []RecordedFile, err error) {
	return list, s.db.Where("away").Order("begins_millis, id").Find(&list).Error
}

// FileAway notes that a file is in an object store alone.
func (s *Store) FileAway(id int64) error {
	return s.db.Model(&RecordedFile{}).Where("id = ?", id).Updates(map[string]any{"copied": true, "away": true, "open": false}).Error
}

// FileCopied notes that a file was copied.
func (s *Store) FileCopied(id int64) error {
	return s.db.Model(&RecordedFile{}).Where("id = ?", id).Update("copied", true).Error
}
