// Package store keeps the records: feeds, accounts, sessions, tokens and
// events, in one SQLite file. Credentials of cameras are sealed with a key that
// lies beside it.
package store

import (
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"

	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	_ "modernc.org/sqlite" // the driver named "sqlite", without cgo
)

// ErrNotFound is returned when there is no such record; ErrTaken when a name is
// in use already.
var (
	ErrNotFound = errors.New("there is no such record")
	ErrTaken    = errors.New("that name is taken")
)

// ErrInUse is returned when another service has the data folder open; ErrDiskFull when
// there is no room to write in.
var (
	ErrInUse    = errors.New("another service runs with this data folder")
	ErrDiskFull = errors.New("the disk is full")
)

const (
	databaseFile = "webostrum.db"
	keyFile      = "seal.key"
	lockFile     = "webostrum.lock"
	private      = 0o700

	leastFree = 32 << 20 // bytes; less counts as full
)

// Store is the open database. It is safe for concurrent use.
type Store struct {
	db     *gorm.DB
	box    *sealer
	folder string
	lock   *os.File // held while the store is open

	hashCost int // of bcrypt
}

// Option changes how a store works.
type Option func(*Store)

// Open opens or makes the database in a folder, and brings it up to date.
func Open(folder string, options ...Option) (*Store, error) {
	if err := os.MkdirAll(folder, private); err != nil {
		return nil, fmt.Errorf("the data folder cannot be made: %w", err)
	}
	lock, err := lockFolder(filepath.Join(folder, lockFile))
	if err != nil {
		return nil, err
	}
	forgetCopies(folder)
	if err := finishRestore(folder, time.Now()); err != nil {
		return nil, errors.Join(fmt.Errorf("the backup in %s cannot be put into place: %w", folder, err), lock.Close())
	}
	s, err := open(folder)
	if err != nil {
		return nil, errors.Join(err, lock.Close())
	}
	s.lock, s.hashCost = lock, bcryptCost
	for _, change := range options {
		change(s)
	}
	return s, nil
}

func open(folder string) (*Store, error) {
	path := filepath.Join(folder, databaseFile)
	fresh, err := ownDatabase(path)
	if err != nil {
		return nil, err
	}
	box, err := openSealer(filepath.Join(folder, keyFile), fresh)
	if err != nil {
		return nil, err
	}
	// Transactions take the right to write when they begin: one that has read before would be
	// refused at once where another one writes meanwhile.
	dsn := "file:" + path +
		"?_pragma=journal_mode(WAL)&_pragma=busy_timeout(5000)&_pragma=foreign_keys(1)&_pragma=synchronous(NORMAL)&_txlock=immediate"
	db, err := gorm.Open(sqlite.New(sqlite.Config{DriverName: "sqlite", DSN: dsn}), &gorm.Config{
		Logger: logger.Default.LogMode(logger.Silent),
		NowFunc: func() time.Time {
			return time.Now().UTC()
		},
	})
	if err != nil {
		return nil, fmt.Errorf("the database in %s cannot be opened: %w", folder, err)
	}
	s := &Store{db: db, box: box, folder: folder}
	if err := s.migrate(); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// ownDatabase makes the database's file, and takes away what others could do with it and
// with the files that SQLite keeps beside it. fresh says that there was none.
func ownDatabase(path string) (fresh bool, err error) {
	info, err := os.Stat(path)
	fresh = errors.Is(err, fs.ErrNotExist) || err == nil && info.Size() == 0
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, ownerOnly)
	if err != nil {
		return fresh, fmt.Errorf("the database %s cannot be opened: %w", path, err)
	}
	err = errors.Join(f.Chmod(ownerOnly), f.Close())
	for _, beside := range []string{"-wal", "-shm"} {
		if e := os.Chmod(path+beside, ownerOnly); e != nil && !errors.Is(e, fs.ErrNotExist) {
			err = errors.Join(err, e)
		}
	}
	return fresh, err
}

// Close closes the database.
func (s *Store) Close() error {
	db, err := s.db.DB()
	if err == nil {
		err = db.Close()
	}
	if s.lock != nil {
		err = errors.Join(err, s.lock.Close()) // gives the folder up
	}
	return err
}

// Ready says whether records can be written: the database answers, and the disk has room.
func (s *Store) Ready() error {
	if _, err := s.Accounts(); err != nil {
		return err
	}
	if free, _, ok := freeBytes(s.folder); ok && free < leastFree {
		return fmt.Errorf("%w: %d MiB are free in %s", ErrDiskFull, free>>20, s.folder)
	}
	return nil
}

// FreeShare is the share of the data folder's disk that is free, 0 to 1; ok is false where
// that is not known.
func (s *Store) FreeShare() (share float64, ok bool) {
	free, size, ok := freeBytes(s.folder)
	if !ok || size == 0 {
		return 0, false
	}
	return float64(free) / float64(size), true
}

// FreeBytes is what may still be written to the disk of a folder, and how large that is.
func FreeBytes(folder string) (free, size uint64, ok bool) { return freeBytes(folder) }

// Whole says whether the database is, as SQLite's own check sees it.
func (s *Store) Whole() error {
	var verdict string
	if err := s.db.Raw("PRAGMA quick_check(1)").Scan(&verdict).Error; err != nil {
		return err
	}
	if verdict != "ok" {
		return fmt.Errorf("the database is damaged: %s", verdict)
	}
	return nil
}

// Folder is the data folder.
func (s *Store) Folder() string { return s.folder }

// known turns the database's errors into ours.
func known(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case strings.Contains(err.Error(), "UNIQUE constraint failed"): // the driver has no code of its own for it in GORM
		return ErrTaken
	}
	return err
}

func affectsOne(tx *gorm.DB) error {
	if tx.Error == nil && tx.RowsAffected == 0 {
		return ErrNotFound
	}
	return known(tx.Error)
}

// migration is one numbered step; steps are never changed once released.
type migration struct {
	number int
	sql    []string
	then   func(*gorm.DB, *sealer) error // may be nil
}

var migrations = []migration{
	{1, []string{
		`CREATE TABLE feeds (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, title TEXT NOT NULL, url TEXT NOT NULL,
			user_sealed BLOB, password_sealed BLOB, transport TEXT NOT NULL, fingerprint TEXT NOT NULL,
			segment_millis INTEGER NOT NULL, list_size INTEGER NOT NULL, public INTEGER NOT NULL, enabled INTEGER NOT NULL,
			created_at DATETIME NOT NULL, updated_at DATETIME NOT NULL)`,
		`CREATE TABLE accounts (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, role TEXT NOT NULL, hash BLOB NOT NULL,
			created_at DATETIME NOT NULL)`,
		`CREATE TABLE tokens (id INTEGER PRIMARY KEY, kind TEXT NOT NULL, sum BLOB NOT NULL UNIQUE,
			account_id INTEGER NOT NULL REFERENCES accounts(id) ON DELETE CASCADE, expires_at DATETIME NOT NULL, created_at DATETIME NOT NULL)`,
		`CREATE TABLE events (id INTEGER PRIMARY KEY, at DATETIME NOT NULL, feed TEXT NOT NULL, kind TEXT NOT NULL,
			code TEXT NOT NULL, text TEXT NOT NULL)`,
		`CREATE INDEX events_feed ON events (feed, id)`,
	}, nil},
	{2, []string{
		`ALTER TABLE feeds ADD COLUMN fetch TEXT NOT NULL DEFAULT 'auto'`,
		`ALTER TABLE feeds ADD COLUMN poll_millis INTEGER NOT NULL DEFAULT 2000`,
		`ALTER TABLE feeds ADD COLUMN picture_size TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN picture_rate REAL NOT NULL DEFAULT 0`,
		`ALTER TABLE feeds ADD COLUMN picture_quality INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE accounts ADD COLUMN digest_md5_sealed BLOB`,
		`ALTER TABLE accounts ADD COLUMN digest_sha256_sealed BLOB`,
		`CREATE TABLE renditions (id INTEGER PRIMARY KEY, feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, name TEXT NOT NULL,
			codec TEXT NOT NULL, size TEXT NOT NULL, frame_rate REAL NOT NULL, bit_rate INTEGER NOT NULL, key_seconds REAL NOT NULL,
			profile TEXT NOT NULL, quality INTEGER NOT NULL, text TEXT NOT NULL, text_corner TEXT NOT NULL, text_size REAL NOT NULL,
			UNIQUE (feed_id, name))`,
		`CREATE TABLE camera_requests (id INTEGER PRIMARY KEY, feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, name TEXT NOT NULL,
			method TEXT NOT NULL, target TEXT NOT NULL, body TEXT NOT NULL, at_connection INTEGER NOT NULL, UNIQUE (feed_id, name))`,
		`CREATE TABLE links (id INTEGER PRIMARY KEY, feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, name TEXT NOT NULL,
			sum BLOB NOT NULL UNIQUE, created_at DATETIME NOT NULL, UNIQUE (feed_id, name))`,
	}, nil},
	{3, []string{
		`ALTER TABLE feeds ADD COLUMN sound TEXT NOT NULL DEFAULT 'automatic'`,
		`ALTER TABLE feeds ADD COLUMN sound_hls TEXT NOT NULL DEFAULT 'as-feed'`,
		`ALTER TABLE feeds ADD COLUMN sound_web_rtc TEXT NOT NULL DEFAULT 'as-feed'`,
	}, nil},
	{4, []string{
		`ALTER TABLE feeds RENAME COLUMN sound TO audio`,
		`ALTER TABLE feeds RENAME COLUMN sound_hls TO audio_hls`,
		`ALTER TABLE feeds RENAME COLUMN sound_web_rtc TO audio_web_rtc`,
		`ALTER TABLE feeds RENAME COLUMN list_size TO playlist_length`,
		`ALTER TABLE feeds ADD COLUMN query_sealed BLOB`,
		`ALTER TABLE camera_requests ADD COLUMN target_sealed BLOB`,
		`ALTER TABLE camera_requests ADD COLUMN body_sealed BLOB`,
		`CREATE TABLE known_clients (id INTEGER PRIMARY KEY, account_id INTEGER NOT NULL REFERENCES accounts(id) ON DELETE CASCADE,
			sum BLOB NOT NULL, at DATETIME NOT NULL, UNIQUE (account_id, sum))`,
		`ALTER TABLE feeds ADD COLUMN answer_millis INTEGER NOT NULL DEFAULT 5000`,
		`ALTER TABLE feeds ADD COLUMN first_millis INTEGER NOT NULL DEFAULT 10000`,
		`ALTER TABLE feeds ADD COLUMN stall_millis INTEGER NOT NULL DEFAULT 5000`,
	}, sealOpen},
	{5, []string{
		`ALTER TABLE feeds ADD COLUMN audience TEXT NOT NULL DEFAULT 'signed-in'`,
		`UPDATE feeds SET audience = 'everyone' WHERE public = 1`,
		`ALTER TABLE feeds DROP COLUMN public`,
		`ALTER TABLE feeds ADD COLUMN sites TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN switched_off TEXT NOT NULL DEFAULT ''`,
		`CREATE TABLE feed_accounts (feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE,
			account_id INTEGER NOT NULL REFERENCES accounts(id) ON DELETE CASCADE, PRIMARY KEY (feed_id, account_id))`,
		`CREATE TABLE link_keys (id INTEGER PRIMARY KEY AUTOINCREMENT, secret_sealed BLOB NOT NULL, created_at DATETIME NOT NULL)`,
		// Texts are signed over IDs, so none may come twice.
		`CREATE TABLE links_anew (id INTEGER PRIMARY KEY AUTOINCREMENT, feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE,
			name TEXT NOT NULL, key_id INTEGER NOT NULL, sum BLOB UNIQUE, ends_at DATETIME, sites TEXT NOT NULL, deliveries TEXT NOT NULL,
			most_viewers INTEGER NOT NULL, used_at DATETIME, created_at DATETIME NOT NULL, UNIQUE (feed_id, name))`,
		`INSERT INTO links_anew SELECT id, feed_id, name, 0, sum, NULL, '', '', 0, NULL, created_at FROM links`,
		`DROP TABLE links`,
		`ALTER TABLE links_anew RENAME TO links`,
		`ALTER TABLE tokens ADD COLUMN name TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE tokens ADD COLUMN scope TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE tokens ADD COLUMN used_at DATETIME`,
		`ALTER TABLE tokens ADD COLUMN address TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE tokens ADD COLUMN browser TEXT NOT NULL DEFAULT ''`,
		`CREATE TABLE token_feeds (token_id INTEGER NOT NULL REFERENCES tokens(id) ON DELETE CASCADE,
			feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, PRIMARY KEY (token_id, feed_id))`,
		`ALTER TABLE accounts ADD COLUMN second_sealed BLOB`,
		`ALTER TABLE accounts ADD COLUMN second_step INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE events ADD COLUMN account TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE events ADD COLUMN address TEXT NOT NULL DEFAULT ''`,
	}, nil},
	// What was set as the defaults were follows from the delay that they made.
	{6, []string{
		`ALTER TABLE feeds ADD COLUMN within_millis INTEGER NOT NULL DEFAULT 10000`,
		`ALTER TABLE feeds ADD COLUMN part_millis INTEGER NOT NULL DEFAULT 0`,
		`UPDATE feeds SET segment_millis = 0 WHERE segment_millis = 2000`,
		`UPDATE feeds SET playlist_length = 0 WHERE playlist_length = 6`,
	}, nil},
	{7, []string{
		`ALTER TABLE feeds ADD COLUMN reports INTEGER NOT NULL DEFAULT 0`,
		`CREATE TABLE experience (feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, day TEXT NOT NULL, engine TEXT NOT NULL,
			delivery TEXT NOT NULL, version INTEGER NOT NULL, plays INTEGER NOT NULL, failures INTEGER NOT NULL, reason TEXT NOT NULL,
			watched_millis INTEGER NOT NULL, stalls INTEGER NOT NULL, stalled_millis INTEGER NOT NULL, timed_millis INTEGER NOT NULL,
			delay_sum INTEGER NOT NULL, h265_plays INTEGER NOT NULL, h265_cannot INTEGER NOT NULL, PRIMARY KEY (feed_id, day, engine, delivery))`,
	}, nil},
	{8, []string{
		`ALTER TABLE feeds ADD COLUMN device TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN device_profile TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN device_id TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN follow INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE feeds ADD COLUMN device_user_sealed BLOB`,
		`ALTER TABLE feeds ADD COLUMN device_password_sealed BLOB`,
	}, nil},
	{9, []string{
		`ALTER TABLE feeds ADD COLUMN pushed INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE feeds ADD COLUMN publish_open INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE feeds ADD COLUMN publish_take_over INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE feeds ADD COLUMN publish_key_sealed BLOB`,
		`UPDATE feeds SET switched_off = TRIM(switched_off || ' rtsp')`, // a port of its own opens only where somebody asks for it
	}, nil},
	{10, []string{
		`ALTER TABLE feeds ADD COLUMN tags TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE events ADD COLUMN severity INTEGER NOT NULL DEFAULT 0`,
		`UPDATE events SET severity = 1 WHERE code <> '' OR kind = 'warning'`,
		`CREATE INDEX events_at ON events (at)`,
		// How feeds have been: seconds of each kind, in stretches of five minutes and of an hour.
		`CREATE TABLE stretches (feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, length INTEGER NOT NULL, begins INTEGER NOT NULL,
			live INTEGER NOT NULL, degraded INTEGER NOT NULL, down INTEGER NOT NULL, waiting INTEGER NOT NULL, off INTEGER NOT NULL,
			PRIMARY KEY (feed_id, length, begins)) WITHOUT ROWID`,
		`CREATE TABLE outages (id INTEGER PRIMARY KEY, feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, began DATETIME NOT NULL,
			lasted_millis INTEGER NOT NULL, over INTEGER NOT NULL, code TEXT NOT NULL, reason TEXT NOT NULL)`,
		`CREATE INDEX outages_feed ON outages (feed_id, began)`,
		`CREATE TABLE usage (feed_id INTEGER NOT NULL REFERENCES feeds(id) ON DELETE CASCADE, day TEXT NOT NULL, delivery TEXT NOT NULL,
			bytes INTEGER NOT NULL, viewer_millis INTEGER NOT NULL, most INTEGER NOT NULL, PRIMARY KEY (feed_id, day, delivery)) WITHOUT ROWID`,
		`CREATE TABLE settings (name TEXT PRIMARY KEY, value_sealed BLOB NOT NULL) WITHOUT ROWID`,
	}, nil},
	{11, []string{
		`ALTER TABLE feeds ADD COLUMN recording TEXT NOT NULL DEFAULT '{}'`,
		// What was recorded. Files outlive their feeds, and this table can be made anew from them.
		`CREATE TABLE recorded_files (id INTEGER PRIMARY KEY, feed TEXT NOT NULL, path TEXT NOT NULL UNIQUE, begins_millis INTEGER NOT NULL,
			ends_millis INTEGER NOT NULL, bytes INTEGER NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL, codec TEXT NOT NULL,
			audio INTEGER NOT NULL, why TEXT NOT NULL, keep INTEGER NOT NULL, open INTEGER NOT NULL, follows INTEGER NOT NULL, copied INTEGER NOT NULL DEFAULT 0)`,
		`CREATE INDEX recorded_files_feed ON recorded_files (feed, begins_millis)`,
		`ALTER TABLE feeds ADD COLUMN stills TEXT`,
		`ALTER TABLE feeds ADD COLUMN combined TEXT NOT NULL DEFAULT '{}'`,
		`ALTER TABLE feeds ADD COLUMN outlet_to TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN outlet_user TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN outlet_password_sealed BLOB`,
		`ALTER TABLE feeds ADD COLUMN outlet_still_millis INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE feeds ADD COLUMN projection TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE feeds ADD COLUMN field_of_view REAL NOT NULL DEFAULT 0`,
		`ALTER TABLE renditions ADD COLUMN view TEXT NOT NULL DEFAULT ''`,
	}, nil},
	{12, []string{
		`ALTER TABLE feeds ADD COLUMN while_needed INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE recorded_files ADD COLUMN away INTEGER NOT NULL DEFAULT 0`,
	}, nil},
	{13, []string{
		`ALTER TABLE feeds ADD COLUMN digest_only INTEGER NOT NULL DEFAULT 0`,
	}, nil},
}

func (s *Store) migrate() error {
	if err := s.db.Exec(`CREATE TABLE IF NOT EXISTS migrations (number INTEGER PRIMARY KEY, at DATETIME NOT NULL)`).Error; err != nil {
		return err
	}
	var done int
	if err := s.db.Raw(`SELECT COALESCE(MAX(number), 0) FROM migrations`).Scan(&done).Error; err != nil {
		return err
	}
	if newest := migrations[len(migrations)-1].number; done > newest {
		return fmt.Errorf("the database cannot be used: %w (its step is %d, this one knows %d): use that version, or a backup from before", ErrNewer, done, newest)
	}
	for _, m := range migrations {
		if m.number <= done {
			continue
		}
		if err := s.db.Transaction(func(tx *gorm.DB) error { return m.run(tx, s.box) }); err != nil {
			return fmt.Errorf("step %d of the database failed: %w", m.number, err)
		}
	}
	if newest := migrations[len(migrations)-1].number; done > 0 && done < newest {
		slog.Info("database brought up to date", "from", done, "to", newest)
	}
	return nil
}

func (m migration) run(tx *gorm.DB, box *sealer) error {
	for _, sql := range m.sql {
		if err := tx.Exec(sql).Error; err != nil {
			return err
		}
	}
	if m.then != nil {
		if err := m.then(tx, box); err != nil {
			return err
		}
	}
	return tx.Exec(`INSERT INTO migrations (number, at) VALUES (?, ?)`, m.number, time.Now().UTC()).Error
}
