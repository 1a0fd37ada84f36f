package record

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/minio/minio-go/v7"

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

// distant is a file in an object store, which is read in blocks. It is safe for concurrent use.
type distant struct {
	copier *copier
	key    string
	size   int64

	mu     sync.Mutex
	blocks map[int64][]byte // by number; guarded by mu
	order  []int64          // as they came; guarded by mu
}

func (c *copier) key(path string) string {
	return c.Key(recording.Kept(path, false)) // one name, whether it is marked or not
}

// open opens a file in the store. Those that were opened lately are still open: a player asks
// for a few seconds at a time, of which many lie in one block.
func (c *copier) open(path string, size int64) *distant {
	key := c.key(path)
	c.mu.Lock()
	defer c.mu.Unlock()
	for i, d := range c.lately {
		if d.key == key && d.size == size {
			c.lately = append(slices.Delete(c.lately, i, i+1), d)
			return d
		}
	}
	if len(c.lately) >= mostDistant {
		c.lately = slices.Delete(c.lately, 0, 1)
	}
	d := c.newDistant(key, size)
	c.lately = append(c.lately, d)
	return d
}

func (c *copier) newDistant(key string, size int64) *distant {
	return &distant{copier: c, key: key, size: size, blocks: make(map[int64][]byte)}
}

// forget has a file be opened anew.
func (c *copier) forget(path string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.lately = slices.DeleteFunc(c.lately, func(d *distant) bool { return d.key == c.key(path) })
}

// Close implements io.Closer.
func (d *distant) Close() error { return nil }

// ReadAt implements io.ReaderAt.
func (d *distant) ReadAt(p []byte, at int64) (n int, err error) {
	if at < 0 {
		return 0, fs.ErrInvalid
	}
	for n < len(p) {
		if at >= d.size {
			return n, io.EOF
		}
		block, err := d.block(at / blockSize)
		if err != nil {
			return n, err
		}
		some := copy(p[n:], block[at%blockSize:])
		n, at = n+some, at+int64(some)
	}
	return n, nil
}

// block returns a block of the file; one that was read lately is not asked for again.
func (d *distant) block(number int64) ([]byte, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if b := d.blocks[number]; b != nil {
		return b, nil
	}
	from := number * blockSize
	b := make([]byte, min(blockSize, d.size-from))
	if err := d.copier.read(d.key, from, b); err != nil {
		return nil, err
	}
	if len(d.order) >= mostBlocks {
		delete(d.blocks, d.order[0])
		d.order = d.order[1:]
	}
	d.blocks[number], d.order = b, append(d.order, number)
	return b, nil
}

// read reads bytes of an object.
func (c *copier) read(key string, from int64, b []byte) error {
	ctx, cancel := context.WithTimeout(context.Background(), blockWithin)
	defer cancel()
	options := minio.GetObjectOptions{}
	if err := options.SetRange(from, from+int64(len(b))-1); err != nil {
		return err
	}
	body, _, _, err := minio.Core{Client: c.Client}.GetObject(ctx, c.Name, key, options)
	if err == nil {
		_, err = io.ReadFull(body, b)
		_ = body.Close()
	}
	return awayFault(key, err)
}

func awayFault(key string, err error) error {
	switch {
	case err == nil:
		return nil
	case minio.ToErrorResponse(err).Code == minio.NoSuchKey:
		return &fs.PathError{Op: "read", Path: key, Err: fs.ErrNotExist}
	}
	return fault.New(fault.CopiesAway, err, "%v", err)
}

// remove removes a copy; one that is not there is no error.
func (c *copier) remove(path string) error {
	c.forget(path)
	ctx, cancel := context.WithTimeout(context.Background(), blockWithin)
	defer cancel()
	if err := awayFault(path, c.Client.RemoveObject(ctx, c.Name, c.key(path), minio.RemoveObjectOptions{})); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
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
	below := strings.TrimPrefix(l.copier.Prefix+"/", "/")
	for o := range l.copier.Client.ListObjects(ctx, l.copier.Name, minio.ListObjectsOptions{Prefix: below, Recursive: true}) {
		if o.Err != nil {
			return o.Err
		}
		path := strings.TrimPrefix(o.Key, below)
		listed[path] = true
		if known[path] {
			continue
		}
		if err := finder.found(path, o.Size); err != nil {
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
		if err := l.erase(row); err != nil {
			return err
		}
	}
	return nil
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
func (l *Library) makeWay(id int64) error {
	row, err := l.store.RecordedFile(id)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil // it is gone already
	case err != nil:
		return err
	case !row.Copied || l.copier == nil:
		return l.erase(row)
	}
	if err := os.Remove(l.full(row.Path)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return l.store.FileAway(id)
}
