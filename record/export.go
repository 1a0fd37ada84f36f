package record

import (
	"errors"
	"io"
	"sort"
	"time"

	"webostrum/core/fault"
	"webostrum/core/recording"
	"webostrum/store"
)

// Export is one MP4 of a span, to be read from anywhere. Close it.
type Export struct {
	Begins, Ends time.Time
	Gaps         []recording.Span
	Size         int64

	head   []byte
	pieces []piece
	at     int64
	open   current
}

// piece is bytes of a file, or of the head, at a place of the whole.
type piece struct {
	row    *store.RecordedFile // nil for the head
	offset int64               // in the file
	begins int64               // in the whole
	size   int64
}

// current is the one file of an export that is open: a day has hundreds.
type current struct {
	lib *Library
	row *store.RecordedFile
	f   File
}

// at opens a file, unless it is the one that is open.
func (c *current) at(row *store.RecordedFile) (File, error) {
	if c.f != nil && c.row == row {
		return c.f, nil
	}
	c.close()
	f, _, err := c.lib.source(*row)
	if err != nil {
		return nil, err
	}
	c.row, c.f = row, f
	return f, nil
}

func (c *current) close() {
	if c.f != nil {
		_ = c.f.Close()
		c.f = nil
	}
}

// partOf reads a file of an export while it is planned.
type partOf struct {
	open *current
	row  *store.RecordedFile
}

// ReadAt implements io.ReaderAt.
func (p partOf) ReadAt(b []byte, offset int64) (int, error) {
	f, err := p.open.at(p.row)
	if err != nil {
		return 0, err
	}
	return f.ReadAt(b, offset)
}

// Export makes one MP4 of what was recorded between two times.
func (l *Library) Export(feed string, from, to time.Time, cut recording.Cut) (*Export, error) {
	rows, err := l.rows(feed, from, to)
	if err != nil {
		return nil, err
	}
	if len(rows) > mostListed {
		return nil, fault.New(fault.RecordingTooLong, nil, "It is %d files, and %d are the most.", len(rows), mostListed)
	}
	e := &Export{open: current{lib: l}}
	var sources []recording.Source
	var files []*store.RecordedFile
	var init []byte
	for i, row := range rows {
		x, err := l.readable(row)
		if err != nil {
			return nil, err
		}
		if x == nil {
			continue
		}
		if init != nil && string(init) != string(x.Init) {
			return nil, fault.New(fault.RecordingMixed, nil, "It changes at %s, to %dx%d.", x.Begins.Format(time.RFC3339Nano), x.Width, x.Height)
		}
		file := &rows[i]
		init, files, sources = x.Init, append(files, file), append(sources, recording.Source{Reader: partOf{&e.open, file}, Index: x})
	}
	plan, err := recording.NewExport(sources, from, to, cut)
	if err != nil {
		e.Close()
		return nil, exportFault(err)
	}
	e.Begins, e.Ends, e.Gaps, e.Size, e.head = plan.Begins, plan.Ends, plan.Gaps, plan.Size, plan.Head
	e.add(nil, 0, int64(len(plan.Head)))
	for _, p := range plan.Pieces {
		e.add(files[p.Source], p.Offset, p.Size)
	}
	return e, nil
}

func exportFault(err error) error {
	switch {
	case errors.Is(err, recording.ErrNothing):
		return fault.New(fault.RecordingNone, err, "")
	case errors.Is(err, recording.ErrTooLong):
		return fault.New(fault.RecordingTooLong, err, "")
	}
	return DiskFault(err)
}

func (e *Export) add(row *store.RecordedFile, offset, size int64) {
	begins := int64(0)
	if n := len(e.pieces); n > 0 {
		begins = e.pieces[n-1].begins + e.pieces[n-1].size
	}
	e.pieces = append(e.pieces, piece{row, offset, begins, size})
}

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
