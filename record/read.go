package record

import (
	"errors"
	"io"
	"io/fs"
	"time"

	"webostrum/core/fault"
	"webostrum/core/fmp4"
	"webostrum/core/media"
	"webostrum/core/recording"
	"webostrum/store"
)

const mostIndexes = 64

// Files returns the files of a feed, or with an empty name of all, that have something
// between two times; zero times are no bounds.
func (l *Library) Files(feed string, from, to time.Time) ([]recording.File, error) {
	rows, err := l.rows(feed, from, to)
	list := make([]recording.File, len(rows))
	for i, r := range rows {
		list[i] = recording.File{
			ID: r.ID, Feed: r.Feed, Path: r.Path, Begins: time.UnixMilli(r.BeginsMillis).UTC(), Ends: time.UnixMilli(r.EndsMillis).UTC(), Bytes: r.Bytes,
			Width: r.Width, Height: r.Height, Codec: r.Codec, Audio: r.Audio, Why: r.Why, Keep: r.Keep, Away: r.Away, Waits: l.copier != nil && !r.Copied && !r.Open, Open: r.Open, Follows: r.Follows,
		}
	}
	return list, err
}

// rows are the records, those of files that are being written as far as they are.
func (l *Library) rows(feed string, from, to time.Time) ([]store.RecordedFile, error) {
	rows, err := l.store.RecordedFiles(feed, from, to, 0)
	if err != nil {
		return nil, err
	}
	left := rows[:0]
	for _, r := range rows {
		if x := l.openAt(r.Path); x != nil && r.Open {
			r, _ = x.snapshot()
		}
		if from.IsZero() || r.EndsMillis > from.UnixMilli() {
			left = append(left, r)
		}
	}
	return left, nil
}

func (l *Library) openAt(path string) *file {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.open[path]
}

// indexOf returns where what is in a file.
func (l *Library) indexOf(row store.RecordedFile) (*recording.Index, error) {
	if x := l.openAt(row.Path); x != nil {
		_, index := x.snapshot()
		if len(index.Points) == 0 {
			return nil, recording.ErrEmpty
		}
		return index, nil
	}
	l.mu.Lock()
	known := l.indexes[row.ID]
	l.mu.Unlock()
	if known != nil {
		return known, nil
	}
	f, size, err := l.source(row)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	index, err := recording.ReadIndex(f, size)
	if err != nil {
		return nil, err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.indexes) >= mostIndexes {
		clear(l.indexes)
	}
	if !row.Open {
		l.indexes[row.ID] = index
	}
	return index, nil
}

// mostListed bounds the files that a playlist or an export is made of.
const mostListed = 2000

// Playlist returns an HLS playlist of what was recorded of a feed between two times, and where
// it ends. uri names a file in it. The error is a fault of RecordingNone where there is
// nothing.
func (l *Library) Playlist(feed string, from, to time.Time, uri func(id int64) string) (string, time.Time, error) {
	rows, err := l.rows(feed, from, to)
	if err != nil {
		return "", to, err
	}
	var list []recording.Listed
	for _, row := range rows[:min(len(rows), mostListed)] {
		x, err := l.readable(row)
		if err != nil {
			return "", to, err
		}
		if x == nil {
			continue
		}
		list = append(list, recording.Listed{URI: uri(row.ID), Index: x, Follows: row.Follows})
	}
	text, ends, ok := recording.Playlist(list, from, to)
	if !ok {
		return "", to, fault.New(fault.RecordingNone, nil, "")
	}
	return text, ends, nil
}

// readable returns where what is in a file; none of one that is empty, torn, or has just been
// removed.
func (l *Library) readable(row store.RecordedFile) (*recording.Index, error) {
	x, err := l.indexOf(row)
	switch {
	case err == nil:
		return x, nil
	case row.Away && errors.Is(err, fs.ErrNotExist):
		return nil, l.forget(&row) // the store has removed it
	case errors.Is(err, recording.ErrEmpty), errors.Is(err, fs.ErrNotExist), errors.Is(err, fmp4.ErrMalformed):
		return nil, nil
	}
	return nil, DiskFault(err)
}

// File is a file that is open, wherever it is. Close it.
type File interface {
	io.ReaderAt
	io.Closer
}

// Open opens a file of a feed, to be read as far as it is whole.
func (l *Library) Open(feed string, id int64) (f File, size int64, err error) {
	row, err := l.store.RecordedFile(id)
	if err != nil || row.Feed != feed {
		return nil, 0, fault.New(fault.RecordingNone, err, "This file is not there any more.")
	}
	if f, size, err = l.source(row); err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, 0, fault.New(fault.RecordingNone, err, "This file is not there any more.")
		}
		return nil, 0, DiskFault(err)
	}
	if x := l.openAt(row.Path); x != nil {
		row, _ = x.snapshot()
		size = row.Bytes
	}
	return f, size, nil
}

// keyframeWithin is how long after a time a keyframe is looked for.
const keyframeWithin = 5 * time.Minute

// Keyframe returns the keyframe that was shown at a time, or first after it.
func (l *Library) Keyframe(feed string, at time.Time) (*media.Sample, error) {
	rows, err := l.rows(feed, at.Add(-time.Second), at.Add(keyframeWithin))
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		if s, err := l.keyframe(row, at); err == nil {
			return s, nil
		}
	}
	return nil, fault.New(fault.RecordingNone, nil, "")
}

// Keyframe is a keyframe of a recording that can be read.
type Keyframe struct {
	at  time.Time
	lib *Library
	row *store.RecordedFile
}

// Read reads the keyframe.
func (k Keyframe) Read() (*media.Sample, error) {
	const rounded = time.Millisecond // the time of a keyframe is rounded down
	return k.lib.keyframe(*k.row, k.at.Add(rounded))
}

// keyframe reads the keyframe of a file that was shown at a time, or first after it.
func (l *Library) keyframe(row store.RecordedFile, at time.Time) (*media.Sample, error) {
	x, err := l.indexOf(row)
	if err != nil {
		return nil, err
	}
	f, _, err := l.source(row)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	return recording.Keyframe(f, x, at)
}

// mostKeyframes bounds the keyframes that are listed.
const mostKeyframes = 500_000

// Keyframes lists the keyframes of a feed's recordings between two times.
func (l *Library) Keyframes(feed string, from, to time.Time) (list []Keyframe, err error) {
	rows, err := l.rows(feed, from, to)
	if err != nil {
		return nil, err
	}
	for i, row := range rows {
		x, err := l.readable(row)
		if err != nil {
			return nil, err
		}
		if x == nil {
			continue
		}
		for _, p := range x.Points {
			at := x.Time(p.Shown)
			if at.Before(from) || !at.Before(to) || len(list) >= mostKeyframes {
				continue
			}
			list = append(list, Keyframe{at, l, &rows[i]})
		}
	}
	return list, nil
}
