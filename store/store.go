// Package store keeps the records: feeds, accounts, sessions, tokens and
// events, in one SQLite file. Credentials of cameras are sealed with a key that
// lies beside it.
package store

import (
	"errors"
	"fmt"
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

const (
	databaseFile = "webostrum.db"
	keyFile      = "seal.key"
	private      = 0o700
)

// Store is the open database. It is safe for concurrent use.
type Store struct {
	db  *gorm.DB
	box *sealer
}

// Open opens or makes the database in a folder, and brings it up to date.
func Open(folder string) (*Store, error) {
	if err := os.MkdirAll(folder, private); err != nil {
		return nil, fmt.Errorf("the data folder cannot be made: %w", err)
	}
	box, err := openSealer(filepath.Join(folder, keyFile))
	if err != nil {
		return nil, err
	}
	dsn := "file:" + filepath.Join(folder, databaseFile) +
		"?_pragma=journal_mode(WAL)&_pragma=busy_timeout(5000)&_pragma=foreign_keys(1)&_pragma=synchronous(NORMAL)"
	db, err := gorm.Open(sqlite.New(sqlite.Config{DriverName: "sqlite", DSN: dsn}), &gorm.Config{
		Logger: logger.Default.LogMode(logger.Silent),
		NowFunc: func() time.Time {
			return time.Now().UTC()
		},
	})
	if err != nil {
		return nil, fmt.Errorf("the database in %s cannot be opened: %w", folder, err)
	}
	s := &Store{db: db, box: box}
	if err := s.migrate(); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// Close closes the database.
func (s *Store) Close() error {
	db, err := s.db.DB()
	if err != nil {
		return err
	}
	return db.Close()
}

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
	}},
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
	}},
	{3, []string{
		`ALTER TABLE feeds ADD COLUMN sound TEXT NOT NULL DEFAULT 'automatic'`,
		`ALTER TABLE feeds ADD COLUMN sound_hls TEXT NOT NULL DEFAULT 'as-feed'`,
		`ALTER TABLE feeds ADD COLUMN sound_web_rtc TEXT NOT NULL DEFAULT 'as-feed'`,
	}},
	{4, []string{
		`ALTER TABLE feeds RENAME COLUMN sound TO audio`,
		`ALTER TABLE feeds RENAME COLUMN sound_hls TO audio_hls`,
		`ALTER TABLE feeds RENAME COLUMN sound_web_rtc TO audio_web_rtc`,
		`ALTER TABLE feeds RENAME COLUMN list_size TO playlist_length`,
	}},
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
		return fmt.Errorf("the database was written by a newer version (step %d, this one knows %d): use that version", done, newest)
	}
	for _, m := range migrations {
		if m.number <= done {
			continue
		}
		if err := s.db.Transaction(func(tx *gorm.DB) error { return m.run(tx) }); err != nil {
			return fmt.Errorf("step %d of the database failed: %w", m.number, err)
		}
		slog.Info("database brought up to date", "step", m.number)
	}
	return nil
}

func (m migration) run(tx *gorm.DB) error {
	for _, sql := range m.sql {
		if err := tx.Exec(sql).Error; err != nil {
			return err
		}
	}
	return tx.Exec(`INSERT INTO migrations (number, at) VALUES (?, ?)`, m.number, time.Now().UTC()).Error
}
