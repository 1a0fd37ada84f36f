package fmp4

import (
	"encoding/binary"
	"fmt"
	"io"
	"slices"
)

// Limits of the reading side: no more is allocated for what a file claims.
const (
	maxInit   = 1 << 20 // bytes of ftyp and moov
	maxMoof   = 4 << 20
	maxAccess = 16 << 20 // bytes of mfra
	mfroSize  = 16
)

// PRFTSize is how many bytes ReferenceTime returns.
const PRFTSize = 32

// Access is where a fragment that begins with a sync sample stands in a file.
type Access struct {
	Time   int64 // presentation time of the sample, ticks of the track's clock
	Offset int64 // bytes from the beginning of the file to the moof box
}

// RandomAccess returns the MovieFragmentRandomAccessBox (14496-12, 8.8.9) that ends a file:
// where the fragments of a track stand that begin with a sync sample.
func RandomAccess(track uint32, list []Access) []byte {
	const sizesOfOne = 0 // numbers of track, run and sample have a byte each
	w := &writer{}
	w.box("mfra", func() {
		w.full("tfra", 1, 0, func() {
			w.u32(track)
			w.u32(sizesOfOne)
			w.u32(uint32(len(list)))
			for _, a := range list {
				w.u64(uint64(a.Time))
				w.u64(uint64(a.Offset))
				w.bytes(1, 1, 1)
			}
		})
		size := len(w.b) + mfroSize
		w.full("mfro", 0, 0, func() { w.u32(uint32(size)) })
	})
	return w.b
}

// ReadRandomAccess reads the random access box at the end of a file of some size, and where
// that box begins. It returns none when the file has none.
func ReadRandomAccess(r io.ReaderAt, size int64) (list []Access, begins int64, err error) {
	tail := make([]byte, mfroSize)
	if size < mfroSize {
		return nil, size, nil
	}
	if _, err := r.ReadAt(tail, size-mfroSize); err != nil {
		return nil, size, err
	}
	length := int64(binary.BigEndian.Uint32(tail[12:]))
	if string(tail[4:8]) != "mfro" || length < mfroSize || length > min(size, maxAccess) {
		return nil, size, nil
	}
	box := make([]byte, length)
	if _, err := r.ReadAt(box, size-length); err != nil {
		return nil, size, err
	}
	tfra := Find(box, "mfra", "tfra")
	const head, entry = 16, 19
	if len(tfra) < head || tfra[0] != 1 {
		return nil, size, nil
	}
	count := int(binary.BigEndian.Uint32(tfra[12:]))
	if count < 0 || count > (len(tfra)-head)/entry {
		return nil, size, fmt.Errorf("%w: %d entries in a table of %d bytes", ErrMalformed, count, len(tfra))
	}
	for i := range count {
		e := tfra[head+i*entry:]
		list = append(list, Access{int64(binary.BigEndian.Uint64(e)), int64(binary.BigEndian.Uint64(e[8:]))})
	}
	return list, size - length, nil
}

// BoxAt reads the head of the box at an offset: its kind and its size with the head.
func BoxAt(r io.ReaderAt, offset int64) (kind string, size int64, err error) {
	var head [boxHeader]byte
	if _, err := r.ReadAt(head[:], offset); err != nil {
		return "", 0, err
	}
	size = int64(binary.BigEndian.Uint32(head[:]))
	if size < boxHeader {
		return "", 0, fmt.Errorf("%w: a box of %d bytes", ErrMalformed, size)
	}
	return string(head[4:]), size, nil
}

// ReadInit reads the initialisation section at the beginning of a file, and its length in
// bytes.
func ReadInit(r io.ReaderAt) (init []byte, err error) {
	at := int64(0)
	for _, want := range []string{"ftyp", "moov"} {
		kind, size, err := BoxAt(r, at)
		if err != nil {
			return nil, err
		}
		if kind != want || at+size > maxInit {
			return nil, fmt.Errorf("%w: %q of %d bytes where %s should be", ErrMalformed, kind, size, want)
		}
		at += size
	}
	init = make([]byte, at)
	_, err = r.ReadAt(init, 0)
	return init, err
}

// Entry is a sample of a fragment: where it is and what it is.
type Entry struct {
	Offset   int64 // bytes from the beginning of the file
	Size     uint32
	DTS      int64 // ticks of its track
	Duration uint32
	Delay    int32 // presentation time less DTS
	Sync     bool
}

// PTS is the presentation time.
func (e Entry) PTS() int64 { return e.DTS + int64(e.Delay) }

// ReadTable reads the moof box at an offset of a file that Fragment's parts were written to,
// without the data behind it: the samples of a track. Errors wrap ErrMalformed or are the
// reader's.
func ReadTable(r io.ReaderAt, offset int64, track uint32) (list []Entry, err error) {
	kind, size, err := BoxAt(r, offset)
	if err != nil {
		return nil, err
	}
	if kind != "moof" || size > maxMoof {
		return nil, fmt.Errorf("%w: %q of %d bytes where a fragment should be", ErrMalformed, kind, size)
	}
	box := make([]byte, size)
	if _, err := r.ReadAt(box, offset); err != nil {
		return nil, err
	}
	boxes, err := Boxes(box[boxHeader:])
	if err != nil {
		return nil, err
	}
	for _, b := range boxes {
		const idAt = 4
		if id := Find(b.Body, "tfhd"); b.Kind == "traf" && len(id) >= 2*idAt && binary.BigEndian.Uint32(id[idAt:]) == track {
			return trackTable(b.Body, offset)
		}
	}
	return nil, nil
}

func trackTable(traf []byte, moof int64) ([]Entry, error) {
	const tfdtLen, trunHead, entry = 12, 12, 16
	tfdt, trun := Find(traf, "tfdt"), Find(traf, "trun")
	if len(tfdt) < tfdtLen || len(trun) < trunHead {
		return nil, fmt.Errorf("%w: no run of samples", ErrMalformed)
	}
	dts, at := int64(binary.BigEndian.Uint64(tfdt[4:])), moof+int64(binary.BigEndian.Uint32(trun[8:]))
	count := int(binary.BigEndian.Uint32(trun[4:]))
	if count < 0 || count > (len(trun)-trunHead)/entry {
		return nil, fmt.Errorf("%w: %d samples in a table of %d bytes", ErrMalformed, count, len(trun))
	}
	list := make([]Entry, count)
	for i := range list {
		e := trun[trunHead+i*entry:]
		list[i] = Entry{
			Offset: at, Size: binary.BigEndian.Uint32(e[4:]), DTS: dts, Duration: binary.BigEndian.Uint32(e),
			Sync: binary.BigEndian.Uint32(e[8:]) == flagsSync, Delay: int32(binary.BigEndian.Uint32(e[12:])),
		}
		at += int64(list[i].Size)
		dts += int64(list[i].Duration)
	}
	return list, nil
}

// SampleEntries returns the sample entry of each track of an initialisation section, by the
// track's ID, as it stands in the file.
func SampleEntries(init []byte) (map[uint32][]byte, error) {
	boxes, err := Boxes(Find(init, "moov"))
	if err != nil {
		return nil, err
	}
	list := make(map[uint32][]byte)
	for _, b := range boxes {
		if b.Kind != "trak" || len(list) >= maxTracks {
			continue
		}
		id, ok := at(Find(b.Body, "tkhd"), 12, 20)
		stsd := Find(b.Body, "mdia", "minf", "stbl", "stsd")
		const stsdHead = 8
		if ok && len(stsd) > stsdHead {
			list[id] = slices.Clone(stsd[stsdHead:])
		}
	}
	return list, nil
}
