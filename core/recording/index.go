package recording

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"time"

	"webostrum/core/fmp4"
)

// ErrEmpty says that a file has no whole fragment.
var ErrEmpty = errors.New("recording: nothing was recorded in this file")

const mostPoints = 500_000

// Point is where a fragment begins that decoding can begin with.
type Point struct {
	Shown  int64 // when its first frame is shown, ticks
	Offset int64 // bytes from the beginning of the file
}

// Index is where what is in a file.
type Index struct {
	Init      []byte
	Timescale uint32
	Width     int
	Height    int
	Audio     bool
	Begins    time.Time // when the first frame was taken
	Points    []Point
	First     int64 // DTS of the first frame, ticks
	End       int64 // where the last fragment ends, ticks
	Size      int64 // bytes of initialisation section and whole fragments
	Finished  bool  // the random access box is there, and nothing else behind the fragments
}

// ReadIndex reads where what is in a file of some size. One that was cut off in the midst of
// a fragment is read as far as it is whole. It returns ErrEmpty when there is nothing.
func ReadIndex(r io.ReaderAt, size int64) (*Index, error) {
	init, err := fmp4.ReadInit(r)
	if err != nil {
		return nil, cutShort(err)
	}
	x := &Index{Init: init, Size: int64(len(init))}
	if err := x.tracks(init); err != nil {
		return nil, err
	}
	list, end, err := fmp4.ReadRandomAccess(r, size)
	if err != nil {
		return nil, err
	}
	from := int64(len(init))
	for _, a := range list {
		x.Points = append(x.Points, Point{a.Time, a.Offset - fmp4.PRFTSize})
	}
	if len(list) > 0 {
		if x.First, x.Begins, err = begins(r, from); err != nil {
			return nil, err
		}
		if from = x.Points[len(x.Points)-1].Offset; from < int64(len(init)) || from >= end {
			return nil, fmt.Errorf("%w: an index that leads to byte %d of %d", fmp4.ErrMalformed, from, end)
		}
		x.Points = x.Points[:len(x.Points)-1]
	}
	if err := x.scan(r, from, end); err != nil {
		return nil, err
	}
	x.Finished = len(list) > 0 && x.Size == end
	if len(x.Points) == 0 {
		return nil, ErrEmpty
	}
	return x, nil
}

// cutShort turns the end of a file in its first boxes into ErrEmpty.
func cutShort(err error) error {
	if errors.Is(err, io.EOF) {
		return fmt.Errorf("%w: %w", ErrEmpty, err)
	}
	return err
}

func (x *Index) tracks(init []byte) error {
	movie, err := fmp4.ParseInit(fmp4.Find(init, "moov"))
	if err != nil {
		return err
	}
	for _, t := range movie.Tracks {
		switch t.ID {
		case videoID:
			x.Timescale = t.Timescale
		case audioID:
			x.Audio = true
		}
	}
	if x.Timescale == 0 {
		return fmt.Errorf("%w: no video", fmp4.ErrMalformed)
	}
	tkhd := fmp4.Find(init, "moov", "trak", "tkhd")
	if n := len(tkhd); n >= 8 {
		x.Width, x.Height = int(binary.BigEndian.Uint16(tkhd[n-8:])), int(binary.BigEndian.Uint16(tkhd[n-4:]))
	}
	return nil
}

// begins reads the first fragment: its DTS, and when it was taken.
func begins(r io.ReaderAt, at int64) (dts int64, captured time.Time, err error) {
	if captured, err = captureTime(r, at); err != nil {
		return 0, captured, err
	}
	table, err := fmp4.ReadTable(r, at+fmp4.PRFTSize, videoID)
	if err != nil || len(table) == 0 {
		return 0, captured, errors.Join(err, ErrEmpty)
	}
	return table[0].DTS, captured, nil
}

// captureTime reads a ProducerReferenceTimeBox.
func captureTime(r io.ReaderAt, at int64) (time.Time, error) {
	var box [fmp4.PRFTSize]byte
	if _, err := r.ReadAt(box[:], at); err != nil {
		return time.Time{}, err
	}
	const ntpEpoch, ntpAt = 2_208_988_800, 16
	if !bytes.Equal(box[4:8], []byte("prft")) {
		return time.Time{}, fmt.Errorf("%w: %q where a capture time should be", fmp4.ErrMalformed, box[4:8])
	}
	ntp := binary.BigEndian.Uint64(box[ntpAt:])
	nanos := (ntp&0xffffffff)*uint64(time.Second) + 1<<31 // rounded
	return time.Unix(int64(ntp>>32)-ntpEpoch, int64(nanos>>32)).UTC(), nil
}

// scan reads fragments up to an offset, or as far as they are whole.
func (x *Index) scan(r io.ReaderAt, at, end int64) error {
	for at < end && len(x.Points) < mostPoints {
		next, err := x.fragment(r, at, end)
		if err != nil || next == 0 {
			return err
		}
		at, x.Size = next, next
	}
	return nil
}

// fragment reads one and returns where the next one begins; 0 where this one is not whole.
func (x *Index) fragment(r io.ReaderAt, at, end int64) (next int64, err error) {
	sizes := [3]int64{}
	for i, want := range []string{"prft", "moof", "mdat"} {
		offset := at + sizes[0] + sizes[1]
		kind, size, err := fmp4.BoxAt(r, offset)
		if errors.Is(err, io.EOF) || errors.Is(err, fmp4.ErrMalformed) {
			return 0, nil
		}
		if err != nil {
			return 0, err
		}
		if kind != want || offset+size > end || i == 0 && size != fmp4.PRFTSize {
			return 0, nil
		}
		sizes[i] = size
	}
	table, err := fmp4.ReadTable(r, at+sizes[0], videoID)
	if errors.Is(err, fmp4.ErrMalformed) || err == nil && len(table) == 0 {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	first, last := table[0], table[len(table)-1]
	if len(x.Points) == 0 {
		if !first.Sync {
			return 0, nil
		}
		if x.Begins.IsZero() {
			x.First = first.DTS
			if x.Begins, err = captureTime(r, at); err != nil {
				return 0, err
			}
		}
	}
	if first.Sync {
		x.Points = append(x.Points, Point{first.PTS(), at})
	}
	x.End = last.DTS + int64(last.Duration)
	return at + sizes[0] + sizes[1] + sizes[2], nil
}

// Time is when what is shown at a media time was taken.
func (x *Index) Time(shown int64) time.Time {
	return x.Begins.Add(x.duration(shown - x.Points[0].Shown))
}

// At is the media time of a moment.
func (x *Index) At(t time.Time) int64 {
	d := t.Sub(x.Begins)
	return x.Points[0].Shown + int64(d.Seconds()*float64(x.Timescale))
}

// Ends is when the file ends.
func (x *Index) Ends() time.Time { return x.Begins.Add(x.duration(x.End - x.First)) }

func (x *Index) duration(ticks int64) time.Duration {
	return time.Duration(float64(ticks) / float64(x.Timescale) * float64(time.Second))
}

// Access is the random access box that finishes the file.
func (x *Index) Access() []byte {
	list := make([]fmp4.Access, len(x.Points))
	for i, p := range x.Points {
		list[i] = fmp4.Access{Time: p.Shown, Offset: p.Offset + fmp4.PRFTSize}
	}
	return fmp4.RandomAccess(videoID, list)
}

// Continues says whether what is in the file goes on exactly where another one ended.
func (x *Index) Continues(before *Index) bool {
	return before.End == x.First && bytes.Equal(before.Init, x.Init)
}
