package store

import (
	"archive/tar"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"filippo.io/age"
	sqlitedriver "modernc.org/sqlite"
)

// A backup is a tar archive, packed by gzip and sealed by a passphrase as age does it
// (age-encryption.org/v1, scrypt): the records, the key that they are sealed by, and what
// the service has of certificates.

// LeastPassphrase is how long a passphrase is at least, in bytes.
const LeastPassphrase = 8

// MakingPrefix begins the names of files that BackupTo has not finished.
const MakingPrefix = ".making-"

// ErrShort is returned for a passphrase that is shorter.
var ErrShort = fmt.Errorf("the passphrase is too short: %d letters at least", LeastPassphrase)

// The ways in which a backup cannot be restored.
var (
	ErrPassphrase = errors.New("the passphrase is not the one that the backup was sealed by")
	ErrNotBackup  = errors.New("that is no backup of this service")
	ErrCut        = errors.New("the backup is not whole: its end is missing, or something in it is damaged")
	ErrNewer      = errors.New("it was written by a newer version")
)

const (
	manifestFile  = "backup.json"
	scryptWork    = 16 // of 2 to its power; 64 MiB and a quarter of a second
	mostScrypt    = 20 // that is accepted of a backup
	copiedFiles   = "backup-*.db"
	stagedFolder  = "restore-new"
	readyFolder   = "restore-ready"
	beforeFolder  = "before-restore-"
	certFolder    = "certificates"
	mostCertFiles = 256
	mostEntry     = 8 << 30 // bytes of one file
)

// ownFiles are those of the data folder that a backup has, besides certificates.
var ownFiles = []string{databaseFile, keyFile, "authority.pem", "authority-key.pem"}

// Manifest says what a backup is.
type Manifest struct {
	Made    time.Time `json:"made"`
	Version string    `json:"version"` // of the program
	Step    int       `json:"step"`    // of the database
}

// BackupTo has a backup written to a file: under another name first, so that none is there by
// half.
func BackupTo(path string, write func(io.Writer) error) error {
	f, err := os.CreateTemp(filepath.Dir(path), MakingPrefix+"*")
	if err != nil {
		return err
	}
	err = errors.Join(write(f), f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}

// Backup writes a backup while the store is in use. It is sealed by the passphrase.
func (s *Store) Backup(ctx context.Context, w io.Writer, passphrase, version string, now time.Time) error {
	if len(passphrase) < LeastPassphrase {
		return ErrShort
	}
	recipient, err := age.NewScryptRecipient(passphrase)
	if err != nil {
		return err
	}
	recipient.SetWorkFactor(scryptWork)
	copied, err := s.copyDatabase(ctx)
	if err != nil {
		return fmt.Errorf("the records could not be copied: %w", err)
	}
	defer func() { _ = os.Remove(copied) }()
	sealed, err := age.Encrypt(w, recipient)
	if err != nil {
		return err
	}
	packed := gzip.NewWriter(sealed)
	archive := tar.NewWriter(packed)
	err = s.writeArchive(archive, copied, Manifest{now.UTC(), version, migrations[len(migrations)-1].number})
	return errors.Join(err, archive.Close(), packed.Close(), sealed.Close())
}

// copyDatabase copies the database by SQLite's online backup. It reads one state of it;
// others write meanwhile.
func (s *Store) copyDatabase(ctx context.Context) (path string, err error) {
	f, err := os.CreateTemp(s.folder, copiedFiles)
	if err != nil {
		return "", err
	}
	path = f.Name()
	err = f.Close()
	if err == nil {
		err = s.copyTo(ctx, path)
	}
	if err != nil {
		err = errors.Join(err, os.Remove(path))
	}
	return path, err
}

func (s *Store) copyTo(ctx context.Context, path string) error {
	db, err := s.db.DB()
	if err != nil {
		return err
	}
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	return conn.Raw(func(c any) error {
		source, ok := c.(interface {
			NewBackup(string) (*sqlitedriver.Backup, error)
		})
		if !ok {
			return errors.New("the driver makes no backups")
		}
		backup, err := source.NewBackup(path)
		if err != nil {
			return err
		}
		const allPages = -1 // in pieces it would begin anew with whatever is written meanwhile
		_, err = backup.Step(allPages)
		return errors.Join(err, backup.Finish())
	})
}

// forgetCopies removes what is left of backups that were cut off with the service.
func forgetCopies(folder string) {
	left, _ := filepath.Glob(filepath.Join(folder, copiedFiles+"*")) // the pattern is sound
	for _, name := range left {
		_ = os.Remove(name) // tried again at the next start
	}
}

func (s *Store) writeArchive(archive *tar.Writer, database string, m Manifest) error {
	text, err := json.Marshal(m)
	if err != nil {
		return err
	}
	head := &tar.Header{Name: manifestFile, Mode: ownerOnly, Size: int64(len(text)), ModTime: m.Made}
	if err := archive.WriteHeader(head); err != nil {
		return err
	}
	if _, err := archive.Write(text); err != nil {
		return err
	}
	files := map[string]string{databaseFile: database}
	for _, name := range ownFiles[1:] {
		files[name] = filepath.Join(s.folder, name)
	}
	certificates, _ := os.ReadDir(filepath.Join(s.folder, certFolder)) // none are none
	for _, e := range certificates {
		if e.Type().IsRegular() {
			files[certFolder+"/"+e.Name()] = filepath.Join(s.folder, certFolder, e.Name())
		}
	}
	for name, from := range files {
		if err := addFile(archive, name, from); err != nil && !(errors.Is(err, fs.ErrNotExist) && name != databaseFile && name != keyFile) {
			return err
		}
	}
	return nil
}

func addFile(archive *tar.Writer, name, from string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	if err := archive.WriteHeader(&tar.Header{Name: name, Mode: ownerOnly, Size: info.Size(), ModTime: info.ModTime()}); err != nil {
		return err
	}
	_, err = io.CopyN(archive, f, info.Size())
	return err
}
