package store

import "time"

// Feed is the record of one feed. Credentials are sealed in the database and
// open here: never print, log or return them.
type Feed struct {
	ID            int64
	Name          string
	Title         string
	URL           string // without credentials
	User          string `gorm:"-"`
	Password      string `gorm:"-"`
	Transport     string
	Fingerprint   string
	SegmentMillis int
	ListSize      int
	Public        bool
	Enabled       bool
	CreatedAt     time.Time
	UpdatedAt     time.Time

	UserSealed     []byte
	PasswordSealed []byte
}

func (s *Store) sealFeed(f *Feed) {
	f.UserSealed, f.PasswordSealed = s.box.seal(f.User), s.box.seal(f.Password)
}

func (s *Store) openFeed(f *Feed) (err error) {
	if f.User, err = s.box.open(f.UserSealed); err != nil {
		return err
	}
	f.Password, err = s.box.open(f.PasswordSealed)
	return err
}

// Feeds returns all feeds by name.
func (s *Store) Feeds() ([]Feed, error) {
	var feeds []Feed
	if err := s.db.Order("name").Find(&feeds).Error; err != nil {
		return nil, err
	}
	for i := range feeds {
		if err := s.openFeed(&feeds[i]); err != nil {
			return nil, err
		}
	}
	return feeds, nil
}

// Feed returns one feed; the error is ErrNotFound when there is none.
func (s *Store) Feed(name string) (Feed, error) {
	var f Feed
	if err := s.db.Where("name = ?", name).Take(&f).Error; err != nil {
		return f, known(err)
	}
	return f, s.openFeed(&f)
}

// AddFeed adds a feed; the error is ErrTaken when the name is in use.
func (s *Store) AddFeed(f *Feed) error {
	s.sealFeed(f)
	return known(s.db.Create(f).Error)
}

// SaveFeed writes a changed feed.
func (s *Store) SaveFeed(f *Feed) error {
	s.sealFeed(f)
	return known(s.db.Save(f).Error)
}

// RemoveFeed removes a feed; its events stay.
func (s *Store) RemoveFeed(name string) error {
	return must1(s.db.Where("name = ?", name).Delete(&Feed{}))
}
