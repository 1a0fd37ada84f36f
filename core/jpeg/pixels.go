package jpeg

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
)

// Pixels decodes a picture of most pixels at most. A grey one has no planes of colour. Errors
// are image/jpeg's, or say what is not handled.
func Pixels(data []byte, most int) (*image.YCbCr, error) {
	c, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	if c.Width*c.Height > most {
		return nil, fmt.Errorf("a picture of %dx%d is too large here", c.Width, c.Height)
	}
	picture, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	switch p := picture.(type) {
	case *image.YCbCr:
		return p, nil
	case *image.Gray:
		return &image.YCbCr{Y: p.Pix, YStride: p.Stride, Rect: p.Rect}, nil
	}
	return nil, fmt.Errorf("a JPEG of %T is not handled here", picture)
}
