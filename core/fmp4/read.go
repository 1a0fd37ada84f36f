package fmp4

import (
	"encoding/binary"
	"fmt"
)

// Movie is what an initialisation section says of its tracks.
type Movie struct{ Tracks []*TrackInfo }

// TrackInfo is one track of a movie.
type TrackInfo struct {
	ID        uint32
	Kind      string // handler: "vide" or "soun"
	Timescale uint32
	Entry     string // sample entry, such as "avc1"
	Config    []byte // of avcC or hvcC the record; of esds the AudioSpecificConfig; of dOps its body

	duration, size, flags uint32 // defaults of samples (8.8.3)
}

// FragmentSample is one sample of a fragment; Data is a part of the input.
type FragmentSample struct {
	Track *TrackInfo
	DTS   int64 // of the track's timescale
	Delay int64 // composition time offset
	Key   bool
	Data  []byte
}

// Sizes of what stands in front of a sample entry's boxes (12.1.3, 12.2.3).
const (
	visualHead = 78
	audioHead  = 28
	maxTracks  = 16
	maxSamples = 10_000 // of one run
)

// ParseInit reads the body of a moov box.
func ParseInit(moov []byte) (*Movie, error) {
	boxes, err := Boxes(moov)
	if err != nil {
		return nil, err
	}
	m := &Movie{}
	for _, b := range boxes {
		if b.Kind != "trak" || len(m.Tracks) >= maxTracks {
			continue
		}
		if t := parseTrack(b.Body); t != nil {
			m.Tracks = append(m.Tracks, t)
		}
	}
	for _, b := range boxes {
		if b.Kind == "mvex" {
			m.defaults(b.Body)
		}
	}
	return m, nil
}

// track is that of an ID, or nil.
func (m *Movie) track(id uint32) *TrackInfo {
	for _, t := range m.Tracks {
		if t.ID == id {
			return t
		}
	}
	return nil
}

// defaults reads what samples are like where their fragments do not say.
func (m *Movie) defaults(mvex []byte) {
	const trexLen = 24
	boxes, _ := Boxes(mvex)
	for _, b := range boxes {
		if b.Kind != "trex" || len(b.Body) < trexLen {
			continue
		}
		if t := m.track(binary.BigEndian.Uint32(b.Body[4:])); t != nil {
			t.duration, t.size, t.flags = binary.BigEndian.Uint32(b.Body[12:]), binary.BigEndian.Uint32(b.Body[16:]), binary.BigEndian.Uint32(b.Body[20:])
		}
	}
}

// at is where a field of a full box stands, which depends on whether its times have 32 or 64
// bits.
func at(body []byte, short, long int) (uint32, bool) {
	if len(body) == 0 {
		return 0, false
	}
	i := short
	if body[0] == 1 {
		i = long
	}
	if len(body) < i+4 {
		return 0, false
	}
	return binary.BigEndian.Uint32(body[i:]), true
}

// parseTrack reads a trak box; nil for one that makes no sense.
func parseTrack(trak []byte) *TrackInfo {
	id, okID := at(Find(trak, "tkhd"), 12, 20)
	scale, okScale := at(Find(trak, "mdia", "mdhd"), 12, 20)
	handler := Find(trak, "mdia", "hdlr")
	const handlerAt = 8
	if !okID || !okScale || scale == 0 || len(handler) < handlerAt+4 {
		return nil
	}
	t := &TrackInfo{ID: id, Timescale: scale, Kind: string(handler[handlerAt : handlerAt+4])}
	const stsdHead = 8
	stsd := Find(trak, "mdia", "minf", "stbl", "stsd")
	if len(stsd) < stsdHead {
		return t
	}
	entries, _ := Boxes(stsd[stsdHead:])
	if len(entries) == 0 {
		return t
	}
	head := visualHead
	if t.Kind == "soun" {
		head = audioHead
	}
	t.Entry = entries[0].Kind
	if body := entries[0].Body; len(body) > head {
		t.Config = configOf(body[head:])
	}
	return t
}

// configOf finds a codec's configuration among a sample entry's boxes.
func configOf(b []byte) []byte {
	boxes, _ := Boxes(b)
	for _, x := range boxes {
		switch x.Kind {
		case "avcC", "hvcC", "dOps":
			return x.Body
		case "esds":
			return specificConfig(x.Body)
		}
	}
	return nil
}

// specificConfig finds the AudioSpecificConfig in an ES_Descriptor (ISO/IEC 14496-1, 7.2.6):
// the decoder specific information within its decoder configuration.
func specificConfig(b []byte) []byte {
	const fullBox = 4
	if len(b) < fullBox {
		return nil
	}
	b = b[fullBox:]
	for _, step := range []struct {
		tag  byte
		head int
	}{{tagES, esHead}, {tagDecoderConfig, decoderConfigHead}, {tagDecoderInfo, 0}} {
		body, ok := descriptor(b, step.tag)
		if !ok || len(body) < step.head {
			return nil
		}
		b = body[step.head:]
	}
	return b
}

// descriptor reads a descriptor of a tag, whose length is in bytes of 7 bits each.
func descriptor(b []byte, tag byte) ([]byte, bool) {
	const most = 4
	if len(b) < 2 || b[0] != tag {
		return nil, false
	}
	b = b[1:]
	n := 0
	for i := 0; i < most && len(b) > 0; i++ {
		x := b[0]
		b = b[1:]
		n = n<<7 | int(x&0x7f)
		if x&0x80 == 0 {
			break
		}
	}
	if n > len(b) {
		return nil, false
	}
	return b[:n], true
}

// Flags of tfhd and trun (8.8.7, 8.8.8).
const (
	tfhdBase     = 0x01
	tfhdEntry    = 0x02
	tfhdDuration = 0x08
	tfhdSize     = 0x10
	tfhdFlags    = 0x20

	trunFirst = 0x004

	notSync = 0x10000 // sample_is_non_sync_sample
)

// Fragment reads a fragment: the body of its moof box, and what stands behind that box, of
// which the first is an mdat box. Samples of tracks that the movie has not are left out.
func (m *Movie) Fragment(moof, behind []byte) (samples []FragmentSample, err error) {
	boxes, err := Boxes(moof)
	if err != nil {
		return nil, err
	}
	f := &fragment{movie: m, data: behind, origin: len(moof) + boxHeader}
	for _, b := range boxes {
		if b.Kind == "traf" {
			if err := f.traf(b.Body); err != nil {
				return f.samples, err
			}
		}
	}
	return f.samples, nil
}

// fragment is one in the reading.
type fragment struct {
	movie   *Movie
	data    []byte
	origin  int // bytes from the beginning of moof to data
	next    int // in data, where runs without an offset go on
	samples []FragmentSample
}

// fields reads numbers of 32 bits; those that are missing set short.
type fields struct {
	b     []byte
	short bool
}

func (r *fields) u32() uint32 {
	if len(r.b) < 4 {
		r.short = true
		return 0
	}
	v := binary.BigEndian.Uint32(r.b)
	r.b = r.b[4:]
	return v
}

func (r *fields) when(flags, bit uint32, to *uint32) {
	if flags&bit != 0 {
		*to = r.u32()
	}
}

func (f *fragment) traf(body []byte) error {
	boxes, err := Boxes(body)
	if err != nil {
		return err
	}
	var t TrackInfo
	var info *TrackInfo
	dts := int64(0)
	f.next = boxHeader // behind the head of mdat
	for _, b := range boxes {
		r := &fields{b: b.Body}
		head := r.u32()
		switch flags := head & 0xffffff; b.Kind {
		case "tfhd":
			if info = f.movie.track(r.u32()); info == nil {
				return nil
			}
			t = *info
			var skipped uint32
			if flags&tfhdBase != 0 {
				r.u32()
				r.u32()
			}
			r.when(flags, tfhdEntry, &skipped)
			r.when(flags, tfhdDuration, &t.duration)
			r.when(flags, tfhdSize, &t.size)
			r.when(flags, tfhdFlags, &t.flags)
		case "tfdt":
			dts = int64(r.u32())
			if head>>24 == 1 {
				dts = dts<<32 | int64(r.u32())
			}
		case "trun":
			if info == nil {
				return fmt.Errorf("%w: a run before its head", ErrMalformed)
			}
			if dts, err = f.run(r, flags, &t, info, dts); err != nil {
				return err
			}
		}
		if r.short {
			return fmt.Errorf("%w: %s of %d bytes", ErrMalformed, b.Kind, len(b.Body))
		}
	}
	return nil
}

// run reads a run of samples and returns the decode time behind it.
func (f *fragment) run(r *fields, flags uint32, t, info *TrackInfo, dts int64) (int64, error) {
	count := r.u32()
	if count > maxSamples {
		return dts, fmt.Errorf("%w: a run of %d samples", ErrMalformed, count)
	}
	if flags&trunDataOffset != 0 {
		f.next = int(int32(r.u32())) - f.origin
	}
	first := t.flags
	r.when(flags, trunFirst, &first)
	for i := range count {
		duration, size, own, delay := t.duration, t.size, t.flags, uint32(0)
		if i == 0 {
			own = first
		}
		r.when(flags, trunDuration, &duration)
		r.when(flags, trunSize, &size)
		r.when(flags, trunFlags, &own)
		r.when(flags, trunComposition, &delay)
		if r.short || f.next < 0 || int64(f.next)+int64(size) > int64(len(f.data)) {
			return dts, fmt.Errorf("%w: a sample of %d bytes at %d, of %d", ErrMalformed, size, f.next, len(f.data))
		}
		f.samples = append(f.samples, FragmentSample{Track: info, DTS: dts, Delay: int64(int32(delay)), Key: own&notSync == 0, Data: f.data[f.next : f.next+int(size)]})
		f.next += int(size)
		dts += int64(duration)
	}
	return dts, nil
}
