// Package picture is what the parts of the worker hand to each other: decoded
// pictures, and the small interfaces of those who make and take them.
package picture

import (
	"time"
	"webostrum/core/workerproto"
)

// Picture is a decoded picture in I420: luma, and two planes of half its width
// and height, rounded up. Whoever made it says how long it is valid.
type Picture struct {
	Width, Height int
	Planes        [3][]byte // Y, Cb, Cr
	Strides       [3]int    // bytes from one row to the next
	Colour        workerproto.Colour
}

// New makes a picture without padding; its planes follow one another.
func New(width, height int) *Picture {
	return Wrap(make([]byte, workerproto.RawSize(width, height)), width, height)
}

// Wrap makes a picture of bytes in the layout of workerproto.Raw.
func Wrap(raw []byte, width, height int) *Picture {
	p := &Picture{Width: width, Height: height}
	half := (width + 1) / 2
	luma, chroma := width*height, half*((height+1)/2)
	p.Strides = [3]int{width, half, half}
	p.Planes = [3][]byte{raw[:luma], raw[luma : luma+chroma], raw[luma+chroma : luma+2*chroma]}
	return p
}

// Chroma returns the size of the second and third planes.
func (p *Picture) Chroma() (width, height int) { return (p.Width + 1) / 2, (p.Height + 1) / 2 }

// Reuse returns p when it has this size, and a new picture when not.
func Reuse(p *Picture, width, height int) *Picture {
	if p == nil || p.Width != width || p.Height != height {
		return New(width, height)
	}
	return p
}

// Decoded is a picture with the stamp that it came in with.
type Decoded struct {
	*Picture
	Stamp workerproto.Stamp
}

// Decoder turns coded pictures into decoded ones.
type Decoder interface {
	// Decode takes one coded picture and gives what comes out: nothing, or a
	// picture that is valid until the next call. An error leaves the decoder
	// usable.
	Decode(data []byte, stamp workerproto.Stamp) (Decoded, bool, error)
	Close()
}

// Encoder turns pictures into coded ones.
type Encoder interface {
	// Encode returns nothing when it left the picture out. at is the picture's
	// place on the timeline. The bytes are the caller's.
	Encode(p *Picture, at time.Duration, key bool) (data []byte, isKey bool, err error)
	Close()
}
