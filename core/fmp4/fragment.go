package fmp4

import (
	"encoding/binary"
	"fmt"
	"time"

	"webostrum/core/media"
)

// Sample flags of 14496-12, 8.8.3.1.
const (
	flagsSync    = 0x02000000 // depends on no other
	flagsNonSync = 0x01010000 // depends on others; is no sync sample
)

// trun and tfhd flags (8.8.7, 8.8.8).
const (
	tfhdBaseIsMoof = 0x020000

	trunDataOffset  = 0x000001
	trunDuration    = 0x000100
	trunSize        = 0x000200
	trunFlags       = 0x000400
	trunComposition = 0x000800
)

// Run is the samples of one track in a fragment, with their durations in
// ticks of its clock.
type Run struct {
	Track     *media.Track
	Begin     int64 // decode time of the first sample
	Samples   []*media.Sample
	Durations []uint32
}

// Fragment returns a movie fragment as slices to be sent one after the other:
// the moof box and the mdat header, then the data of the samples, which is
// shared and not copied. sequence is the number of the fragment, from 1.
func Fragment(sequence uint32, runs []Run) [][]byte {
	w := &writer{}
	payload := 0
	var offsets []int // where in w.b each run's data offset stands
	w.box("moof", func() {
		w.full("mfhd", 0, 0, func() { w.u32(sequence) })
		for _, r := range runs {
			offsets = append(offsets, w.trackFragment(r))
		}
	})
	at := len(w.b) + boxHeader
	parts := [][]byte{nil}
	for i, r := range runs {
		binary.BigEndian.PutUint32(w.b[offsets[i]:], uint32(at))
		for _, s := range r.Samples {
			parts = append(parts, s.Data)
			at += len(s.Data)
			payload += len(s.Data)
		}
	}
	w.u32(uint32(payload + boxHeader))
	w.bytes([]byte("mdat")...)
	parts[0] = w.b
	return parts
}

func (w *writer) trackFragment(r Run) (offsetAt int) {
	w.box("traf", func() {
		w.full("tfhd", 0, tfhdBaseIsMoof, func() { w.u32(uint32(r.Track.ID)) })
		w.full("tfdt", 1, 0, func() { w.u64(uint64(r.Begin)) })
		w.full("trun", 1, trunDataOffset|trunDuration|trunSize|trunFlags|trunComposition, func() {
			w.u32(uint32(len(r.Samples)))
			offsetAt = len(w.b)
			w.u32(0)
			for i, s := range r.Samples {
				flags := uint32(flagsNonSync)
				if s.Key {
					flags = flagsSync
				}
				w.u32(r.Durations[i])
				w.u32(uint32(len(s.Data)))
				w.u32(flags)
				w.u32(uint32(int32(s.PTS - s.DTS)))
			}
		})
	})
	return offsetAt
}

// ReadSample is a sample as it stands in a fragment.
type ReadSample struct {
	DTS      uint64
	Offset   int32 // composition time offset: PTS less DTS
	Duration uint32
	Sync     bool
	Data     []byte
}

// ReadFragment reads the samples of a track out of a fragment that Fragment wrote,
// joined into one slice; track 0 is the first. A track that is not in it has no
// samples. Errors wrap ErrMalformed.
func ReadFragment(data []byte, track int) ([]ReadSample, error) {
	boxes, err := Boxes(Find(data, "moof"))
	if err != nil {
		return nil, err
	}
	found := false
	for _, b := range boxes {
		const idAt = 4
		if b.Kind != "traf" {
			continue
		}
		found = true
		if id := Find(b.Body, "tfhd"); track == 0 || len(id) >= 2*idAt && binary.BigEndian.Uint32(id[idAt:]) == uint32(track) {
			return readTrack(data, b.Body)
		}
	}
	if !found {
		return nil, fmt.Errorf("%w: no track fragment", ErrMalformed)
	}
	return nil, nil
}

func readTrack(data, traf []byte) ([]ReadSample, error) {
	table, err := trackTable(traf, 0)
	if err != nil {
		return nil, err
	}
	samples := make([]ReadSample, len(table))
	for i, e := range table {
		if end := e.Offset + int64(e.Size); end > int64(len(data)) {
			return nil, fmt.Errorf("%w: sample %d ends at %d of %d bytes", ErrMalformed, i, end, len(data))
		}
		samples[i] = ReadSample{DTS: uint64(e.DTS), Offset: e.Delay, Duration: e.Duration, Sync: e.Sync, Data: data[e.Offset : e.Offset+int64(e.Size)]}
	}
	return samples, nil
}

// referenceCaptured says that the time is that of capture (14496-12, 8.16.5.3).
const referenceCaptured = 24

// ntpEpoch is 1970 in seconds of NTP (RFC 5905, 6).
const ntpEpoch = 2_208_988_800

// ReferenceTime returns a ProducerReferenceTimeBox (14496-12, 8.16.5): when the sample at a
// media time of a track, in ticks of its clock, was captured. It stands before a fragment.
func ReferenceTime(track *media.Track, mediaTime int64, captured time.Time) []byte {
	w := &writer{}
	w.full("prft", 1, referenceCaptured, func() {
		w.u32(uint32(track.ID))
		w.u32(uint32(captured.Unix() + ntpEpoch))
		w.u32(uint32((uint64(captured.Nanosecond()) << 32) / uint64(time.Second)))
		w.u64(uint64(mediaTime))
	})
	return w.b
}
