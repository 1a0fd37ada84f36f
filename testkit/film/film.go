// Package film makes transport streams for tests.
package film

import (
	"slices"

	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/mpegts"
	"webostrum/testkit/pictures"
)

// Ticks is how long a frame lasts, of 90 kHz.
const Ticks = 3600

// Film is video with a keyframe every ten frames, and audio if there is any: a unit for each
// frame.
type Film struct {
	Video, Audio *media.Track
	Samples      []*media.Sample
}

// New makes a film of a number of frames.
func New(frames int, audio bool) Film {
	f := Film{Video: pictures.Track(pictures.SPS)}
	if audio {
		f.Audio, _, _ = aac.Track(aac.LC(48000, 2))
	}
	for i := range frames {
		data := pictures.Data(pictures.P(200+i*37%500, byte(i)))
		if i%10 == 0 {
			data = pictures.Data(pictures.IDR(1500, byte(i)), pictures.More(700, byte(i)))
		}
		f.Samples = append(f.Samples, &media.Sample{Track: f.Video, PTS: int64(i) * Ticks, Key: i%10 == 0, Data: data})
		if audio {
			f.Samples = append(f.Samples, &media.Sample{Track: f.Audio, PTS: int64(i) * Ticks, Key: true, Data: slices.Repeat([]byte{byte(i)}, 200)})
		}
	}
	return f
}

// Stream writes the film; base is the stamp of its beginning.
func (f Film) Stream(base uint64) []byte { return slices.Concat(f.Pieces(base)...) }

// Pieces is the same, a piece for each sample.
func (f Film) Pieces(base uint64) (list [][]byte) {
	w := mpegts.NewWriter(f.Video, f.Audio)
	for _, s := range f.Samples {
		var b []byte
		if s.Key && s.Track == f.Video {
			b = w.AppendTables(b)
		}
		at := (base + uint64(s.PTS)) & (1<<33 - 1)
		list = append(list, w.AppendSample(b, s, at, at))
	}
	return list
}
