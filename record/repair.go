package record

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"webostrum/core/fmp4"
	"webostrum/core/recording"
	"webostrum/store"
)

// repair finishes the files that were being written when the service ended, or when their disk
// failed.
func (l *Library) repair() {
	if l.checkFolder() != nil {
		return // nothing is known of the files
	}
	rows, err := l.store.OpenRecordedFiles()
	if err != nil {
		l.cfg.Log.Error("recordings cannot be looked at", "error", err)
		return
	}
	for _, row := range rows {
		if l.writing(row.Path) {
			continue
		}
		if err := l.repairFile(&row); err != nil {
			l.cfg.Log.Warn("a recording could not be repaired; it is tried again", "file", row.Path, "error", err)
		}
	}
}

// repairFile takes away what is not whole at the end of a file, and finishes it. One that has
// nothing in it, or is gone, is forgotten.
func (l *Library) repairFile(row *store.RecordedFile) error {
	full := l.full(row.Path)
	f, err := os.OpenFile(full, os.O_RDWR, 0)
	if errors.Is(err, fs.ErrNotExist) {
		return l.forget(row)
	}
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	x, err := recording.ReadIndex(f, info.Size())
	switch {
	case errors.Is(err, recording.ErrEmpty), errors.Is(err, fmp4.ErrMalformed):
		if err := os.Remove(full); err != nil {
			return err
		}
		return l.forget(row)
	case err != nil:
		return err
	}
	if !x.Finished {
		access := x.Access()
		if _, err := f.WriteAt(access, x.Size); err != nil {
			return err
		}
		if err := errors.Join(f.Truncate(x.Size+int64(len(access))), syncData(f)); err != nil {
			return err
		}
		info, err = f.Stat()
		if err != nil {
			return err
		}
	}
	describe(row, x, info.Size())
	return l.store.SaveRecordedFile(row)
}

func (l *Library) forget(row *store.RecordedFile) error {
	if row.ID == 0 {
		return nil
	}
	return l.store.ForgetRecordedFile(row.ID)
}

// describe puts what is in a finished file into its record.
func describe(row *store.RecordedFile, x *recording.Index, size int64) {
	row.Open, row.Bytes = false, size
	row.BeginsMillis, row.EndsMillis = x.Begins.UnixMilli(), x.Ends().UnixMilli()
	row.Width, row.Height, row.Audio = x.Width, x.Height, x.Audio
	if row.Codec == "" {
		row.Codec = x.Codec()
	}
}

// adopt notes files that the index does not know, and forgets those that are gone.
func (l *Library) adopt(ctx context.Context) {
	if l.checkFolder() != nil {
		return
	}
	rows, err := l.store.RecordedFiles("", time.Time{}, time.Time{}, 0)
	if err != nil {
		l.cfg.Log.Error("recordings cannot be looked at", "error", err)
		return
	}
	known := make(map[string]store.RecordedFile, len(rows))
	for _, row := range rows {
		known[row.Path] = row
	}
	found, seen := 0, make(map[string]bool)
	err = filepath.WalkDir(l.cfg.Folder, func(full string, d fs.DirEntry, err error) error {
		if err != nil || ctx.Err() != nil {
			return errors.Join(err, ctx.Err())
		}
		path, err := filepath.Rel(l.cfg.Folder, full)
		if path = filepath.ToSlash(path); err != nil || d.IsDir() {
			return err
		}
		feed, _, keep, ok := recording.ParseName(path)
		if seen[path] = true; !ok || !strings.HasPrefix(path, feed+"/") || l.writing(path) {
			return nil
		}
		if row, ok := known[path]; ok {
			if row.Away { // it has come back
				return l.store.FileBack(row.ID)
			}
			return nil
		}
		row := &store.RecordedFile{Feed: feed, Path: path, Keep: keep}
		if err := l.repairFile(row); err != nil {
			l.cfg.Log.Warn("a file of the recordings cannot be read", "file", path, "error", err)
			return nil
		}
		found++
		return nil
	})
	if err != nil {
		return // not all was seen: what is missing may be there
	}
	for path, row := range known {
		switch {
		case seen[path] || row.Open || row.Away:
		case row.Copied && l.copier != nil:
			_ = l.store.FileAway(row.ID)
		default:
			_ = l.forget(&row)
		}
	}
	if found > 0 {
		l.cfg.Log.Info("recordings were found that the index did not know", "files", found)
		l.continues(ctx)
	}
}

func (l *Library) writing(path string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.open[path] != nil
}

// continues finds out anew which files go on where the ones before them ended.
func (l *Library) continues(ctx context.Context) {
	rows, err := l.store.RecordedFiles("", time.Time{}, time.Time{}, 0)
	if err != nil {
		return
	}
	before := make(map[string]*recording.Index)
	for _, row := range rows {
		if ctx.Err() != nil || row.Open || l.writing(row.Path) {
			continue
		}
		x, err := l.indexOf(row)
		if err != nil {
			continue
		}
		if b := before[row.Feed]; b != nil && x.Continues(b) != row.Follows {
			_ = l.store.FileFollows(row.ID, !row.Follows)
		}
		before[row.Feed] = x
	}
}
