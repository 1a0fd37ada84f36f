package fmp4

import (
	"errors"
	"fmt"

	"webostrum/core/media"
)

// ErrUnsupported says that a track's codec has no sample entry here.
var ErrUnsupported = errors.New("fmp4: codec not handled")

// movieScale is the timescale of the movie header; tracks have their own.
const movieScale = 1000

// unity is the identity matrix of 14496-12, 8.2.2.
var unity = [9]uint32{0x10000, 0, 0, 0, 0x10000, 0, 0, 0, 0x40000000}

// Init returns the initialisation section of a set of tracks: ftyp and moov
// without samples. Errors wrap ErrUnsupported or come from the codec's
// configuration.
func Init(tracks []*media.Track) ([]byte, error) {
	w := &writer{}
	w.box("ftyp", func() {
		w.bytes([]byte("iso6")...)
		w.u32(1)
		w.bytes([]byte("iso6mp41")...)
	})
	var failed error
	w.box("moov", func() {
		w.movieHeader(len(tracks))
		for _, t := range tracks {
			if err := w.track(t); err != nil && failed == nil {
				failed = err
			}
		}
		w.box("mvex", func() {
			for _, t := range tracks {
				w.full("trex", 0, 0, func() {
					w.u32(uint32(t.ID))
					w.u32(1) // default_sample_description_index
					w.zeros(12)
				})
			}
		})
	})
	return w.b, failed
}

func (w *writer) movieHeader(tracks int) {
	w.full("mvhd", 0, 0, func() {
		w.zeros(8) // creation and modification time
		w.u32(movieScale)
		w.u32(0) // duration: not known
		w.movie(tracks)
	})
}

// movie writes what ends a movie header (14496-12, 8.2.2).
func (w *writer) movie(tracks int) {
	w.u32(0x10000) // rate 1.0
	w.u16(0x100)   // volume 1.0
	w.zeros(10)
	w.matrix()
	w.zeros(24)
	w.u32(uint32(tracks) + 1) // next_track_ID
}

func (w *writer) matrix() {
	for _, v := range unity {
		w.u32(v)
	}
}

func (w *writer) track(t *media.Track) error {
	var failed error
	w.box("trak", func() {
		w.full("tkhd", 0, enabledInMovie, func() {
			w.zeros(8)
			w.u32(uint32(t.ID))
			w.zeros(8)
			w.presentation(t.Kind, t.Width, t.Height)
		})
		w.box("mdia", func() {
			w.full("mdhd", 0, 0, func() {
				w.zeros(8)
				w.u32(t.ClockRate)
				w.u32(0)
				w.u16(0x55c4) // language "und"
				w.u16(0)
			})
			w.mediaInfo(t.Kind, func() {
				w.full("stsd", 0, 0, func() {
					w.u32(1)
					failed = w.sampleEntry(t)
				})
				w.full("stts", 0, 0, func() { w.u32(0) })
				w.full("stsc", 0, 0, func() { w.u32(0) })
				w.full("stsz", 0, 0, func() { w.zeros(8) })
				w.full("stco", 0, 0, func() { w.u32(0) })
			})
		})
	})
	return failed
}

const enabledInMovie = 3 // flags of a track header

// presentation writes what ends a track header (14496-12, 8.3.2): how the track is presented.
func (w *writer) presentation(kind media.Kind, width, height int) {
	const fullVolume = 0x100
	w.zeros(8)
	w.u32(0) // layer, alternate group
	volume := uint16(0)
	if kind == media.KindAudio {
		volume = fullVolume
	}
	w.u16(volume)
	w.u16(0)
	w.matrix()
	w.u32(uint32(width) << 16)
	w.u32(uint32(height) << 16)
}

// mediaInfo writes hdlr and minf with a sample table (14496-12, 8.4.3 to 8.5).
func (w *writer) mediaInfo(kind media.Kind, table func()) {
	handler, name := "vide", "video\x00"
	if kind == media.KindAudio {
		handler, name = "soun", "audio\x00"
	}
	w.full("hdlr", 0, 0, func() {
		w.u32(0)
		w.bytes([]byte(handler)...)
		w.zeros(12)
		w.bytes([]byte(name)...)
	})
	w.box("minf", func() {
		if kind == media.KindAudio {
			w.full("smhd", 0, 0, func() { w.zeros(4) })
		} else {
			w.full("vmhd", 0, 1, func() { w.zeros(8) })
		}
		w.box("dinf", func() {
			w.full("dref", 0, 0, func() {
				w.u32(1)
				w.full("url ", 0, 1, func() {}) // in this very file
			})
		})
		w.box("stbl", table)
	})
}

func (w *writer) sampleEntry(t *media.Track) error {
	if t.Codec == media.AAC {
		return w.audioEntry(t)
	}
	if t.Video == nil || t.Video.Entry.Type == "" {
		return fmt.Errorf("%w: %s", ErrUnsupported, t.Codec)
	}
	entry := t.Video.Entry
	w.box(entry.Type, func() {
		w.zeros(6)
		w.u16(1) // data_reference_index
		w.zeros(16)
		w.u16(uint16(t.Width))
		w.u16(uint16(t.Height))
		w.u32(0x480000) // 72 dpi
		w.u32(0x480000)
		w.u32(0)
		w.u16(1)     // frame_count
		w.zeros(32)  // compressorname
		w.u16(0x18)  // depth
		w.u16(65535) // pre_defined -1
		w.box(entry.Box, func() { w.bytes(entry.Record...) })
	})
	return nil
}
