package record

import (
	"errors"
	"io"
	"sort"
)

// Read implements io.Reader.
func (e *Export) Read(p []byte) (int, error) {
	if e.at >= e.Size {
		return 0, io.EOF
	}
	i := sort.Search(len(e.pieces), func(i int) bool { return e.pieces[i].begins+e.pieces[i].size > e.at })
	c := e.pieces[i]
	inside := e.at - c.begins
	p = p[:min(int64(len(p)), c.size-inside)]
	n, err := e.read(p, c, c.offset+inside)
	e.at += int64(n)
	if n > 0 {
		err = nil
	} else if errors.Is(err, io.EOF) {
		err = io.ErrUnexpectedEOF // the file is shorter than it was
	}
	return n, err
}

func (e *Export) read(p []byte, c piece, offset int64) (int, error) {
	if c.row == nil {
		return copy(p, e.head[offset:]), nil
	}
	f, err := e.open.at(c.row)
	if err != nil {
		return 0, err
	}
	return f.ReadAt(p, offset)
}

// Seek implements io.Seeker.
func (e *Export) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += e.at
	case io.SeekEnd:
		offset += e.Size
	}
	if offset < 0 {
		return 0, errors.New("a place before the beginning")
	}
	e.at = offset
	return offset, nil
}

// Close closes what is open.
func (e *Export) Close() { e.open.close() }
