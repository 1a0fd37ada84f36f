package service

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"webostrum/station"
	"webostrum/store"
	"webostrum/wait"
)

// Backups says where backups are made by themselves.
type Backups struct {
	Folder     string        // empty makes none
	Every      time.Duration // from one to the next
	Keep       int           // of those, the newest
	Passphrase string        // that they are sealed by
}

const (
	backupPrefix = "webostrum-"
	backupSuffix = ".backup"
	backupRetry  = 10 * time.Minute
	backupLook   = time.Minute
)

// Newest is when the newest backup in a folder was made; zero when there is none.
func (b Backups) Newest() time.Time {
	list, err := b.list()
	if err != nil || len(list) == 0 {
		return time.Time{}
	}
	info, err := os.Stat(filepath.Join(b.Folder, list[len(list)-1]))
	if err != nil {
		return time.Time{}
	}
	return info.ModTime()
}

// list is the names of backups, the oldest first.
func (b Backups) list() (names []string, err error) {
	entries, err := os.ReadDir(b.Folder)
	for _, e := range entries {
		if e.Type().IsRegular() && strings.HasPrefix(e.Name(), backupPrefix) && strings.HasSuffix(e.Name(), backupSuffix) {
			names = append(names, e.Name())
		}
	}
	slices.Sort(names)
	return names, err
}

// keepBackups makes backups when it is time, until ctx ends.
func keepBackups(ctx context.Context, b Backups, records *store.Store, feeds *station.Station) {
	if b.Folder == "" {
		return
	}
	pause := backupLook
	for wait.For(ctx, pause) {
		pause = backupLook
		if since := time.Since(b.Newest()); since >= 0 && since < b.Every {
			continue
		}
		if err := b.make(ctx, records, time.Now()); err != nil && ctx.Err() == nil {
			feeds.By("", "").Note("", station.EventWarning, "the backup could not be made: "+err.Error())
			pause = backupRetry
		}
	}
}

// make writes a backup under another name first, so that none is there by half, and removes
// those that are too many.
func (b Backups) make(ctx context.Context, records *store.Store, now time.Time) error {
	if err := os.MkdirAll(b.Folder, 0o700); err != nil {
		return err
	}
	f, err := os.CreateTemp(b.Folder, "making-*")
	if err != nil {
		return err
	}
	err = errors.Join(records.Backup(ctx, f, b.Passphrase, Version, now), f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), filepath.Join(b.Folder, backupPrefix+now.UTC().Format("20060102-150405")+backupSuffix))
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	list, err := b.list()
	for len(list) > max(b.Keep, 1) && err == nil {
		err = os.Remove(filepath.Join(b.Folder, list[0]))
		list = list[1:]
	}
	return err
}

// ReadPassphrase reads a passphrase from a file, without the end of its line.
func ReadPassphrase(path string) (string, error) {
	body, err := os.ReadFile(path)
	if err != nil {
		return "", fmt.Errorf("the passphrase cannot be read: %w", err)
	}
	phrase := strings.TrimRight(string(body), "\r\n")
	if len(phrase) < leastPassphrase {
		return "", fmt.Errorf("the passphrase in %s is too short: %d letters at least", path, leastPassphrase)
	}
	return phrase, nil
}

const leastPassphrase = 8
