package store

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Feed is the record of one feed. Credentials are sealed in the database and
// open here: never print, log or return them.
type Feed struct {
	ID             int64
	Name           string
	Title          string
	URL            string `gorm:"-"`          // without user and password; its query is sealed
	Address        string `gorm:"column:url"` // the URL without its query
	User           string `gorm:"-"`
	Password       string `gorm:"-"`
	Transport      string
	Fetch          string
	PollMillis     int
	AnswerMillis   int // patience for each answer of the camera
	FirstMillis    int // for the first packet or frame
	StallMillis    int // for silence after that
	Fingerprint    string
	Device         string // address of the camera's ONVIF device; empty when it is not known
	DeviceProfile  string // token of the profile that the feed shows
	DeviceUser     string `gorm:"-"` // where the device has others than the stream; else empty
	DevicePassword string `gorm:"-"`
	DeviceID       string // URN of the device, which stays when its address changes
	Follow         bool   // whether the feed goes by itself where the device is found
	DigestOnly     bool   // it has gone somewhere by itself: no password is sent in the clear there
	WithinMillis   int    // how far behind the picture may be; 0 is whatever is cheapest
	SegmentMillis  int    // this and the next two follow from it where they are 0
	PartMillis     int
	PlaylistLength int
	Enabled        bool
	WhileNeeded    bool // connected only while somebody needs it

	// Publishing: nobody opens the camera; whoever knows the key sends to the feed.
	Pushed          bool
	PublishKey      string `gorm:"-"`
	PublishOpen     bool   // no key is asked for
	PublishTakeOver bool   // who comes second takes over

	Audience    string   // everyone, links, signed-in or named
	Named       []string `gorm:"-"` // names of accounts that may watch whatever the audience
	Tags        string   // that it is grouped by, separated by spaces
	Sites       string   // that may show it, separated by spaces; empty for all
	Reports     bool     // whether viewers' players tell how it plays
	SwitchedOff string   // deliveries that it does not give, separated by spaces

	// How Motion JPEG and stills go out when nothing else is asked for; zero
	// values mean as the camera sends.
	PictureSize    string
	PictureRate    float64
	PictureQuality int

	// Whether audio is wanted: automatic, on or off, and as-feed for a delivery.
	Audio       string
	AudioHLS    string `gorm:"column:audio_hls"`
	AudioWebRTC string `gorm:"column:audio_web_rtc"`

	Recording Recording       `gorm:"serializer:json"`
	Stills    []StillSchedule `gorm:"serializer:json"`
	Combined  Combined        `gorm:"serializer:json"`

	// Where HLS and stills of the feed are put, besides; empty for nowhere.
	OutletTo          string
	OutletUser        string
	OutletPassword    string `gorm:"-"`
	OutletStillMillis int    // from one still to the next; 0 for none

	Projection  string  // of the picture: equirectangular, top-bottom or fisheye; empty is flat
	FieldOfView float64 // of a fisheye, degrees; 0 is 180

	Renditions []Rendition     // by name
	Requests   []CameraRequest // by name

	CreatedAt time.Time
	UpdatedAt time.Time

	UserSealed           []byte
	PasswordSealed       []byte
	DeviceUserSealed     []byte
	DevicePasswordSealed []byte
	QuerySealed          []byte
	PublishKeySealed     []byte
	OutletPasswordSealed []byte
}

func (s *Store) sealFeed(f *Feed) {
	f.UserSealed, f.PasswordSealed = s.box.seal(f.User), s.box.seal(f.Password)
	f.DeviceUserSealed, f.DevicePasswordSealed = s.box.seal(f.DeviceUser), s.box.seal(f.DevicePassword)
	var query string
	f.Address, query, _ = strings.Cut(f.URL, "?")
	f.QuerySealed = s.box.seal(query)
	f.PublishKeySealed, f.OutletPasswordSealed = s.box.seal(f.PublishKey), s.box.seal(f.OutletPassword)
	for i := range f.Requests {
		q := &f.Requests[i]
		q.TargetSealed, q.BodySealed = s.box.seal(q.Target), s.box.seal(q.Body)
	}
}

func (s *Store) openFeed(f *Feed) error {
	open := opener{box: s.box}
	f.User, f.Password, f.URL = open.text(f.UserSealed), open.text(f.PasswordSealed), f.Address
	f.DeviceUser, f.DevicePassword = open.text(f.DeviceUserSealed), open.text(f.DevicePasswordSealed)
	f.PublishKey, f.OutletPassword = open.text(f.PublishKeySealed), open.text(f.OutletPasswordSealed)
	if query := open.text(f.QuerySealed); query != "" {
		f.URL += "?" + query
	}
	for i := range f.Requests {
		q := &f.Requests[i]
		q.Target, q.Body = open.text(q.TargetSealed), open.text(q.BodySealed)
	}
	return open.err
}

// opener unseals texts and keeps the first error.
type opener struct {
	box *sealer
	err error
}

func (o *opener) text(sealed []byte) string {
	if o.err != nil {
		return ""
	}
	var text string
	text, o.err = o.box.open(sealed)
	return text
}

// sealOpen seals what an earlier version kept readable: queries of cameras' addresses,
// and requests to cameras.
func sealOpen(tx *gorm.DB, box *sealer) error {
	var feeds []struct {
		ID  int64
		URL string
	}
	if err := tx.Table("feeds").Find(&feeds).Error; err != nil {
		return err
	}
	for _, f := range feeds {
		if address, query, ok := strings.Cut(f.URL, "?"); ok {
			if err := tx.Exec(`UPDATE feeds SET url = ?, query_sealed = ? WHERE id = ?`, address, box.seal(query), f.ID).Error; err != nil {
				return err
			}
		}
	}
	var requests []struct {
		ID           int64
		Target, Body string
	}
	if err := tx.Table("camera_requests").Find(&requests).Error; err != nil {
		return err
	}
	for _, q := range requests {
		err := tx.Exec(`UPDATE camera_requests SET target = '', body = '', target_sealed = ?, body_sealed = ? WHERE id = ?`, box.seal(q.Target), box.seal(q.Body), q.ID).Error
		if err != nil {
			return err
		}
	}
	return tx.Exec(`ALTER TABLE camera_requests DROP COLUMN target`).Exec(`ALTER TABLE camera_requests DROP COLUMN body`).Error
}

// Feeds returns all feeds by name.
func (s *Store) Feeds() ([]Feed, error) {
	var feeds []Feed
	if err := s.whole().Order("name").Find(&feeds).Error; err != nil {
		return nil, err
	}
	for i := range feeds {
		if err := s.finish(&feeds[i]); err != nil {
			return nil, err
		}
	}
	return feeds, nil
}

// Feed returns one feed; the error is ErrNotFound when there is none.
func (s *Store) Feed(name string) (Feed, error) {
	var f Feed
	if err := s.whole().Where("name = ?", name).Take(&f).Error; err != nil {
		return f, known(err)
	}
	return f, s.finish(&f)
}

// finish gives a feed that was read what is not in its row.
func (s *Store) finish(f *Feed) error {
	if err := s.openFeed(f); err != nil {
		return err
	}
	return s.db.Table("feed_accounts").Joins("JOIN accounts ON accounts.id = feed_accounts.account_id").
		Where("feed_accounts.feed_id = ?", f.ID).Order("accounts.name").Pluck("accounts.name", &f.Named).Error
}

// ErrNoAccount is wrapped when a feed names an account that there is not.
var ErrNoAccount = errors.New("there is no such account")

// saveNamed writes which accounts a feed names.
func saveNamed(tx *gorm.DB, f *Feed) error {
	if err := tx.Exec(`DELETE FROM feed_accounts WHERE feed_id = ?`, f.ID).Error; err != nil {
		return err
	}
	for _, name := range f.Named {
		done := tx.Exec(`INSERT OR IGNORE INTO feed_accounts (feed_id, account_id) SELECT ?, id FROM accounts WHERE name = ?`, f.ID, name)
		if done.Error != nil {
			return done.Error
		}
		var n int64
		if err := tx.Model(&Account{}).Where("name = ?", name).Count(&n).Error; err != nil {
			return err
		}
		if n == 0 {
			return fmt.Errorf("%w: %s", ErrNoAccount, name)
		}
	}
	return nil
}

// whole loads a feed with what belongs to it.
func (s *Store) whole() *gorm.DB {
	byName := func(db *gorm.DB) *gorm.DB { return db.Order("name") }
	return s.db.Preload("Renditions", byName).Preload("Requests", byName)
}

// AddFeed adds a feed; the error is ErrTaken when the name is in use.
func (s *Store) AddFeed(f *Feed) error {
	s.sealFeed(f)
	return known(s.db.Transaction(func(tx *gorm.DB) error {
		if err := tx.Create(f).Error; err != nil {
			return err
		}
		return saveNamed(tx, f)
	}))
}

// SaveFeed writes a changed feed, with its renditions and camera requests as they
// are in it; the error is ErrNotFound when there is none of its ID any more.
func (s *Store) SaveFeed(f *Feed) error {
	s.sealFeed(f)
	return known(s.db.Transaction(func(tx *gorm.DB) error {
		if err := affectsOne(tx.Exec(`UPDATE feeds SET updated_at = updated_at WHERE id = ?`, f.ID)); err != nil {
			return err // or the row would be made anew
		}
		if err := tx.Where("feed_id = ?", f.ID).Delete(&Rendition{}).Error; err != nil {
			return err
		}
		if err := tx.Where("feed_id = ?", f.ID).Delete(&CameraRequest{}).Error; err != nil {
			return err
		}
		for i := range f.Renditions {
			f.Renditions[i].ID = 0
		}
		for i := range f.Requests {
			f.Requests[i].ID = 0
		}
		if err := tx.Save(f).Error; err != nil {
			return err
		}
		return saveNamed(tx, f)
	}))
}

// RemoveFeed removes a feed; its events stay.
func (s *Store) RemoveFeed(name string) error {
	return affectsOne(s.db.Where("name = ?", name).Delete(&Feed{}))
}

// Rendition is the record of what a feed's pictures are transcoded to.
type Rendition struct {
	ID         int64
	FeedID     int64
	Name       string
	Codec      string
	Size       string
	FrameRate  float64
	BitRate    int
	KeySeconds float64
	Profile    string
	Quality    int
	Text       string
	TextCorner string
	TextSize   float64
	View       string // that is cut out of a picture that is not flat: pan, tilt and field of view
}

// CameraRequest is the record of a request to a feed's camera. It is sent with the
// feed's credentials, which are not in it.
type CameraRequest struct {
	ID           int64
	FeedID       int64
	Name         string
	Method       string
	Target       string `gorm:"-"` // path, or URL on the camera's host; sealed, since cameras take passwords there
	Body         string `gorm:"-"` // sealed
	AtConnection bool   // sent before each connection

	TargetSealed []byte
	BodySealed   []byte
}
