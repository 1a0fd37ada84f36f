package fmp4

import (
	"fmt"
	"math"

	"webostrum/core/media"
)

// FlatTrack is a track of a movie whose tables stand in front of its data.
type FlatTrack struct {
	Kind      media.Kind
	Timescale uint32
	Width     int
	Height    int
	Entry     []byte // sample entry, as SampleEntries returns it
	Samples   []Entry
	Skip      int64 // ticks of media in front of what is to be shown
	Show      int64 // ticks that are to be shown behind that; 0 for all
}

// Flat returns the boxes in front of the data of a movie that is not fragmented: ftyp, moov
// and the head of mdat (14496-12, 8). Samples stand in the data in the order of chunks, each
// of which is samples of one track that follow each other. The offsets of the tracks' samples
// are not used. An edit list (8.6.6) leaves out what is to be skipped.
func Flat(tracks []FlatTrack, chunks []Chunk) ([]byte, error) {
	size := int64(0)
	for _, c := range chunks {
		size += c.Size
	}
	if size > math.MaxInt64/2 {
		return nil, fmt.Errorf("%w: %d bytes", ErrUnsupported, size)
	}
	w := &writer{}
	w.flat(tracks, chunks, 0)
	head := int64(len(w.b))
	w.b = w.b[:0]
	w.flat(tracks, chunks, head+2*boxHeader)
	w.u32(1) // the size is behind the kind
	w.bytes([]byte("mdat")...)
	w.u64(uint64(size + 2*boxHeader))
	return w.b, nil
}

// Chunk is samples of one track that stand one behind the other.
type Chunk struct {
	Track int // index
	Count int
	Size  int64 // bytes
}

func (w *writer) flat(tracks []FlatTrack, chunks []Chunk, data int64) {
	w.box("ftyp", func() {
		w.bytes([]byte("isom")...)
		w.u32(0x200)
		w.bytes([]byte("isomiso6mp41")...)
	})
	longest := int64(0)
	for _, t := range tracks {
		longest = max(longest, t.shown(movieScale))
	}
	w.box("moov", func() {
		w.full("mvhd", 1, 0, func() {
			w.zeros(16)
			w.u32(movieScale)
			w.u64(uint64(longest))
			w.movie(len(tracks))
		})
		for i, t := range tracks {
			w.flatTrack(i, t, chunks, data)
		}
	})
}

// length is all of the track, in ticks.
func (t FlatTrack) length() (ticks int64) {
	for _, s := range t.Samples {
		ticks += int64(s.Duration)
	}
	return ticks
}

// shown is how long the track is shown, in ticks of another clock.
func (t FlatTrack) shown(scale int64) int64 {
	ticks := max(0, t.length()-t.Skip)
	if t.Show > 0 {
		ticks = min(ticks, t.Show)
	}
	return (ticks*scale + int64(t.Timescale)/2) / int64(t.Timescale)
}

func (w *writer) flatTrack(i int, t FlatTrack, chunks []Chunk, data int64) {
	w.box("trak", func() {
		w.full("tkhd", 1, enabledInMovie, func() {
			w.zeros(16)
			w.u32(uint32(i) + 1)
			w.zeros(4)
			w.u64(uint64(t.shown(movieScale)))
			w.presentation(t.Kind, t.Width, t.Height)
		})
		w.box("edts", func() {
			w.full("elst", 1, 0, func() {
				w.u32(1)
				w.u64(uint64(t.shown(movieScale)))
				w.u64(uint64(t.Skip + t.delay()))
				w.u32(0x10000)
			})
		})
		w.box("mdia", func() {
			w.full("mdhd", 1, 0, func() {
				w.zeros(16)
				w.u32(t.Timescale)
				w.u64(uint64(t.length()))
				w.u16(0x55c4)
				w.u16(0)
			})
			w.mediaInfo(t.Kind, func() { w.sampleTable(i, t, chunks, data) })
		})
	})
}

// delay is the presentation time of what is shown first, less the DTS of the first sample.
func (t FlatTrack) delay() int64 {
	if len(t.Samples) == 0 {
		return 0
	}
	return int64(t.Samples[0].Delay)
}

// sampleTable writes what is in stbl (14496-12, 8.5).
func (w *writer) sampleTable(i int, t FlatTrack, chunks []Chunk, data int64) {
	w.full("stsd", 0, 0, func() {
		w.u32(1)
		w.bytes(t.Entry...)
	})
	w.full("stts", 0, 0, func() {
		w.runs(len(t.Samples), func(n int) uint32 { return t.Samples[n].Duration })
	})
	if t.Kind == media.KindVideo {
		w.full("ctts", 1, 0, func() {
			w.runs(len(t.Samples), func(n int) uint32 { return uint32(t.Samples[n].Delay) })
		})
		w.full("stss", 0, 0, func() {
			at := len(w.b)
			w.u32(0)
			count := uint32(0)
			for n, s := range t.Samples {
				if s.Sync {
					w.u32(uint32(n) + 1)
					count++
				}
			}
			w.set32(at, count)
		})
	}
	w.full("stsz", 0, 0, func() {
		w.u32(0)
		w.u32(uint32(len(t.Samples)))
		for _, s := range t.Samples {
			w.u32(s.Size)
		}
	})
	w.full("stsc", 0, 0, func() {
		at, entries, number, last := len(w.b), uint32(0), uint32(0), -1
		w.u32(0)
		for _, c := range chunks {
			if c.Track != i {
				continue
			}
			if number++; c.Count != last {
				w.u32(number)
				w.u32(uint32(c.Count))
				w.u32(1)
				last = c.Count
				entries++
			}
		}
		w.set32(at, entries)
	})
	w.full("co64", 0, 0, func() {
		at, number, offset := len(w.b), uint32(0), data
		w.u32(0)
		for _, c := range chunks {
			if c.Track == i {
				w.u64(uint64(offset))
				number++
			}
			offset += c.Size
		}
		w.set32(at, number)
	})
}

// runs writes values of which many in a row are the same, as counts and values.
func (w *writer) runs(n int, value func(int) uint32) {
	at, entries := len(w.b), uint32(0)
	w.u32(0)
	for i := 0; i < n; {
		begin, v := i, value(i)
		for i < n && value(i) == v {
			i++
		}
		w.u32(uint32(i - begin))
		w.u32(v)
		entries++
	}
	w.set32(at, entries)
}

func (w *writer) set32(at int, v uint32) {
	copy(w.b[at:], []byte{byte(v >> 24), byte(v >> 16), byte(v >> 8), byte(v)})
}
