package record

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"time"

	"webostrum/core/recording"
	"webostrum/store"
)

const (
	ownerOnly    = 0o600
	folderRights = 0o700
	mostAgain    = 10
)

// file is one that is being written. Writing is for one goroutine.
type file struct {
	lib      *Library
	f        *os.File
	path     string // below the folder, with slashes
	buffer   []byte
	sequence uint32

	mu    sync.Mutex
	row   store.RecordedFile // guarded by mu
	index recording.Index    // guarded by mu; its points are only appended to
}

// openFile begins a file with the first fragment of a stretch, or with one that goes on where
// the file before it ended. The fragment is in it before anything else is done.
func (l *Library) openFile(feed, why string, m *recording.Muxer, first *recording.Fragment, follows bool) (*file, error) {
	if err := l.checkFolder(); err != nil {
		return nil, err
	}
	t := m.Track()
	x := &file{lib: l}
	x.index = recording.Index{Init: m.Init(), Timescale: t.ClockRate, Width: t.Width, Height: t.Height, Begins: first.Captured.UTC(), First: first.Begin, End: first.Begin}
	x.row = store.RecordedFile{
		Feed: feed, BeginsMillis: first.Captured.UnixMilli(), EndsMillis: first.Captured.UnixMilli(),
		Width: t.Width, Height: t.Height, Codec: t.Video.CodecString, Audio: m.HasAudio(), Why: why, Open: true, Follows: follows,
	}
	if err := x.create(feed, first.Captured); err != nil {
		return nil, err
	}
	err := x.write(first)
	if err == nil {
		err = syncFolder(filepath.Dir(l.full(x.path)))
	}
	if err != nil {
		x.abandon()
		return nil, err
	}
	if err := l.store.SaveRecordedFile(&x.row); err != nil {
		l.cfg.Log.Warn("a recording could not be noted; it is found again at the next start", "file", x.path, "error", err)
	}
	return x, nil
}

// create makes the file under a name that is not taken.
func (x *file) create(feed string, begins time.Time) error {
	for again := range mostAgain {
		x.path = recording.Name(feed, begins, again, false)
		full := x.lib.full(x.path)
		if err := os.MkdirAll(filepath.Dir(full), folderRights); err != nil {
			return err
		}
		x.lib.begin(x) // before it is there, so that nobody takes it for one that was left
		f, err := os.OpenFile(full, os.O_RDWR|os.O_CREATE|os.O_EXCL, ownerOnly)
		if err == nil {
			x.f, x.row.Path = f, x.path
			return nil
		}
		x.lib.done(x)
		if !errors.Is(err, fs.ErrExist) {
			return err
		}
	}
	return fmt.Errorf("%w: %s", fs.ErrExist, x.path)
}

// write appends a fragment; with the first one goes what every file begins with, so that a file
// is never without a picture. What is not written whole is taken away again.
func (x *file) write(f *recording.Fragment) error {
	x.sequence++
	x.buffer = x.buffer[:0]
	x.mu.Lock()
	at := x.index.Size
	x.mu.Unlock()
	if at == 0 {
		x.buffer = append(x.buffer, x.index.Init...)
		at = int64(len(x.buffer))
	}
	for _, p := range f.Parts(x.sequence) {
		x.buffer = append(x.buffer, p...)
	}
	if err := x.append(x.buffer); err != nil {
		return err
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if f.Key {
		x.index.Points = append(x.index.Points, recording.Point{Shown: f.Shown, Offset: at})
	}
	x.index.End = f.End
	x.row.EndsMillis = x.index.Ends().UnixMilli()
	return nil
}

// append writes bytes at the end, and to the disk.
func (x *file) append(data []byte) error {
	x.mu.Lock()
	at := x.index.Size
	x.mu.Unlock()
	_, err := x.f.WriteAt(data, at)
	if err == nil {
		err = syncData(x.f)
	}
	if err != nil {
		return errors.Join(err, x.f.Truncate(at))
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	x.index.Size = at + int64(len(data))
	x.row.Bytes = x.index.Size
	return nil
}

// finish ends the file. One without anything in it is removed.
func (x *file) finish() error {
	defer x.lib.done(x)
	x.mu.Lock()
	empty, access := len(x.index.Points) == 0, []byte(nil)
	if !empty {
		access = x.index.Access()
	}
	x.mu.Unlock()
	if empty {
		x.abandon()
		return nil
	}
	err := x.append(access)
	err = errors.Join(err, x.f.Close())
	x.mu.Lock()
	x.row.Open = err != nil // it is looked at again
	row := x.row
	x.mu.Unlock()
	return errors.Join(err, x.lib.store.SaveRecordedFile(&row))
}

// abandon removes a file that nothing came of.
func (x *file) abandon() {
	defer x.lib.done(x)
	_ = x.f.Close()
	if os.Remove(x.lib.full(x.path)) == nil && x.row.ID != 0 {
		_ = x.lib.store.ForgetRecordedFile(x.row.ID)
	}
}

// snapshot is what is in the file at present.
func (x *file) snapshot() (store.RecordedFile, *recording.Index) {
	x.mu.Lock()
	defer x.mu.Unlock()
	index := x.index
	index.Points = index.Points[:len(index.Points):len(index.Points)]
	return x.row, &index
}
