package hls

import (
	"fmt"
	"io"
)

// Body is the bytes of a segment. It is immutable, and goes with the last that
// refers to it.
type Body interface {
	// Size is in bytes.
	Size() int64
	// Open returns a reader of its own. Close it.
	Open() (io.ReadSeekCloser, error)
}

// NewBody keeps parts where they are, to be read one after the other.
func NewBody(parts [][]byte) Body {
	b := &memoryBody{parts: parts}
	for _, p := range parts {
		b.size += int64(len(p))
	}
	return b
}

type memoryBody struct {
	parts [][]byte
	size  int64
}

func (b *memoryBody) Size() int64 { return b.size }

func (b *memoryBody) Open() (io.ReadSeekCloser, error) { return &memoryReader{body: b}, nil }

type memoryReader struct {
	body *memoryBody
	at   int64
}

func (r *memoryReader) Close() error { return nil }

func (r *memoryReader) Read(b []byte) (int, error) {
	skip, n := r.at, 0
	for _, part := range r.body.parts {
		if skip >= int64(len(part)) {
			skip -= int64(len(part))
			continue
		}
		n += copy(b[n:], part[skip:])
		skip = 0
		if n == len(b) {
			break
		}
	}
	if n == 0 && len(b) > 0 {
		return 0, io.EOF
	}
	r.at += int64(n)
	return n, nil
}

func (r *memoryReader) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += r.at
	case io.SeekEnd:
		offset += r.body.size
	}
	if offset < 0 {
		return 0, fmt.Errorf("hls: seek to %d", offset)
	}
	r.at = offset
	return offset, nil
}
