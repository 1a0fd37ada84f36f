package record

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"slices"
	"sync"

	"github.com/minio/minio-go/v7"

	"webostrum/core/fault"
	"webostrum/core/recording"
)

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
