package media

import (
	"bytes"
	"slices"
)

// VideoConfig is how a track of video is coded: all that a stage has to know of the codec.
// The packages that read the codecs' headers make it. It is immutable.
type VideoConfig struct {
	Codec       Codec
	Width       int // pixels shown, after cropping
	Height      int
	CodecString string // RFC 6381; empty where files of ISO/IEC 14496-12 do not carry it here
	Profile     string // in words; empty where the codec has none
	Level       string
	FrameRate   float64 // that the stream promises, frames a second; 0 when it does not
	Reorder     int     // most frames that come before one that is shown earlier; -1 when the stream does not say
	Interlaced  bool    // fields may occur

	// Sets are the parameter sets in force, NAL units without start code in the order in
	// which a decoder takes them (H.264: sequence, picture; H.265: video, sequence, picture).
	Sets [][]byte

	Entry SampleEntry
}

// SampleEntry is how files carry a codec (ISO/IEC 14496-15): the four characters of the
// sample entry and of the box in it, and that box's content, the decoder configuration
// record.
type SampleEntry struct {
	Type   string
	Box    string
	Record []byte
}

// Equal says whether samples of one may follow those of the other: the same codec, size and
// parameter sets, byte for byte.
func (c *VideoConfig) Equal(d *VideoConfig) bool {
	if c == nil || d == nil {
		return c == d
	}
	return c == d || c.Codec == d.Codec && c.Width == d.Width && c.Height == d.Height && slices.EqualFunc(c.Sets, d.Sets, bytes.Equal)
}

// VideoTrack makes a track of a configuration; clockRate is the ticks a second of its
// samples.
func VideoTrack(id int, clockRate uint32, c *VideoConfig) *Track {
	return &Track{ID: id, Kind: KindVideo, Codec: c.Codec, ClockRate: clockRate, Width: c.Width, Height: c.Height, Video: c}
}
