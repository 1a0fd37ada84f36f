package pictures

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"

	"webostrum/core/media"
)

// JPEG returns a JPEG picture of a size and of one colour.
func JPEG(w, h int, c color.RGBA) []byte {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := 0; i < len(img.Pix); i += 4 {
		img.Pix[i], img.Pix[i+1], img.Pix[i+2], img.Pix[i+3] = c.R, c.G, c.B, 255
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, nil); err != nil {
		panic(err)
	}
	return b.Bytes()
}

// JPEGTrack returns a track of JPEG pictures.
func JPEGTrack(w, h int) *media.Track {
	return media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.JPEG, Width: w, Height: h})
}
