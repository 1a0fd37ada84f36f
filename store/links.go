package store

import (
	"crypto/rand"
	"time"

	"gorm.io/gorm"
)

// Link is the record of a link. Its text is signed by a key and not kept; only of those
// from before texts were signed a digest is.
type Link struct {
	ID          int64
	FeedID      int64
	Name        string
	KeyID       int64
	Sum         []byte
	EndsAt      *time.Time
	Sites       string // separated by spaces; empty for those of the feed
	Deliveries  string // separated by spaces; empty for all that the feed gives
	MostViewers int
	UsedAt      *time.Time
	CreatedAt   time.Time
}

// LinkKey is the record of a key that signs the texts of links.
type LinkKey struct {
	ID           int64
	Secret       []byte `gorm:"-"`
	SecretSealed []byte
	CreatedAt    time.Time
}

// Links returns a feed's links by name.
func (s *Store) Links(feed string) (list []Link, err error) {
	f, err := s.Feed(feed)
	if err != nil {
		return nil, err
	}
	return list, s.db.Where("feed_id = ?", f.ID).Order("name").Find(&list).Error
}

// AllLinks returns the links of all feeds.
func (s *Store) AllLinks() (list []Link, err error) { return list, s.db.Find(&list).Error }

// AddLink records a link of a feed and gives it its ID; the error is ErrTaken when the
// feed has one of that name.
func (s *Store) AddLink(feed string, l *Link) error {
	f, err := s.Feed(feed)
	if err != nil {
		return err
	}
	l.FeedID = f.ID
	return known(s.db.Create(l).Error)
}

// Link returns a feed's link.
func (s *Store) Link(feed, name string) (l Link, err error) {
	f, err := s.Feed(feed)
	if err != nil {
		return l, err
	}
	return l, known(s.db.Where("feed_id = ? AND name = ?", f.ID, name).Take(&l).Error)
}

// SaveLink writes a changed link.
func (s *Store) SaveLink(l *Link) error {
	return affectsOne(s.db.Model(l).Select("EndsAt", "Sites", "Deliveries", "MostViewers").Updates(l))
}

// RemoveLink ends a link and returns its record.
func (s *Store) RemoveLink(feed, name string) (l Link, err error) {
	if l, err = s.Link(feed, name); err != nil {
		return l, err
	}
	return l, affectsOne(s.db.Delete(&Link{}, l.ID))
}

// LinksUsed notes when links opened something last, by their IDs.
func (s *Store) LinksUsed(at map[int64]time.Time) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		for id, t := range at {
			if err := tx.Exec(`UPDATE links SET used_at = ? WHERE id = ?`, t.UTC(), id).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

const secretLen = 32 // bytes

// LinkKeys returns the keys that sign links, the newest last. There is always one.
func (s *Store) LinkKeys() (list []LinkKey, err error) {
	if err = s.db.Order("id").Find(&list).Error; err != nil {
		return nil, err
	}
	open := opener{box: s.box}
	for i := range list {
		list[i].Secret = []byte(open.text(list[i].SecretSealed))
	}
	if open.err != nil || len(list) > 0 {
		return list, open.err
	}
	k, err := s.AddLinkKey()
	return []LinkKey{k}, err
}

// AddLinkKey makes another key.
func (s *Store) AddLinkKey() (k LinkKey, err error) {
	k.Secret = make([]byte, secretLen)
	_, _ = rand.Read(k.Secret) // it never fails
	k.SecretSealed = s.box.seal(string(k.Secret))
	return k, s.db.Create(&k).Error
}

// EndLinksBefore removes the keys from before one, and the links that they signed, and
// those from before texts were signed.
func (s *Store) EndLinksBefore(key int64) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("key_id < ?", key).Delete(&Link{}).Error; err != nil {
			return err
		}
		return tx.Where("id < ?", key).Delete(&LinkKey{}).Error
	})
}
