package recording

import (
	"fmt"
	"io"
	"time"

	"webostrum/core/fmp4"
	"webostrum/core/h264"
	"webostrum/core/h265"
	"webostrum/core/media"
)

const maxKeyframe = 16 << 20

// Track returns the video's track, with its parameter sets. Errors wrap fmp4.ErrMalformed or
// fmp4.ErrUnsupported, or come from the codec's configuration.
func (x *Index) Track() (*media.Track, error) {
	movie, err := fmp4.ParseInit(fmp4.Find(x.Init, "moov"))
	if err != nil {
		return nil, err
	}
	for _, t := range movie.Tracks {
		if t.ID != videoID {
			continue
		}
		c, err := configOf(t)
		if err != nil {
			return nil, err
		}
		return media.VideoTrack(videoID, t.Timescale, c), nil
	}
	return nil, fmt.Errorf("%w: no video", fmp4.ErrMalformed)
}

// Codec names the video's coding (RFC 6381); empty when it cannot be read.
func (x *Index) Codec() string {
	t, err := x.Track()
	if err != nil {
		return ""
	}
	return t.Video.CodecString
}

// Keyframe reads the keyframe that is shown at a moment: the last one before it, or the first
// one. It returns ErrNothing where the file ends before.
func Keyframe(r io.ReaderAt, x *Index, at time.Time) (*media.Sample, error) {
	if x.Ends().Before(at) {
		return nil, ErrNothing
	}
	i := 0
	for i+1 < len(x.Points) && !x.Time(x.Points[i+1].Shown).After(at) {
		i++
	}
	return x.keyframe(r, i)
}

// keyframe reads the one at a point.
func (x *Index) keyframe(r io.ReaderAt, point int) (*media.Sample, error) {
	track, err := x.Track()
	if err != nil {
		return nil, err
	}
	table, err := fmp4.ReadTable(r, x.Points[point].Offset+fmp4.PRFTSize, videoID)
	if err != nil {
		return nil, err
	}
	if len(table) == 0 || table[0].Size > maxKeyframe {
		return nil, fmt.Errorf("%w: no keyframe", fmp4.ErrMalformed)
	}
	data := make([]byte, table[0].Size)
	if _, err := r.ReadAt(data, table[0].Offset); err != nil {
		return nil, err
	}
	return &media.Sample{
		Epoch: &media.Epoch{Tracks: []*media.Track{track}}, Track: track, DTS: table[0].DTS, PTS: table[0].PTS(),
		Captured: x.Time(table[0].PTS()), Key: true, Data: data,
	}, nil
}

// paramKeeper gathers parameter sets of a codec.
type paramKeeper interface {
	Add(nal []byte) error
	Current() *media.VideoConfig
}

// configOf reads the configuration of a track's video.
func configOf(t *fmp4.TrackInfo) (*media.VideoConfig, error) {
	var keeper paramKeeper = &h264.ParamKeeper{}
	parse := h264.ParseRecord
	switch t.Entry {
	case "avc1":
	case "hvc1":
		keeper, parse = &h265.ParamKeeper{}, h265.ParseRecord
	default:
		return nil, fmt.Errorf("%w: %q", fmp4.ErrUnsupported, t.Entry)
	}
	sets, _, err := parse(t.Config)
	if err != nil {
		return nil, err
	}
	for _, s := range sets {
		if err := keeper.Add(s); err != nil {
			return nil, err
		}
	}
	if c := keeper.Current(); c != nil {
		return c, nil
	}
	return nil, fmt.Errorf("%w: parameter sets are missing", fmp4.ErrMalformed)
}
