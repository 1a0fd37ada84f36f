package store

import (
	"archive/tar"
	"compress/gzip"
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
)

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
