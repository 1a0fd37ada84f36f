package rendition

import (
	"errors"
	"fmt"
	"time"

	"webostrum/core/media"
	"webostrum/core/projection"
)

// ErrCodec is wrapped when something is to be encoded with a codec that there is
// no encoder for.
var ErrCodec = errors.New("rendition: no encoder for this codec")

// Profile is how much of H.264 an encoder uses.
type Profile string

// The profiles (ISO/IEC 14496-10, annex A).
const (
	Baseline Profile = "baseline" // constrained baseline: every browser, every delivery
	Main     Profile = "main"     // a tenth fewer bits at the same quality, with CABAC
)

// Encoding is a rendition resolved for frames of a known size: what an encoder is
// set to.
type Encoding struct {
	Codec     media.Codec `json:"codec"` // H264 or JPEG
	Width     int         `json:"width"` // pixels
	Height    int         `json:"height"`
	FrameRate float64     `json:"frameRate,omitempty"` // fps at most; 0 means all frames that come
	BitRate   int         `json:"bitRate,omitempty"`   // H264: bits a second
	KeyMillis int         `json:"keyMillis,omitempty"` // H264: from one keyframe to the next
	Profile   Profile     `json:"profile,omitempty"`   // H264
	Quality   int         `json:"quality,omitempty"`   // JPEG: 1 to 100
	Text      *Text       `json:"text,omitempty"`
	Pad       bool        `json:"pad,omitempty"` // see Rendition.Pad

	// View is the flat view that is made of a picture of another projection; nil makes none.
	View *projection.View `json:"view,omitempty"`
}

// Text is drawn on a picture.
type Text struct {
	Template string  `json:"template"` // {date}, {time} and {place} stand for what they say
	Place    string  `json:"place"`    // what {place} stands for
	Corner   Corner  `json:"corner"`
	Size     float64 `json:"size"` // height of the letters in hundredths of the picture's
}

// Corner is where text stands.
type Corner string

// The corners.
const (
	TopLeft     Corner = "top-left"
	TopRight    Corner = "top-right"
	BottomLeft  Corner = "bottom-left"
	BottomRight Corner = "bottom-right"
)

// Limits of OpenH264, measured: smaller pictures fail, larger ones are refused;
// and of JPEG, as far as anybody wants them.
const (
	minSide      = 16
	maxWidth     = 4096
	maxHeight    = 2304
	maxJPEGSide  = 8192
	maxTextBytes = 200
	usualRate    = 25
)

// Validate says what is wrong with an encoding.
func (o Encoding) Validate() error {
	if err := o.validateSize(); err != nil {
		return err
	}
	if o.FrameRate != 0 && (o.FrameRate < 0.01 || o.FrameRate > 120) {
		return fmt.Errorf("%g fps cannot be had: 0.01 to 120 can", o.FrameRate)
	}
	if o.Codec != media.JPEG {
		switch {
		case o.BitRate < 10_000 || o.BitRate > 100_000_000:
			return fmt.Errorf("%d bit/s cannot be had: 10,000 to 100,000,000 can", o.BitRate)
		case o.KeyMillis < 100 || o.KeyMillis > 600_000:
			return fmt.Errorf("a keyframe every %d ms cannot be had: 100 to 600,000 can", o.KeyMillis)
		case o.Codec == media.H264 && o.Profile != Baseline && o.Profile != Main:
			return fmt.Errorf("profile %q is neither baseline nor main", o.Profile)
		}
	} else if o.Quality < 1 || o.Quality > 100 {
		return fmt.Errorf("quality %d cannot be had: 1 to 100 can", o.Quality)
	}
	if err := o.View.Validate(); err != nil {
		return err
	}
	return o.Text.validate()
}

func (o Encoding) validateSize() error {
	switch o.Codec {
	case media.H264, media.VP9:
		switch {
		case o.Width < minSide || o.Height < minSide || o.Width > maxWidth || o.Height > maxHeight:
			return fmt.Errorf("a picture of %dx%d cannot be made as %s: %dx%d to %dx%d can", o.Width, o.Height, name(o.Codec), minSide, minSide, maxWidth, maxHeight)
		case o.Width%2 != 0 || o.Height%2 != 0:
			return fmt.Errorf("a picture of %dx%d cannot be made as %s: both sides must be even; %dx%d can", o.Width, o.Height, name(o.Codec), o.Width&^1, o.Height&^1)
		}
	case media.JPEG:
		if o.Width < 1 || o.Height < 1 || o.Width > maxJPEGSide || o.Height > maxJPEGSide {
			return fmt.Errorf("a picture of %dx%d cannot be made as JPEG: 1x1 to %dx%d can", o.Width, o.Height, maxJPEGSide, maxJPEGSide)
		}
	default:
		return fmt.Errorf("%w: %q", ErrCodec, o.Codec)
	}
	return nil
}

func (t *Text) validate() error {
	if t == nil {
		return nil
	}
	switch {
	case len(t.Template) > maxTextBytes || len(t.Place) > maxTextBytes:
		return fmt.Errorf("a text of more than %d bytes cannot be drawn", maxTextBytes)
	case t.Size < 1 || t.Size > 25:
		return fmt.Errorf("text of %g hundredths of the picture's height cannot be had: 1 to 25 can", t.Size)
	case t.Corner != TopLeft && t.Corner != TopRight && t.Corner != BottomLeft && t.Corner != BottomRight:
		return fmt.Errorf("corner %q is not one of top-left, top-right, bottom-left, bottom-right", t.Corner)
	}
	return nil
}

// Rate is the frame rate that an encoder is set up for.
func (o Encoding) Rate() float64 {
	if o.FrameRate > 0 {
		return o.FrameRate
	}
	return usualRate
}

// KeyEvery is the time from one keyframe to the next.
func (o Encoding) KeyEvery() time.Duration { return time.Duration(o.KeyMillis) * time.Millisecond }
