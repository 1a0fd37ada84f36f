package store

import (
	"crypto/rand"
	"crypto/sha256"
	"time"
)

// Link lets whoever has it watch one feed. Only a digest of its text is kept.
type Link struct {
	ID        int64
	FeedID    int64
	Name      string
	Sum       []byte
	CreatedAt time.Time
}

// Links returns a feed's links by name.
func (s *Store) Links(feed string) (list []Link, err error) {
	f, err := s.Feed(feed)
	if err != nil {
		return nil, err
	}
	return list, s.db.Where("feed_id = ?", f.ID).Order("name").Find(&list).Error
}

// AddLink makes a link and returns its text, which is not kept; the error is
// ErrTaken when the feed has one of that name.
func (s *Store) AddLink(feed, name string) (*Link, string, error) {
	f, err := s.Feed(feed)
	if err != nil {
		return nil, "", err
	}
	text := rand.Text()
	sum := sha256.Sum256([]byte(text))
	l := &Link{FeedID: f.ID, Name: name, Sum: sum[:]}
	return l, text, known(s.db.Create(l).Error)
}

// RemoveLink ends a link.
func (s *Store) RemoveLink(feed, name string) error {
	f, err := s.Feed(feed)
	if err != nil {
		return err
	}
	return affectsOne(s.db.Where("feed_id = ? AND name = ?", f.ID, name).Delete(&Link{}))
}

// Opens says whether a link's text is good for a feed.
func (s *Store) Opens(feed, text string) bool {
	sum := sha256.Sum256([]byte(text))
	var n int64
	err := s.db.Model(&Link{}).Joins("JOIN feeds ON feeds.id = links.feed_id").Where("feeds.name = ? AND links.sum = ?", feed, sum[:]).Count(&n).Error
	return err == nil && n == 1
}
