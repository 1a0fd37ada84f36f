package record

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/recording"
	"webostrum/store"
)

const (
	blockSize     = 1 << 20 // of what is read of a file in an object store at once
	mostBlocks    = 4       // of a file that are kept
	mostDistant   = 8       // files of which some are
	blockWithin   = 20 * time.Second
	lookAwayEvery = 24 * time.Hour // from one look at what is in the store to the next
)

// source opens a file. The error is fs.ErrNotExist when it is gone.
func (l *Library) source(row store.RecordedFile) (File, int64, error) {
	if !row.Away {
		f, size, err := openLocal(l.full(row.Path))
		if !errors.Is(err, fs.ErrNotExist) {
			return f, size, err
		}
		now, gone := l.store.RecordedFile(row.ID) // it may have been marked, or have gone away
		if gone != nil || now.Path == row.Path && !now.Away {
			return nil, 0, err
		}
		if row = now; !row.Away {
			return openLocal(l.full(row.Path))
		}
	}
	if l.copier == nil {
		return nil, 0, fault.New(fault.CopiesAway, nil, "No object store is named here any more.")
	}
	return l.copier.open(row.Path, row.Bytes), row.Bytes, nil
}

func openLocal(path string) (File, int64, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, 0, err
	}
	info, err := f.Stat()
	if err != nil {
		_ = f.Close()
		return nil, 0, err
	}
	return f, info.Size(), nil
}

// lookAway notes files in the store that the index does not know, and forgets those that are
// there no more.
func (l *Library) lookAway(ctx context.Context) error {
	rows, err := l.store.RecordedFiles("", time.Time{}, time.Time{}, 0)
	if err != nil {
		return err
	}
	known, listed := make(map[string]bool), make(map[string]bool)
	for _, row := range rows {
		known[recording.Kept(row.Path, false)] = true
	}
	finder := &finder{lib: l, before: make(map[string]*recording.Index)}
	for o, err := range l.copier.List(ctx) {
		if err != nil {
			return err
		}
		listed[o.Name] = true
		if known[o.Name] {
			continue
		}
		if err := finder.found(o.Name, o.Size); err != nil {
			return err
		}
	}
	if ctx.Err() != nil {
		return ctx.Err() // not all was seen
	}
	for _, row := range rows {
		if row.Away && !listed[recording.Kept(row.Path, false)] {
			if err := l.forget(&row); err != nil {
				return err
			}
		}
	}
	if finder.files > 0 {
		l.cfg.Log.Info("recordings were found in the object store that the index did not know", "files", finder.files)
	}
	return nil
}

// finder notes files that are found in the store.
type finder struct {
	lib    *Library
	before map[string]*recording.Index // the one before, by feed
	files  int
}

func (s *finder) found(path string, size int64) error {
	feed, _, _, ok := recording.ParseName(path)
	if !ok || !strings.HasPrefix(path, feed+"/") {
		return nil // somebody else's
	}
	file := s.lib.copier.newDistant(s.lib.copier.key(path), size)
	x, err := recording.ReadIndex(file, size)
	var f *fault.Error
	switch {
	case errors.As(err, &f):
		return err // the store does not answer
	case err != nil:
		s.lib.cfg.Log.Warn("a file in the object store cannot be read", "file", path, "error", err)
		return nil
	}
	row := store.RecordedFile{Feed: feed, Path: path, Copied: true, Away: true}
	describe(&row, x, size)
	row.Follows = s.before[feed] != nil && x.Continues(s.before[feed])
	s.before[feed], s.files = x, s.files+1
	return s.lib.store.SaveRecordedFile(&row)
}

// expire removes from the store what has been there for long enough.
func (l *Library) expire(now time.Time) error {
	age := time.Duration(l.cfg.Copies.Days * float64(24*time.Hour))
	if age <= 0 {
		return nil
	}
	rows, err := l.store.AwayFiles()
	if err != nil {
		return err
	}
	for _, row := range rows {
		if row.Keep || now.Sub(time.UnixMilli(row.EndsMillis)) < age {
			continue
		}
		if err := l.unlessKept(row.ID, l.erase); err != nil {
			return err
		}
	}
	return nil
}

// unlessKept removes a file in one of the ways below, if nobody has marked it to be kept
// since a list was made in which it stood; nobody marks any meanwhile.
func (l *Library) unlessKept(id int64, remove func(store.RecordedFile) error) error {
	l.removed.Lock()
	defer l.removed.Unlock()
	row, err := l.store.RecordedFile(id)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil // it is gone already
	case err != nil:
		return err
	case row.Keep || row.Open:
		return nil
	}
	return remove(row)
}

// erase removes a file wherever it is, and what the index has of it.
func (l *Library) erase(row store.RecordedFile) error {
	if row.Copied && l.copier != nil {
		if err := l.copier.remove(row.Path); err != nil {
			return err
		}
	}
	if row.Away && l.copier == nil {
		return fault.New(fault.CopiesAway, nil, "No object store is named here any more.")
	}
	if !row.Away {
		if err := os.Remove(l.full(row.Path)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	l.mu.Lock()
	delete(l.indexes, row.ID)
	l.mu.Unlock()
	return l.forget(&row)
}

// makeWay removes a file from the disk. One that was copied is in the object store from then
// on; of any other nothing is left.
func (l *Library) makeWay(row store.RecordedFile) error {
	if !row.Copied || l.copier == nil {
		return l.erase(row)
	}
	if err := os.Remove(l.full(row.Path)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return l.store.FileAway(row.ID)
}
