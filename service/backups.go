package service

import (
	"context"
	"fmt"
	"io"
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

// made is a backup in the folder.
type made struct {
	path string
	at   time.Time
}

// list is what there is, the oldest first. What a wrong clock has put into the time to come
// does not count: it would keep others from being made, or have them removed.
func (b Backups) list(now time.Time) (list []made, err error) {
	entries, err := os.ReadDir(b.Folder)
	for _, e := range entries {
		if !e.Type().IsRegular() || !strings.HasPrefix(e.Name(), backupPrefix) || !strings.HasSuffix(e.Name(), backupSuffix) {
			continue
		}
		if info, err := e.Info(); err == nil && !info.ModTime().After(now.Add(backupLook)) {
			list = append(list, made{filepath.Join(b.Folder, e.Name()), info.ModTime()})
		}
	}
	slices.SortFunc(list, func(x, y made) int { return x.at.Compare(y.at) })
	return list, err
}

// Newest is when the newest backup was made; zero when there is none.
func (b Backups) Newest(now time.Time) time.Time {
	list, _ := b.list(now) // none are none
	if len(list) == 0 {
		return time.Time{}
	}
	return list[len(list)-1].at
}

// keepBackups makes backups when it is time, until ctx ends.
func keepBackups(ctx context.Context, b Backups, records *store.Store, feeds *station.Station) {
	if b.Folder == "" {
		return
	}
	pause := backupLook
	for wait.For(ctx, pause) {
		pause = backupLook
		if now := time.Now(); now.Sub(b.Newest(now)) < b.Every {
			continue
		}
		if err := b.make(ctx, records, time.Now()); err != nil && ctx.Err() == nil {
			feeds.By("", "").Note("", station.EventWarning, "the backup could not be made: "+err.Error())
			pause = backupRetry
		}
	}
}

// make writes a backup, and removes those that are too many.
func (b Backups) make(ctx context.Context, records *store.Store, now time.Time) error {
	if err := os.MkdirAll(b.Folder, 0o700); err != nil {
		return err
	}
	b.forgetHalf(now)
	err := store.BackupTo(filepath.Join(b.Folder, backupPrefix+now.UTC().Format("20060102-150405")+backupSuffix), func(w io.Writer) error {
		return records.Backup(ctx, w, b.Passphrase, Version, now)
	})
	if err != nil {
		return err
	}
	list, err := b.list(time.Now())
	for len(list) > max(b.Keep, 1) && err == nil {
		err = os.Remove(list[0].path)
		list = list[1:]
	}
	return err
}

// forgetHalf removes what a service that was killed has left of a backup.
func (b Backups) forgetHalf(now time.Time) {
	left, _ := filepath.Glob(filepath.Join(b.Folder, store.MakingPrefix+"*")) // the pattern is sound
	for _, name := range left {
		if info, err := os.Stat(name); err == nil && now.Sub(info.ModTime()) > time.Hour {
			_ = os.Remove(name) // tried again with the next
		}
	}
}

// ReadPassphrase reads a passphrase from a file, without the end of its line.
func ReadPassphrase(path string) (string, error) {
	body, err := os.ReadFile(path)
	if err != nil {
		return "", fmt.Errorf("the passphrase cannot be read: %w", err)
	}
	phrase := strings.TrimRight(string(body), "\r\n")
	if len(phrase) < store.LeastPassphrase {
		return "", fmt.Errorf("%s: %w", path, store.ErrShort)
	}
	return phrase, nil
}
