package recording

import (
	"errors"
	"fmt"
	"io"
	"time"

	"webostrum/core/fmp4"
	"webostrum/core/media"
)

// Cut is how exactly an export begins and ends.
type Cut string

// The ways to cut.
const (
	AtKeyframes Cut = "keyframe" // with the keyframe before the beginning, and the frame before the end
	Exactly     Cut = "exact"    // at the moments themselves: what comes before the first is there, and not shown
)

// ErrNothing says that nothing was recorded in a span; ErrTooLong that it has more than can be
// exported at once.
var (
	ErrNothing = errors.New("recording: nothing was recorded in that time")
	ErrTooLong = errors.New("recording: that is more than can be exported at once")
)

const mostExported = 2_000_000 // samples

// Source is a file that an export reads.
type Source struct {
	Reader io.ReaderAt
	Index  *Index
}

// Piece is bytes of a source, in the order in which they are exported.
type Piece struct {
	Source       int
	Offset, Size int64
}

// Export is one MP4 of a span: its head, and the pieces of the files behind that.
type Export struct {
	Head         []byte
	Pieces       []Piece
	Size         int64 // of all, bytes
	Begins, Ends time.Time
	Gaps         []Span // times in between of which there is nothing; they are left out
}

// NewExport plans an export of what files have between two times. They follow in time, and
// have to be coded in the same way. What was not recorded in between is left out. Errors
// wrap ErrNothing, ErrTooLong, fmp4.ErrMalformed, or are the readers'.
func NewExport(sources []Source, from, to time.Time, cut Cut) (*Export, error) {
	e := &exporter{from: from, to: to, cut: cut}
	for i, s := range sources {
		if err := e.source(i, s); err != nil {
			return nil, err
		}
	}
	if len(e.tracks) == 0 || len(e.tracks[0].Samples) == 0 {
		return nil, ErrNothing
	}
	if cut == Exactly {
		e.endExactly()
	}
	head, err := fmp4.Flat(e.tracks, e.chunks)
	if err != nil {
		return nil, err
	}
	e.out.Head, e.out.Size = head, e.out.Size+int64(len(head))
	return &e.out, nil
}

type exporter struct {
	from, to time.Time
	cut      Cut
	tracks   []fmp4.FlatTrack
	chunks   []fmp4.Chunk
	out      Export

	began  [2]int64 // what the tracks had when the present source began, ticks
	first  int64    // DTS of the source's first frame
	padded bool     // the source's audio was put beside its video
}

func (e *exporter) source(i int, s Source) error {
	x := s.Index
	first := -1
	for n, p := range x.Points {
		if first < 0 || !x.Time(p.Shown).After(e.from) {
			first = n
		}
	}
	begin, end := x.At(e.from), x.At(e.to)
	if x.Points[first].Shown >= end || x.At(x.Ends()) <= begin {
		return nil
	}
	if err := e.open(x); err != nil {
		return err
	}
	begins := x.Time(x.Points[first].Shown)
	switch {
	case e.out.Begins.IsZero():
		e.out.Begins = begins
		if skip := begin - x.Points[first].Shown; e.cut == Exactly && skip > 0 {
			e.tracks[0].Skip, e.out.Begins = skip, e.from
			if len(e.tracks) > 1 {
				e.tracks[1].Skip = skip * int64(e.tracks[1].Timescale) / int64(x.Timescale)
			}
		}
	case begins.Sub(e.out.Ends) > joined:
		e.out.Gaps = append(e.out.Gaps, Span{Begins: e.out.Ends, Ends: begins})
	}
	e.began, e.padded, e.first = [2]int64{}, false, -1
	for t := range e.tracks {
		e.began[t] = e.total(t)
	}
	for at := x.Points[first].Offset; at < x.Size; {
		done, next, err := e.fragment(i, s, at, end)
		if err != nil || done {
			return err
		}
		at = next
	}
	return nil
}

// open takes the tracks of the first file.
func (e *exporter) open(x *Index) error {
	if len(e.tracks) > 0 {
		return nil
	}
	entries, err := fmp4.SampleEntries(x.Init)
	if err != nil {
		return err
	}
	e.tracks = []fmp4.FlatTrack{{Kind: media.KindVideo, Timescale: x.Timescale, Width: x.Width, Height: x.Height, Entry: entries[videoID]}}
	movie, err := fmp4.ParseInit(fmp4.Find(x.Init, "moov"))
	if err != nil {
		return err
	}
	for _, t := range movie.Tracks {
		if t.ID == audioID {
			e.tracks = append(e.tracks, fmp4.FlatTrack{Kind: media.KindAudio, Timescale: t.Timescale, Entry: entries[audioID]})
		}
	}
	return nil
}

// fragment takes one, as far as it is shown before the end.
func (e *exporter) fragment(i int, s Source, at, end int64) (done bool, next int64, err error) {
	x := s.Index
	_, moof, err := fmp4.BoxAt(s.Reader, at+fmp4.PRFTSize)
	if err != nil {
		return false, 0, err
	}
	_, mdat, err := fmp4.BoxAt(s.Reader, at+fmp4.PRFTSize+moof)
	if err != nil {
		return false, 0, err
	}
	stop := int64(-1) // DTS that is no longer taken
	for t := range e.tracks {
		table, err := fmp4.ReadTable(s.Reader, at+fmp4.PRFTSize, uint32(t+1))
		if err != nil {
			return false, 0, err
		}
		if t == 0 {
			for n, entry := range table {
				if entry.DTS >= end {
					table, stop = table[:n], entry.DTS
					break
				}
			}
		} else if stop >= 0 {
			limit := stop * int64(e.tracks[t].Timescale) / int64(x.Timescale)
			n := 0
			for n < len(table) && table[n].DTS < limit {
				n++
			}
			table = table[:n]
		}
		e.take(i, t, table)
	}
	if len(e.tracks[0].Samples) > mostExported {
		return false, 0, fmt.Errorf("%w: over %d frames", ErrTooLong, mostExported)
	}
	last := e.tracks[0].Samples
	if n := len(last); n > 0 {
		e.out.Ends = x.Begins.Add(x.duration(last[n-1].DTS + int64(last[n-1].Duration) - x.First))
	}
	return stop >= 0, at + fmp4.PRFTSize + moof + mdat, nil
}

// endExactly has the last frame, and the audio beside it, be shown no longer than until the
// end: a frame may last longer than was known when it was due, and audio comes in units.
func (e *exporter) endExactly() {
	video := &e.tracks[0]
	if over := e.out.Ends.Sub(e.to); over > 0 {
		shorten(video, int64(over)*int64(video.Timescale)/int64(time.Second))
		e.out.Ends = e.to
	}
	video.Show = e.total(0) - video.Skip
	if len(e.tracks) > 1 {
		audio := &e.tracks[1]
		audio.Show = video.Show * int64(audio.Timescale) / int64(video.Timescale)
		shorten(audio, e.total(1)-audio.Skip-audio.Show)
	}
}

// shorten takes ticks off a track's last samples, each of which keeps one.
func shorten(t *fmp4.FlatTrack, ticks int64) {
	for n := len(t.Samples) - 1; n >= 0 && ticks > 0; n-- {
		s := &t.Samples[n]
		less := max(0, min(ticks, int64(s.Duration)-1))
		s.Duration -= uint32(less)
		ticks -= less
	}
}

// total is how long a track is so far. It is asked once a source.
func (e *exporter) total(track int) (ticks int64) {
	for _, s := range e.tracks[track].Samples {
		ticks += int64(s.Duration)
	}
	return ticks
}

// pad has a source's audio begin beside its video, by the length of the last unit before it.
func (e *exporter) pad(dts int64) {
	e.padded = true
	audio, video := &e.tracks[1], e.tracks[0]
	n := len(audio.Samples)
	if n == 0 {
		return
	}
	behind := func(ticks int64) int64 { return ticks * int64(audio.Timescale) / int64(video.Timescale) }
	want := behind(e.began[0]) + dts - behind(e.first)
	if length := int64(audio.Samples[n-1].Duration) + want - e.began[1]; length > 0 {
		audio.Samples[n-1].Duration = uint32(length)
	}
}

// take appends samples of a track.
func (e *exporter) take(source, track int, table []fmp4.Entry) {
	if len(table) == 0 {
		return
	}
	switch {
	case track == 0 && e.first < 0:
		e.first = table[0].DTS
	case track == 1 && !e.padded:
		e.pad(table[0].DTS)
	}
	chunk, piece := fmp4.Chunk{Track: track, Count: len(table)}, Piece{Source: source, Offset: table[0].Offset}
	for _, s := range table {
		chunk.Size += int64(s.Size)
	}
	piece.Size = chunk.Size
	e.chunks = append(e.chunks, chunk)
	e.tracks[track].Samples = append(e.tracks[track].Samples, table...)
	e.out.Size += piece.Size
	if n := len(e.out.Pieces); n > 0 && e.out.Pieces[n-1].Source == source && e.out.Pieces[n-1].Offset+e.out.Pieces[n-1].Size == piece.Offset {
		e.out.Pieces[n-1].Size += piece.Size
		return
	}
	e.out.Pieces = append(e.out.Pieces, piece)
}
