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
	"path"
	"path/filepath"
	"strings"
	"time"

	"filippo.io/age"
	sqlitedriver "modernc.org/sqlite"
)

// A backup is a tar archive, packed by gzip and sealed by a passphrase as age does it
// (age-encryption.org/v1, scrypt): the records, the key that they are sealed by, and what
// the service has of certificates.

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
	pagesAtOnce   = 512
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

// Backup writes a backup while the store is in use. It is sealed by the passphrase.
func (s *Store) Backup(ctx context.Context, w io.Writer, passphrase, version string, now time.Time) error {
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

// copyDatabase copies the database by SQLite's online backup, page by page, so that others
// write meanwhile.
func (s *Store) copyDatabase(ctx context.Context) (path string, err error) {
	f, err := os.CreateTemp(s.folder, copiedFiles)
	if err != nil {
		return "", err
	}
	path = f.Name()
	if err := f.Close(); err != nil {
		return "", err
	}
	db, err := s.db.DB()
	if err != nil {
		return "", err
	}
	conn, err := db.Conn(ctx)
	if err != nil {
		return "", err
	}
	defer func() { _ = conn.Close() }()
	err = conn.Raw(func(c any) error {
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
		more := true
		for more && err == nil && ctx.Err() == nil {
			more, err = backup.Step(pagesAtOnce)
		}
		return errors.Join(err, ctx.Err(), backup.Finish())
	})
	if err != nil {
		err = errors.Join(err, os.Remove(path))
	}
	return path, err
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

// StageRestore reads a backup, looks whether it is whole and can be used, and puts it where
// the next Open takes it from. Nothing of what there is changes before that.
func StageRestore(folder string, r io.Reader, passphrase string) (Manifest, error) {
	staged := filepath.Join(folder, stagedFolder)
	ready := filepath.Join(folder, readyFolder)
	if err := errors.Join(os.RemoveAll(staged), os.MkdirAll(staged, private)); err != nil {
		return Manifest{}, err
	}
	m, err := unpack(staged, r, passphrase)
	if err == nil {
		err = usable(staged)
	}
	if err == nil {
		err = errors.Join(os.RemoveAll(ready), os.Rename(staged, ready))
	}
	if err != nil {
		return m, errors.Join(err, os.RemoveAll(staged))
	}
	return m, nil
}

func unpack(folder string, r io.Reader, passphrase string) (m Manifest, err error) {
	identity, err := age.NewScryptIdentity(passphrase)
	if err != nil {
		return m, err
	}
	identity.SetMaxWorkFactor(mostScrypt)
	open, err := age.Decrypt(r, identity)
	var none *age.NoIdentityMatchError
	switch {
	case errors.As(err, &none):
		return m, ErrPassphrase
	case err != nil:
		return m, fmt.Errorf("%w: %w", ErrNotBackup, err)
	}
	packed, err := gzip.NewReader(open)
	if err != nil {
		return m, fmt.Errorf("%w: %w", ErrCut, err)
	}
	archive := tar.NewReader(packed)
	files := 0
	for {
		head, err := archive.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return m, fmt.Errorf("%w: %w", ErrCut, err)
		}
		if files++; files > mostCertFiles || !restorable(head) {
			return m, fmt.Errorf("%w: it holds %q", ErrNotBackup, head.Name)
		}
		if head.Name == manifestFile {
			err = json.NewDecoder(archive).Decode(&m)
		} else {
			err = writeEntry(filepath.Join(folder, filepath.FromSlash(head.Name)), archive)
		}
		if err != nil {
			return m, fmt.Errorf("%w: %w", ErrCut, err)
		}
	}
	// What follows the archive's end is read, too: the seal's last piece says that all is there.
	if _, err := io.Copy(io.Discard, packed); err != nil {
		return m, fmt.Errorf("%w: %w", ErrCut, err)
	}
	if _, err := io.Copy(io.Discard, open); err != nil {
		return m, fmt.Errorf("%w: %w", ErrCut, err)
	}
	return m, nil
}

// restorable says whether a backup may hold a file: none but ours, in no other folder.
func restorable(head *tar.Header) bool {
	if head.Typeflag != tar.TypeReg || head.Size > mostEntry {
		return false
	}
	dir, name := path.Split(head.Name)
	if dir == certFolder+"/" {
		return name != "" && name != "." && name != ".." && !strings.ContainsAny(name, `/\`)
	}
	for _, own := range append([]string{manifestFile}, ownFiles...) {
		if head.Name == own {
			return true
		}
	}
	return false
}

func writeEntry(path string, r io.Reader) error {
	if err := os.MkdirAll(filepath.Dir(path), private); err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, ownerOnly)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, r)
	return errors.Join(err, f.Sync(), f.Close())
}

// usable opens what was unpacked, as a start would, and reads all credentials.
func usable(folder string) error {
	for _, name := range []string{databaseFile, keyFile} {
		if _, err := os.Stat(filepath.Join(folder, name)); err != nil {
			return fmt.Errorf("%w: it has no %s", ErrNotBackup, name)
		}
	}
	s, err := open(folder)
	if err != nil {
		return err
	}
	if err = s.Whole(); err != nil {
		err = fmt.Errorf("%w: %w", ErrCut, err)
	} else {
		_, err = s.Feeds()
	}
	return errors.Join(err, s.Close())
}

// finishRestore puts a backup that was staged into place. What it replaces is kept in a
// folder beside it. Each file moves by itself, and whatever has moved is not moved again: a
// start that is cut off is gone on with by the next.
func finishRestore(folder string, now time.Time) error {
	ready := filepath.Join(folder, readyFolder)
	if _, err := os.Stat(ready); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	before := filepath.Join(folder, beforeFolder+now.UTC().Format("20060102-150405"))
	if err := os.MkdirAll(before, private); err != nil {
		return err
	}
	// What SQLite keeps beside the database is the old one's.
	if _, err := os.Stat(filepath.Join(ready, databaseFile)); err == nil {
		for _, beside := range []string{"-wal", "-shm"} {
			if err := moveAway(filepath.Join(folder, databaseFile+beside), filepath.Join(before, databaseFile+beside)); err != nil {
				return err
			}
		}
	}
	for _, name := range append([]string{certFolder}, ownFiles...) {
		from := filepath.Join(ready, name)
		if _, err := os.Stat(from); errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err := moveAway(filepath.Join(folder, name), filepath.Join(before, name)); err != nil {
			return err
		}
		if err := os.Rename(from, filepath.Join(folder, name)); err != nil {
			return err
		}
	}
	_ = os.Remove(before) // where nothing was replaced; else it stays
	return os.RemoveAll(ready)
}

func moveAway(from, to string) error {
	err := os.Rename(from, to)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// RestoreInto restores a backup into a folder that no service runs with.
func RestoreInto(folder string, r io.Reader, passphrase string) (Manifest, error) {
	if err := os.MkdirAll(folder, private); err != nil {
		return Manifest{}, err
	}
	lock, err := lockFolder(filepath.Join(folder, lockFile))
	if err != nil {
		return Manifest{}, err
	}
	m, err := StageRestore(folder, r, passphrase)
	if err == nil {
		err = finishRestore(folder, time.Now())
	}
	return m, errors.Join(err, lock.Close())
}
