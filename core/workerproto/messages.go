package workerproto

import (
	"fmt"
	"slices"
	"time"

	"webostrum/core/media"
	"webostrum/core/rendition"
)

// Raw is the codec of frames that are not coded: I420, the planes one
// after the other without padding.
const Raw media.Codec = "RAW"

// Colour says what the numbers in a picture mean.
type Colour struct {
	FullRange bool `json:"fullRange"` // 0 to 255, as in JPEG, and not 16 to 235
	BT601     bool `json:"bt601"`     // matrix of BT.601, as in JPEG, and not of BT.709
}

// The colours that are usual.
var (
	ColourJPEG  = Colour{FullRange: true, BT601: true} // JFIF
	ColourVideo = Colour{}                             // HD video
)

// Input describes the frames that follow. A new one begins a new decoder.
type Input struct {
	Codec  media.Codec `json:"codec"` // H264, H265, JPEG, VP8 or Raw
	Width  int         `json:"width"` // pixels
	Height int         `json:"height"`
	Colour Colour      `json:"colour"`
	Sets   [][]byte    `json:"sets,omitempty"` // of H264 and H265, as in media.VideoConfig
}

// InputOf describes the frames of a track of video.
func InputOf(t *media.Track) Input {
	return Input{Codec: t.Codec, Width: t.Width, Height: t.Height, Sets: t.Video.Sets}
}

// Validate says what is wrong with an input.
func (i Input) Validate() error {
	switch {
	case !slices.Contains([]media.Codec{media.H264, media.H265, media.JPEG, media.VP8, Raw}, i.Codec):
		return fmt.Errorf("%w: input of codec %q", ErrMalformed, i.Codec)
	case (i.Codec == media.H264 || i.Codec == media.H265) && len(i.Sets) == 0:
		return fmt.Errorf("%w: %s without parameter sets", ErrMalformed, i.Codec)
	case i.Width < 1 || i.Height < 1 || i.Width*i.Height > maxBody:
		return fmt.Errorf("%w: input of %dx%d", ErrMalformed, i.Width, i.Height)
	}
	return nil
}

// RawSize is the bytes of a raw picture.
func RawSize(width, height int) int {
	chroma := ((width + 1) / 2) * ((height + 1) / 2)
	return width*height + 2*chroma
}

// Output is one rendition to make, under the number that its frames come back with.
type Output struct {
	Number uint32 `json:"number"`
	rendition.Encoding
}

// Tally is what a worker has done since it began.
type Tally struct {
	Decoded   Work            `json:"decoded"`
	Undecoded uint64          `json:"undecoded"` // frames that could not be decoded
	LastError string          `json:"lastError,omitempty"`
	Outputs   map[uint32]Work `json:"outputs"`
}

// Work is what one stage has done.
type Work struct {
	Frames uint64        `json:"frames"`
	Busy   time.Duration `json:"busy"` // time of a core
}
